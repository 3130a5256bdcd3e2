#include "inspect/report.hpp"

#include <algorithm>

#include <fmt/format.h>

#include "base/code_names.hpp"
#include "identity/convention.hpp"
#include "omnipar/identity.hpp"

namespace omnipar::inspect {
namespace {

/// "Fenwick Reading-Room Pad" to "fenwick-reading-room-pad".
std::string sheet_name(const std::string& name) {
  std::string word;
  for (const char c : name) {
    const bool letter = (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9');
    const bool capital = c >= 'A' && c <= 'Z';
    if (letter || capital)
      word += capital ? static_cast<char>(c - 'A' + 'a') : c;
    else if (!word.empty() && word.back() != '-')
      word += '-';
  }
  while (word.ends_with('-')) word.pop_back();
  constexpr std::size_t longest = 40;
  if (word.empty() || word.front() < 'a') word = "unit-" + word;
  return word.substr(0, longest);
}

/// Quotes and backslashes cannot stand in a basic string as they are; the rest is printable already.
std::string quoted(const std::string& text) {
  std::string all = "\"";
  for (const char c : text) all += c == '"' || c == '\\' ? std::string{'\\', c} : std::string{c};
  return all + "\"";
}

}  // namespace

std::string sheet_draft(const std::vector<Description>& nodes) {
  const Description& main = nodes.front();
  const std::string name = printable(main.name);
  std::string text = fmt::format(
      "omnipar = 1\nkind = \"unit\"\nname = {}\ntitle = {}\n\n[[identity]]\nvendor = 0x{:04x}\nproduct = "
      "0x{:04x}\nname = {}\n",
      quoted(sheet_name(name)), quoted(name), main.vendor, main.product, quoted(name));
  for (const Description& node : nodes) {
    const std::string prefix = &node == &main ? "" : std::string{node_kind_name(node_kind(node))} + "/";
    const auto controls = convention_controls(node);
    for (const CodeRange& range : node.codes) {
      const auto known = std::ranges::find(controls, range.code, &Control::code);
      const std::string code = quoted(prefix + code_name(range.code));
      const std::string span =
          range.code.type == ev_abs ? fmt::format("  # {} to {}", range.minimum, range.maximum) : "";
      if (known == controls.end()) {
        text += fmt::format("\n# [[control]]\n# code = {}{}\n# role = \"?\"\n", code, span);
        continue;
      }
      text += fmt::format("\n[[control]]\ncode = {}{}\nrole = \"{}\"\n", code, span, known->role);
      if (known->axis != Axis::none) text += fmt::format("axis = \"{}\"\n", known->axis == Axis::x ? "x" : "y");
      text += "label = \"\"\n";
    }
  }
  return text;
}

}  // namespace omnipar::inspect
