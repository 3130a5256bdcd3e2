#include "host/raw_unit.hpp"

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstring>
#include <optional>
#include <fcntl.h>
#include <utility>

#include <fmt/format.h>

#include "host/raw.hpp"
#include "omnipar/hid.hpp"
#include "omnipar/identity.hpp"

namespace omnipar::host {
namespace {

using Say = std::function<void(const std::string&)>;

class RawUnitNode final : public Node {
 public:
  RawUnitNode(os::Door& door, std::unique_ptr<RawNode> raw, std::unique_ptr<Node> event_node, Description description,
              const hid::Descriptor& descriptor, Say say)
      : raw_(std::move(raw)),
        event_node_(std::move(event_node)),
        description_(std::move(description)),
        decoder_(descriptor),
        opened_(door.now()),
        say_(std::move(say)) {
    const auto controls = hid::controls_of(descriptor);
    for (const hid::Control& control : controls) rests_.push_back(rest_of(control));
    socket_of_.assign(controls.size(), -1);
    for (hid::Part& part : hid::parts_of(descriptor, controls)) add_socket(descriptor, controls, std::move(part));
  }

  int descriptor() const noexcept override { return raw_->descriptor(); }
  const Description& description() const noexcept override { return description_; }

  bool drain(Reports& into, Time now) override {
    static_cast<void>(event_node_->drain(ignored_, now));  // it only has to know what is down
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
  struct Rest {
    std::int32_t value = 0;
    bool is_button = false;
  };
  /// A part of which some controls can say that there is nothing to tell of.
  struct Socket {
    hid::Part part;
    std::vector<std::size_t> tellers;
    std::optional<bool> plugged;  ///< not known before the first report
  };

  /// Sticks rest in the middle, everything else at its lower end.
  static Rest rest_of(const hid::Control& control) {
    const bool is_button = control.kind == hid::Kind::button || control.kind == hid::Kind::key;
    if (control.kind != hid::Kind::value) return {0, is_button};
    const std::string word = hid::word_of(control.usage);
    const bool of_stick = word == "x" || word == "y" || word == "rx" || word == "ry";
    const std::int64_t ends = std::int64_t{control.minimum} + control.maximum;
    return {of_stick ? static_cast<std::int32_t>((ends + 1) >> 1) : control.minimum, false};
  }

  void add_socket(const hid::Descriptor& descriptor, std::span<const hid::Control> controls, hid::Part part) {
    Socket socket;
    for (const std::size_t place : part.controls)
      if (descriptor.fields[controls[place].field].has_null() && controls[place].kind == hid::Kind::value)
        socket.tellers.push_back(place);
    if (socket.tellers.empty()) return;
    for (const std::size_t place : part.controls) socket_of_[place] = static_cast<int>(sockets_.size());
    socket.part = std::move(part);
    sockets_.push_back(std::move(socket));
  }

  /// A unit that always talks tells at once how it stands: what is down so soon was down before, and counts from its
  /// next press. One that only talks when something happens is pressed when it does.
  void take(std::span<const std::uint8_t> report, Reports& into, Time now) {
    constexpr Duration at_once = std::chrono::milliseconds{100};
    const bool as_found = now < opened_ + at_once;
    const auto changes = decoder_.decode(report);
    told_.clear();
    for (Socket& socket : sockets_) look_into(socket);
    for (const Change& change : changes) {
      const Rest& rest = rests_[change.code.number];
      if (rest.is_button) down_ += change.value != 0 ? 1 : -1;
      const int socket = socket_of_[change.code.number];
      if (socket >= 0 && sockets_[static_cast<std::size_t>(socket)].plugged == false) continue;
      if (!(as_found && rest.is_button && change.value != 0)) told_.push_back(change);
    }
    if (!told_.empty()) into.add(now, told_);
  }

  /// What is taken out lets go of all that it held; what is plugged in tells how it stands.
  void look_into(Socket& socket) {
    const bool plugged =
        std::ranges::any_of(socket.tellers, [this](std::size_t place) { return decoder_.has_value(place); });
    if (socket.plugged == plugged) return;
    const bool was_known = socket.plugged.has_value();
    socket.plugged = plugged;
    for (const std::size_t place : socket.part.controls)
      if (was_known)  // buttons that are down already count from their next press
        told_.push_back(
            {hid::code_of(place), plugged && !rests_[place].is_button ? decoder_.value(place) : rests_[place].value});
    if (!was_known && plugged) return;
    say_(fmt::format("\"{}, {}\": {}.", printable(description_.name), socket.part.name,
                     plugged     ? "a plug is in its socket now"
                     : was_known ? "its plug is out; everything it held is let go"
                                 : "its socket is empty"));
  }

  std::unique_ptr<RawNode> raw_;
  std::unique_ptr<Node> event_node_;
  Description description_;
  hid::Decoder decoder_;
  Time opened_;
  Say say_;
  std::vector<Rest> rests_;     ///< by control
  std::vector<int> socket_of_;  ///< by control: place in the sockets, or -1
  std::vector<Socket> sockets_;
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
                                     const std::string& syspath, const Say& say) {
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
    say(fmt::format(
        "\"{}\": {}; its raw reports would tell all, but cannot be read{}. ('omnipar doctor --rule' lets you.)", name,
        reason, error < 0 ? fmt::format(" ({}: {})", path, std::strerror(-error)) : ""));
    return node;
  }
  Description description = raw->description();
  describe_raw(description);
  say(fmt::format("\"{}\" is read from its raw reports: {}.", name, reason));
  const auto read = hid::read_descriptor(description.descriptor);
  return std::make_unique<RawUnitNode>(door, std::move(raw), std::move(node), std::move(description), *read, say);
}

}  // namespace omnipar::host
