#include "inspect/report.hpp"

#include <algorithm>
#include <array>

#include <fmt/format.h>

#include "base/code_names.hpp"
#include "identity/convention.hpp"
#include "omnipar/identity.hpp"
#include "omnipar/role.hpp"

namespace omnipar::inspect {
namespace {

/// Quotes and backslashes cannot stand in a basic string as they are; the rest is printable already.
std::string quoted(const std::string& text) {
  std::string all = "\"";
  for (const char c : text) all += c == '"' || c == '\\' ? std::string{'\\', c} : std::string{c};
  return all + "\"";
}

/// A role and, of a pair, which half.
struct Guess {
  std::string role;
  Axis axis = Axis::none;
};

/// What the codes of mice and keyboards are by their own names; nothing for others.
Guess guess_for(NodeKind kind, Code code) {
  if (kind == NodeKind::keys && code.type == ev_key) {
    const std::string name = code_name(code);
    if (!name.starts_with("KEY_")) return {};
    const std::string role = "key-" + plain_word("k" + name.substr(4)).substr(1);
    return role_kind(role) ? Guess{role} : Guess{};
  }
  if (kind != NodeKind::mouse) return {};
  constexpr Code rel_x = relative(0), rel_y = relative(1), rel_wheel = relative(8);
  if (code == rel_x) return {"mouse", Axis::x};
  if (code == rel_y) return {"mouse", Axis::y};
  if (code == rel_wheel) return {"mouse-wheel"};
  if (code == code::abs_x) return {"pointer", Axis::x};
  if (code == code::abs_y) return {"pointer", Axis::y};
  constexpr std::array buttons{"mouse-left", "mouse-right", "mouse-middle"};
  constexpr std::uint16_t btn_left = 0x110;
  const auto number = static_cast<std::size_t>(code.number) - btn_left;
  return code.type == ev_key && number < buttons.size() ? Guess{buttons.at(number)} : Guess{};
}

Guess role_of(const std::vector<Control>& controls, NodeKind kind, Code code) {
  if (Guess guess = guess_for(kind, code); !guess.role.empty()) return guess;
  const auto known = std::ranges::find(controls, code, &Control::code);
  return known == controls.end() ? Guess{} : Guess{known->role, known->axis};
}

}  // namespace

std::string sheet_draft(const std::vector<Description>& nodes) {
  const Description& main = nodes.front();
  const std::string name = printable(main.name);
  std::string text = fmt::format(
      "omnipar = 1\nkind = \"unit\"\nname = {}\ntitle = {}\n\n[[identity]]\nvendor = 0x{:04x}\nproduct = "
      "0x{:04x}\nname = {}\n",
      quoted(plain_word(name)), quoted(name), main.vendor, main.product, quoted(name));
  for (const Description& node : nodes) {
    const std::string prefix = &node == &main ? "" : std::string{node_kind_name(node_kind(node))} + "/";
    const auto controls = convention_controls(node);
    for (const CodeRange& range : node.codes) {
      const Guess guess = role_of(controls, node_kind(node), range.code);
      const std::string code = quoted(prefix + code_name(range.code));
      const std::string span =
          range.code.type == ev_abs ? fmt::format("  # {} to {}", range.minimum, range.maximum) : "";
      if (guess.role.empty()) {
        text += fmt::format("\n# [[control]]\n# code = {}{}\n# role = \"?\"\n", code, span);
        continue;
      }
      text += fmt::format("\n[[control]]\ncode = {}{}\nrole = \"{}\"\n", code, span, guess.role);
      if (guess.axis != Axis::none) text += fmt::format("axis = \"{}\"\n", guess.axis == Axis::x ? "x" : "y");
      text += "label = \"\"\n";
    }
  }
  return text;
}

}  // namespace omnipar::inspect
