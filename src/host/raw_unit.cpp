#include "host/raw_unit.hpp"

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstring>
#include <fcntl.h>
#include <utility>

#include <fmt/format.h>

#include "host/raw.hpp"
#include "omnipar/hid.hpp"
#include "omnipar/identity.hpp"

namespace omnipar::host {
namespace {

class RawUnitNode final : public Node {
 public:
  RawUnitNode(os::Door& door, std::unique_ptr<RawNode> raw, std::unique_ptr<Node> event_node, Description description)
      : raw_(std::move(raw)),
        event_node_(std::move(event_node)),
        description_(std::move(description)),
        decoder_(hid::read_descriptor(description_.descriptor).value()),
        opened_(door.now()) {
    for (const hid::Control& control : hid::controls_of(hid::read_descriptor(description_.descriptor).value()))
      is_button_.push_back(control.kind == hid::Kind::button || control.kind == hid::Kind::key);
  }

  int descriptor() const noexcept override { return raw_->descriptor(); }
  const Description& description() const noexcept override { return description_; }

  bool drain(Reports& into, Time now) override {
    event_node_->drain(ignored_, now);  // it only has to know what is down
    ignored_.clear();
    for (;;) {
      const auto report = raw_->next();
      if (!report) return false;
      if (report->empty()) return true;
      take(*report, into, now);
    }
  }

  // Raw reports are never cut.
  std::optional<Time> half_until() const noexcept override { return std::nullopt; }
  void flush(Reports&) override {}

  bool is_held() const noexcept override { return event_node_->is_held(); }
  bool is_held_by_another() noexcept override { return !is_down() && event_node_->is_held_by_another(); }
  bool is_down() const noexcept override { return down_ > 0 || event_node_->is_down(); }
  const std::vector<std::uint16_t>& motors() const noexcept override { return event_node_->motors(); }
  int put_effect(ff_effect& effect) noexcept override { return event_node_->put_effect(effect); }
  void erase_effect(int number) noexcept override { event_node_->erase_effect(number); }
  void play_effect(int number, int times) noexcept override { event_node_->play_effect(number, times); }
  int lights() const noexcept override { return event_node_->lights(); }
  void show_lights(std::uint32_t which) noexcept override { event_node_->show_lights(which); }
  std::uint64_t losses() const noexcept override { return 0; }  // the kernel does not tell

 protected:
  bool try_to_hold(bool yes) noexcept override { return !is_down() && event_node_->hold(yes); }

 private:
  /// A unit that always talks tells at once how it stands: what is down so soon was down before, and counts from its
  /// next press. One that only talks when something happens is pressed when it does.
  void take(std::span<const std::uint8_t> report, Reports& into, Time now) {
    constexpr Duration at_once = std::chrono::milliseconds{100};
    const bool as_found = now < opened_ + at_once;
    const auto changes = decoder_.decode(report);
    told_.clear();
    for (const Change& change : changes) {
      const bool button = is_button_[change.code.number];
      if (button) down_ += change.value != 0 ? 1 : -1;
      if (!(as_found && button && change.value != 0)) told_.push_back(change);
    }
    if (!told_.empty()) into.add(now, told_);
  }

  std::unique_ptr<RawNode> raw_;
  std::unique_ptr<Node> event_node_;
  Description description_;
  hid::Decoder decoder_;
  Time opened_;
  std::vector<bool> is_button_;  ///< by control
  int down_ = 0;
  std::vector<Change> told_;
  Reports ignored_;
};

/// The unit's report descriptor, which everybody may read in /sys; empty if it is no HID unit.
std::vector<std::uint8_t> descriptor_of(os::Door& door, const std::string& folder) {
  if (folder.empty()) return {};
  const os::Descriptor file{door, door.open(folder + "/report_descriptor", O_RDONLY)};
  std::vector<std::uint8_t> bytes(hid::most_bytes);
  const ssize_t got = file ? door.read(file.get(), std::as_writable_bytes(std::span{bytes})) : 0;
  bytes.resize(static_cast<std::size_t>(std::max<ssize_t>(got, 0)));
  return bytes;
}

}  // namespace

std::unique_ptr<Node> by_raw_reports(os::Door& door, const Catalogue& catalogue, std::unique_ptr<Node> node,
                                     const std::string& syspath, std::string& remark) {
  if (!is_controller(node->description())) return node;
  const std::string folder = hid_folder(syspath);
  const auto descriptor = descriptor_of(door, folder);
  const std::string reason = reason_for_raw(catalogue, node->description(), descriptor);
  if (reason.empty()) return node;
  const std::string name = printable(node->description().name);
  int error = 0;
  const std::string path = raw_node_of(door, folder);
  auto raw = path.empty() ? nullptr : RawNode::open(door, path, node->description(), error);
  if (!raw) {
    remark = fmt::format(
        "\"{}\": {}; its raw reports would tell all, but cannot be read{}. ('omnipar doctor --rule' lets you.)", name,
        reason, error < 0 ? fmt::format(" ({}: {})", path, std::strerror(-error)) : "");
    return node;
  }
  Description description = raw->description();
  describe_raw(description);
  remark = fmt::format("\"{}\" is read from its raw reports: {}.", name, reason);
  return std::make_unique<RawUnitNode>(door, std::move(raw), std::move(node), std::move(description));
}

}  // namespace omnipar::host
