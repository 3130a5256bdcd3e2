// From nodes to units.
#include <algorithm>
#include <map>
#include <tuple>

#include "identity/group.hpp"
#include "identity/serial.hpp"
#include "identity/stem.hpp"
#include "omnipar/unit.hpp"

namespace omnipar::inline abi_0 {
namespace {

using Indices = std::vector<std::size_t>;

constexpr std::uint16_t bus_usb = 3;
constexpr std::uint16_t bus_bluetooth = 5;

bool has_key_between(const Description& node, std::uint16_t first, std::uint16_t last) noexcept {
  return std::ranges::any_of(node.codes, [=](const CodeRange& range) {
    return range.code.type == ev_key && range.code.number >= first && range.code.number <= last;
  });
}

bool has_type(const Description& node, std::uint16_t type) noexcept {
  return std::ranges::any_of(node.codes, [=](const CodeRange& range) { return range.code.type == type; });
}

/// "usb-0000:00:14.0-2/input1" without its suffix.
std::string_view place_of(std::string_view phys) noexcept { return phys.substr(0, phys.rfind("/input")); }

/// The rank of a kind as main node: pads first, unplayable nodes last.
int rank_of(const Description& node) noexcept { return static_cast<int>(node_kind(node)); }

class Grouping {
 public:
  explicit Grouping(std::span<const Description> nodes) : nodes_(nodes) {}

  std::vector<UnitNodes> run() {
    std::map<std::string, Indices> buckets;
    for (std::size_t i = 0; i < nodes_.size(); ++i) buckets[identity::device_key(nodes_[i])].push_back(i);
    for (auto& [key, indices] : buckets) {
      std::ranges::sort(indices, {}, [this](std::size_t i) { return order_of(i); });
      split(indices);
    }
    join_ways();
    std::ranges::stable_sort(units_, {}, [this](const UnitNodes& unit) {
      return std::tuple{std::cref(nodes_[unit.main()].socket).get(), std::cref(unit.half).get(), order_of(unit.main())};
    });
    return std::move(units_);
  }

 private:
  /// An order that is independent of node numbers, as far as possible.
  std::tuple<int, int, std::string, std::string, std::string> order_of(std::size_t i) const {
    const Description& node = nodes_[i];
    return {rank_of(node), node.interface, node.half, node.name, node.node};
  }

  void split(const Indices& indices) {
    Indices pads;
    for (const std::size_t i : indices)
      if (node_kind(nodes_[i]) == NodeKind::pad) pads.push_back(i);
    if (pads.empty()) {
      units_.push_back({{indices}});
      return;
    }
    const std::size_t first_unit = units_.size();
    for (const std::size_t i : pads)
      units_.push_back({{{i}, free_half(half_of(nodes_[i]), first_unit), pads.size() > 1}});
    for (const std::size_t i : indices)
      if (node_kind(nodes_[i]) != NodeKind::pad) units_[first_unit + owner_of(i, pads)].nodes.push_back(i);
  }

  /// Nodes of a simulated room may lack it.
  static std::string half_of(const Description& pad) {
    if (!pad.half.empty() || pad.interface <= 0) return pad.half;
    return std::to_string(pad.interface + 1);
  }

  /// Pads that their host cannot distinguish are numbered.
  std::string free_half(const std::string& half, std::size_t first_unit) const {
    const auto is_taken = [&](const std::string& wanted) {
      return std::any_of(units_.begin() + static_cast<std::ptrdiff_t>(first_unit), units_.end(),
                         [&](const UnitNodes& unit) { return unit.half == wanted; });
    };
    if (!is_taken(half)) return half;
    for (int number = 2;; ++number)
      if (std::string next = (half.empty() ? "1" : half) + "." + std::to_string(number); !is_taken(next)) return next;
  }

  std::size_t owner_of(std::size_t helper, const Indices& pads) const {
    const auto like = [&](auto same) {
      return static_cast<std::size_t>(std::ranges::find_if(pads, same) - pads.begin());
    };
    const std::string& serial = nodes_[helper].serial;
    if (!serial.empty())
      if (const std::size_t at = like([&](std::size_t i) { return nodes_[i].serial == serial; }); at < pads.size())
        return at;
    const std::size_t at = like([&](std::size_t i) { return nodes_[i].interface == nodes_[helper].interface; });
    return at < pads.size() ? at : 0;
  }

  /// One device on cable and radio: the cable is faster and charges it.
  void join_ways() {
    std::map<std::pair<std::string, NodeKind>, Indices> by_wireless;
    const auto key_of = [this](const UnitNodes& unit) {
      return std::pair{identity::connection_key(nodes_[unit.main()]), node_kind(nodes_[unit.main()])};
    };
    for (std::size_t i = 0; i < units_.size(); ++i)
      if (nodes_[units_[i].main()].bus == bus_bluetooth) by_wireless[key_of(units_[i])].push_back(i);
    std::vector<bool> is_spare(units_.size());
    for (std::size_t i = 0; i < units_.size(); ++i) {
      const auto others = by_wireless.find(key_of(units_[i]));
      if (nodes_[units_[i].main()].bus != bus_usb || others == by_wireless.end() || others->first.first.empty())
        continue;
      for (const std::size_t other : others->second) {
        units_[i].spares.push_back(static_cast<const Connection&>(units_[other]));
        is_spare[other] = true;
      }
      by_wireless.erase(others);
    }
    std::size_t at = 0;
    std::erase_if(units_, [&](const UnitNodes&) { return is_spare[at++]; });
  }

  std::span<const Description> nodes_;
  std::vector<UnitNodes> units_;
};

}  // namespace

std::string identity::device_key(const Description& node) {
  if (!node.device.empty()) return "d:" + node.device;
  return "m:" + std::to_string(node.vendor) + ":" + std::to_string(node.product) + ":" + node.serial + ":" +
         std::string{stem_of(node.name)} + ":" + std::string{place_of(node.socket)};
}

std::string identity::connection_key(const Description& node) {
  return node.serial.empty() ? "" : std::to_string(node.vendor) + ":" + identity::plain_serial(node.serial);
}

NodeKind node_kind(const Description& node) noexcept {
  if (!node.descriptor.empty()) return NodeKind::pad;
  constexpr std::uint16_t btn_left = 0x110, btn_touch = 0x14a, btn_tool_finger = 0x145;
  constexpr std::uint16_t first_pad_button = 0x120, last_pad_button = 0x13f, last_letter_key = 0x58;
  if (has_key_between(node, btn_tool_finger, btn_tool_finger) && node.find(code::abs_x) != nullptr)
    return NodeKind::touch;
  if (has_key_between(node, first_pad_button, last_pad_button)) return NodeKind::pad;
  if (has_key_between(node, btn_left, btn_left) || has_type(node, ev_rel)) return NodeKind::mouse;
  if (has_key_between(node, btn_touch, btn_touch)) return NodeKind::touch;
  if (has_key_between(node, 1, last_letter_key)) return NodeKind::keys;
  if (!has_type(node, ev_key) && node.find(code::abs_x) != nullptr && node.find(code::abs_rx) != nullptr)
    return NodeKind::motion;
  return NodeKind::other;
}

std::string_view node_kind_name(NodeKind kind) noexcept {
  switch (kind) {
    case NodeKind::pad:
      return "pad";
    case NodeKind::motion:
      return "motion";
    case NodeKind::touch:
      return "touch";
    case NodeKind::keys:
      return "keys";
    case NodeKind::mouse:
      return "mouse";
    case NodeKind::other:
      return "other";
  }
  return "";
}

std::vector<UnitNodes> group_nodes(std::span<const Description> nodes) { return Grouping{nodes}.run(); }

}  // namespace omnipar::inline abi_0
