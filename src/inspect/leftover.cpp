#include "inspect/leftover.hpp"

#include <algorithm>
#include <set>

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "omnipar/hid.hpp"
#include "omnipar/identity.hpp"

namespace omnipar::inline abi_0::inspect {
namespace {

/// Built-in devices are not counted: a panel or a trackball is connected by USB or radio.
bool comes_from_outside(const Description& node) {
  constexpr std::uint16_t usb = 3, radio = 5;
  return node.bus == usb || node.bus == radio;
}

/// "mouse", "keyboard"; empty for unplayable nodes.
std::string_view kind_word(NodeKind kind) {
  switch (kind) {
    case NodeKind::mouse:
      return "mouse";
    case NodeKind::keys:
      return "keyboard";
    case NodeKind::touch:
      return "touch pad";
    default:
      return "";
  }
}

/// The kinds of a unit's nodes, "mouse and keyboard".
std::string kinds_of(const UnitNodes& unit, const std::vector<Description>& nodes) {
  std::vector<std::string_view> words;
  for (const std::size_t i : unit.nodes)
    if (const auto word = kind_word(node_kind(nodes[i]));
        !word.empty() && std::ranges::find(words, word) == words.end())
      words.push_back(word);
  return fmt::format("{}", fmt::join(words, " and "));
}

/// High-resolution counts duplicate another code.
bool is_fine_count(Code code) {
  constexpr Code wheel = relative(0x0b), across = relative(0x0c);
  return code == wheel || code == across;
}

bool is_control(const hid::ReportControl& control) { return control.kind != hid::Kind::opaque; }

}  // namespace

std::vector<Other> others(const Catalogue& catalogue, const std::vector<Description>& nodes) {
  std::vector<Other> all;
  std::vector<int> times;
  for (const UnitNodes& unit : group_nodes(nodes)) {
    const Description& main = nodes[unit.main()];
    const auto is_played = [&](std::size_t i) { return is_playable(catalogue, nodes[i]); };
    const std::string kinds = kinds_of(unit, nodes);
    if (main.ours || main.made_by_program || !comes_from_outside(main) || kinds.empty() ||
        std::ranges::any_of(unit.nodes, is_played))
      continue;
    const UnitSheet* unfit = find_unfit_sheet(catalogue, main);
    const std::string about =
        unfit == nullptr ? "" : fmt::format("; the sheet '{}' has its ids but other controls", unfit->name);
    Other other{printable(main.name), fmt::format("\"{}\" ({}{})", printable(main.name), kinds, about)};
    const auto known = std::ranges::find(all, other.words, &Other::words);
    if (known != all.end()) {
      ++times[static_cast<std::size_t>(known - all.begin())];
      continue;
    }
    all.push_back(std::move(other));
    times.push_back(1);
  }
  for (std::size_t i = 0; i < all.size(); ++i)
    if (times[i] > 1) all[i].words = fmt::format("{} of {}", times[i], all[i].words);
  return all;
}

std::vector<std::string> without_role(const Catalogue& catalogue, const std::vector<Description>& nodes) {
  const Description& main = nodes.front();
  std::vector<std::string> names;
  for (const Description& node : nodes) {
    std::set<Code> played;
    for (const std::string& part : unit_parts(catalogue, main))
      for (const Control& control : attach_node(catalogue, main, node, part).controls) played.insert(control.code);
    if (!node.descriptor.empty()) {
      const auto read = hid::read_descriptor(node.descriptor);
      const auto controls = read ? hid::controls_of(*read) : std::vector<hid::ReportControl>{};
      for (std::size_t place = 0; place < controls.size(); ++place)
        if (is_control(controls[place]) && !played.contains(hid::code_of(place)))
          names.push_back(hid::name_of(*read, controls[place]));
      continue;
    }
    for (const CodeRange& range : node.codes)
      if (!played.contains(range.code) && !is_fine_count(range.code)) names.push_back(control_name(node, range.code));
  }
  return names;
}

}  // namespace omnipar::inline abi_0::inspect
