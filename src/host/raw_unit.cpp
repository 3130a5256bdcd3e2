#include "host/raw_unit.hpp"

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <optional>
#include <utility>

#include <fmt/format.h>

#include "base/earlier.hpp"
#include "base/shell_word.hpp"
#include "host/part_outputs.hpp"
#include "host/raw.hpp"
#include "omnipar/hid.hpp"
#include "omnipar/identity.hpp"
#include "omnipar/raw_unit.hpp"

namespace omnipar::inline abi_0::host {
namespace {

using Say = std::function<void(const std::string&)>;

class RawUnitNode final : public Node {
 public:
  RawUnitNode(os::Door& door, const Catalogue& catalogue, std::unique_ptr<RawNode> raw,
              std::unique_ptr<Node> event_node, Description description)
      : door_(door),
        catalogue_(catalogue),
        raw_(std::move(raw)),
        description_(std::move(description)),
        unit_(catalogue, description_, door.now()) {
    unit_.begin_as(event_node->description());
    event_nodes_.push_back(std::move(event_node));
    if (raw_->takes_output()) outputs_.find(catalogue, description_, raw_->descriptor());
    update_due();
  }

  int descriptor() const noexcept override { return raw_->descriptor(); }
  const Description& description() const noexcept override { return description_; }

  bool drain(Reports& into, Time now) override {
    // The kernel removes the event nodes first; they are needed only for the buttons that are down.
    std::erase_if(event_nodes_, [&](const auto& node) { return !node->drain(ignored_, now); });
    ignored_.clear();
    for (std::size_t waited = 0;; ++waited) {
      const auto report = raw_->next();
      if (!report) return false;
      if (waited == RawNode::most_waiting) {
        has_lost();
        unit_.may_have_lost(now);
      }
      if (report->empty()) break;
      add(into, now, unit_.feed(*report, now));
    }
    update_due();
    return true;
  }
  bool is_other_way_open() const noexcept override { return !event_nodes_.empty(); }

  void flush(Reports& into) override {
    const Time now = door_.now();
    outputs_.advance(now);
    const auto silent = unit_.next_due();
    if (silent && *silent <= now) add(into, *silent, unit_.advance(*silent));
    update_due();
  }

  bool tells_all_of(const Description& node) const override {
    return node.device == description_.device && node.interface == description_.interface &&
           raw_tells_all(catalogue_, description_, node);
  }
  void join(std::unique_ptr<Node> node) override { event_nodes_.push_back(std::move(node)); }

  // Other programs read the event nodes, so their buttons decide.
  bool is_grabbed() const noexcept override {
    return std::ranges::all_of(event_nodes_, [](const auto& node) { return node->is_grabbed(); });
  }
  bool is_grabbed_by_another() noexcept override {
    return std::ranges::any_of(event_nodes_, [](const auto& node) { return node->is_grabbed_by_another(); });
  }
  bool is_down() const noexcept override {
    return std::ranges::any_of(event_nodes_, [](const auto& node) { return node->is_down(); });
  }

  std::vector<Code> down() const override {
    std::vector<Code> codes;
    for (const auto& node : event_nodes_)
      for (const Code code : node->down()) codes.push_back(code);
    return codes;
  }
  bool grab_with_something_down() noexcept override {
    bool informed = true;
    for (const auto& node : event_nodes_) informed = node->grab_with_something_down() && informed;
    return informed;
  }

  bool has_outputs_by_part() const noexcept override { return outputs_.is_there(); }
  const std::vector<std::uint16_t>& motors(int part) const noexcept override {
    if (own_motors()) return outputs_.motors(part);
    return event_nodes_.empty() ? PartOutputs::no_motors() : event_nodes_.front()->motors(0);
  }
  int put_effect(int part, ff_effect& effect) noexcept override {
    if (!own_motors()) return event_nodes_.empty() ? -ENODEV : event_nodes_.front()->put_effect(0, effect);
    const int result = outputs_.put_effect(part, effect);
    update_due();
    return result;
  }
  void erase_effect(int number) noexcept override {
    if (own_motors()) {
      outputs_.erase_effect(number, door_.now());
      update_due();
    } else if (!event_nodes_.empty()) {
      event_nodes_.front()->erase_effect(number);
    }
  }
  void play_effect(int number, int times) noexcept override {
    if (own_motors()) {
      outputs_.play_effect(number, times, door_.now());
      update_due();
    } else if (!event_nodes_.empty()) {
      event_nodes_.front()->play_effect(number, times);
    }
  }
  std::vector<std::vector<std::uint8_t>> last_words() const override {
    return own_motors() ? outputs_.at_rest() : std::vector<std::vector<std::uint8_t>>{};
  }
  int count_of_leds(int part) const noexcept override {
    if (outputs_.has_leds()) return outputs_.count_of_leds(part);
    return event_nodes_.empty() ? 0 : event_nodes_.front()->count_of_leds(0);
  }
  void show_leds(int part, std::uint32_t which) noexcept override {
    if (outputs_.has_leds()) return outputs_.show_leds(part, which);
    if (!event_nodes_.empty()) event_nodes_.front()->show_leds(0, which);
  }

 protected:
  bool try_to_grab(bool yes) noexcept override {
    bool as_wished = true;
    for (const auto& node : event_nodes_) as_wished = node->grab(yes) && as_wished;
    return as_wished;
  }

 private:
  /// Raw reports are never split, but some sockets show by silence that they are empty, and running motors need
  /// repetition.
  void update_due() noexcept { set_due(earlier(unit_.next_due(), outputs_.next_due())); }

  static void add(Reports& into, Time time, const RawUnit::Update& update) {
    if (!update.empty()) into.add(time, update.changes, update.sockets);
  }

  /// Motors with a kernel driver are left to it.
  bool own_motors() const noexcept {
    return outputs_.has_motors() && (event_nodes_.empty() || event_nodes_.front()->motors(0).empty());
  }

  os::Door& door_;
  const Catalogue& catalogue_;
  std::unique_ptr<RawNode> raw_;
  std::vector<std::unique_ptr<Node>> event_nodes_;  ///< of the same HID device
  Description description_;
  RawUnit unit_;
  Reports ignored_;
  PartOutputs outputs_;
};

/// The kernel's generic driver creates no motors from the descriptor.
bool has_motors_for_raw_only(const Node& node, std::span<const std::uint8_t> descriptor) {
  if (!is_controller(node.description()) || !node.motors(0).empty()) return false;
  const auto read = hid::read_descriptor(descriptor);
  return read && std::ranges::any_of(hid::outputs_of(*read),
                                     [](const hid::Output& output) { return output.kind == hid::OutputKind::motor; });
}

/// Why a unit should be read from its raw reports, and what they add; nothing if there is no need.
struct Need {
  std::string why;
  std::string would;
  bool to_write = false;  ///< read permission alone is useless
};

std::optional<Need> need_of(const Catalogue& catalogue, const Node& node, std::span<const std::uint8_t> descriptor) {
  if (std::string why = reason_for_raw(catalogue, node.description(), descriptor); !why.empty())
    return Need{std::move(why), "report all controls"};
  if (has_motors_for_raw_only(node, descriptor)) return Need{"its event node has no motors", "drive them", true};
  return std::nullopt;
}

}  // namespace

std::unique_ptr<Node> by_raw_reports(os::Door& door, const Catalogue& catalogue, std::unique_ptr<Node> node,
                                     const std::string& syspath, const Say& say) {
  const std::string folder = hid_folder(syspath);
  const auto need = need_of(catalogue, *node, report_descriptor_of(door, folder));
  if (!need) return node;
  const std::string name = printable(node->description().name);
  int error = 0;
  const std::string path = raw_node_of(door, folder);
  auto raw = path.empty() ? nullptr : RawNode::open(door, path, node->description(), error);
  if (!raw || (need->to_write && !raw->takes_output())) {
    const std::string fix = error != -EACCES ? ""
                            : need->to_write
                                ? fmt::format(" (To get access: omnipar doctor --rule {})", base::shell_word(name))
                                : " (To get access: sudo omnipar doctor --fix)";
    say(fmt::format("\"{}\": {}; its raw reports would {}, but cannot be used{}.{}", name, need->why, need->would,
                    error < 0 ? fmt::format(" ({}: {})", path, std::strerror(-error)) : "", fix));
    return node;
  }
  Description description = raw->description();
  describe_raw(description);
  say(fmt::format("\"{}\" is read through its raw reports: {}.", name, need->why));
  return std::make_unique<RawUnitNode>(door, catalogue, std::move(raw), std::move(node), std::move(description));
}

std::string why_no_longer_raw(os::Door& door, const Catalogue& catalogue, const Description& node,
                              const std::string& syspath) {
  const std::string missing = reason_for_raw(catalogue, node, report_descriptor_of(door, hid_folder(syspath)));
  return fmt::format("\"{}\": its raw reports can no longer be read. It continues to work, but {}.",
                     printable(node.name), missing.empty() ? "its motors are off" : missing);
}

}  // namespace omnipar::inline abi_0::host
