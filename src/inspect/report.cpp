#include "inspect/report.hpp"

#include <algorithm>
#include <array>

#include <fmt/format.h>

#include "base/code_names.hpp"
#include "identity/convention.hpp"
#include "omnipar/hid.hpp"
#include "omnipar/identity.hpp"
#include "omnipar/role.hpp"
#include "text/quoted.hpp"

namespace omnipar::inline abi_0::inspect {
namespace {

/// The names of mouse and keyboard codes; nothing for others.
Guess guess_for(NodeKind kind, Code code) {
  if (kind == NodeKind::keys && code.type == ev_key) {
    const std::string name = base::code_name(code);
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

void add_control(std::string& text, const std::string& code, std::string_view note, const Guess& guess,
                 std::string_view part) {
  const std::string parts = part.empty() ? "" : fmt::format("parts = [\"{}\"]\n", part);
  if (guess.role.empty()) {
    text += fmt::format("\n# [[control]]\n# code = {}{}\n# role = \"?\"\n", code, note);
    if (!parts.empty()) text += "# " + parts;
    return;
  }
  text += fmt::format("\n[[control]]\ncode = {}{}\nrole = \"{}\"\n", code, note, guess.role);
  if (guess.axis != Axis::none) text += fmt::format("axis = \"{}\"\n", guess.axis == Axis::x ? "x" : "y");
  text += parts + "label = \"\"\n";
}

/// Controls of a raw node, part by part; vendor-defined ones may show which sockets are filled.
void add_raw_controls(std::string& text, const Description& node) {
  const auto read = hid::read_descriptor(node.descriptor);
  if (!read) return;
  const auto controls = hid::controls_of(*read);
  const auto names = unit_parts({}, node);
  auto places = part_controls({}, node);
  if (places.empty()) places.push_back(hid::played_on(*read, controls));
  for (const std::string& part : names) {
    if (part.empty()) continue;
    text += fmt::format("\n[[part]]\nname = \"{}\"\ntitle = \"{}\"\n", part, part);
    for (const hid::ReportControl& control : controls)
      if (control.kind == hid::Kind::opaque && part != hid::own_part)
        text += fmt::format("# plugged = {}  # vendor-defined: does it show whether this socket is filled?\n",
                            text::quoted(hid::name_of(*read, control)));
  }
  for (std::size_t part = 0; part < places.size(); ++part) {
    const auto known = attach_node({}, node, node, names.at(part)).controls;
    for (const std::size_t place : places[part]) {
      const hid::ReportControl& control = controls[place];
      const auto guess = std::ranges::find(known, hid::code_of(place), &Control::code);
      const bool is_axis = control.kind == hid::Kind::value;
      add_control(text, text::quoted(hid::name_of(*read, control)),
                  is_axis ? fmt::format("  # {} to {}", control.minimum, control.maximum) : "",
                  guess == known.end() ? Guess{} : Guess{guess->role, guess->axis}, names.at(part));
    }
  }
}

}  // namespace

std::vector<Guess> guesses_for(const Description& node) {
  const auto controls = identity::convention_controls(node);
  std::vector<Guess> all;
  for (const CodeRange& range : node.codes) {
    Guess guess = guess_for(node_kind(node), range.code);
    const auto known = std::ranges::find(controls, range.code, &Control::code);
    if (guess.role.empty() && known != controls.end()) guess = {known->role, known->axis};
    all.push_back(std::move(guess));
  }
  return all;
}

std::string sheet_draft(const std::vector<Description>& nodes) {
  const Description& main = nodes.front();
  const std::string name = printable(main.name);
  std::string text = fmt::format(
      "omnipar = 1\nkind = \"unit\"\nname = {}\ntitle = {}\n\n[[identity]]\nvendor = 0x{:04x}\nproduct = "
      "0x{:04x}\nname = {}\n",
      text::quoted(plain_word(name)), text::quoted(name), main.vendor, main.product, text::quoted(name));
  if (!main.descriptor.empty()) {
    add_raw_controls(text, main);
    return text;
  }
  for (const Description& node : nodes) {
    const std::string prefix = &node == &main ? "" : std::string{node_kind_name(node_kind(node))} + "/";
    const std::vector<Guess> guesses = guesses_for(node);
    for (std::size_t c = 0; c < node.codes.size(); ++c) {
      const CodeRange& range = node.codes[c];
      const std::string code = text::quoted(prefix + base::code_name(range.code));
      const std::string span =
          range.code.type == ev_abs ? fmt::format("  # {} to {}", range.minimum, range.maximum) : "";
      add_control(text, code, span, guesses[c], "");
    }
  }
  return text;
}

}  // namespace omnipar::inline abi_0::inspect
