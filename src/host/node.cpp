// Event nodes through libevdev, which alone calls the system here besides the door.
#include "host/node.hpp"

#include <fcntl.h>
#include <libevdev/libevdev.h>
#include <linux/input.h>

#include <algorithm>
#include <cerrno>
#include <ctime>
#include <utility>

#include "outlet/form.hpp"

namespace omnipar::host {
namespace {

constexpr Duration half_report_patience{1000};

std::string text_of(const char* text) { return text != nullptr ? text : ""; }

Time stamp_of(const input_event& event) {
  return at_us(std::int64_t{event.input_event_sec} * 1'000'000 + event.input_event_usec);
}

Description describe(libevdev* device, const std::string& path, const std::string& syspath) {
  Description d;
  d.name = text_of(libevdev_get_name(device));
  d.bus = static_cast<std::uint16_t>(libevdev_get_id_bustype(device));
  d.vendor = static_cast<std::uint16_t>(libevdev_get_id_vendor(device));
  d.product = static_cast<std::uint16_t>(libevdev_get_id_product(device));
  d.version = static_cast<std::uint16_t>(libevdev_get_id_version(device));
  d.serial = text_of(libevdev_get_uniq(device));
  d.socket = socket_of(syspath);
  d.device = device_of(syspath);
  d.interface = interface_of(syspath);
  d.node = path;
  const std::string phys = text_of(libevdev_get_phys(device));
  if (d.socket.empty()) d.socket = phys;
  d.made_by_program = is_made_by_program(syspath);
  d.ours = d.made_by_program && phys.starts_with(outlet::our_mark);
  for (std::uint16_t number = 0; number < KEY_CNT; ++number)
    if (libevdev_has_event_code(device, EV_KEY, number) != 0)
      d.codes.push_back({key(number), 0, 1, libevdev_get_event_value(device, EV_KEY, number)});
  for (std::uint16_t number = 0; number < REL_CNT; ++number)
    if (libevdev_has_event_code(device, EV_REL, number) != 0) d.codes.push_back({{ev_rel, number}, 0, 0, 0});
  for (std::uint16_t number = 0; number < ABS_CNT; ++number)
    if (const input_absinfo* axis = libevdev_get_abs_info(device, number))
      d.codes.push_back({absolute(number), axis->minimum, axis->maximum, axis->value});
  return d;
}

class EvdevNode final : public Node {
 public:
  EvdevNode(os::Door& door, os::Descriptor descriptor, libevdev* device, Description description)
      : door_(door), descriptor_(std::move(descriptor)), device_(device), description_(std::move(description)) {
    int result = 0;
    do result = libevdev_set_clock_id(device_.get(), CLOCK_MONOTONIC);
    while (result == -EINTR);
    monotonic_ = result == 0;
    for (unsigned number = 0; number < ABS_CNT; ++number) set_fuzz_to_zero(number);
    for (std::uint16_t number = 0; number < FF_CNT; ++number)
      if (libevdev_has_event_code(device_.get(), EV_FF, number) != 0) motors_.push_back(number);
  }

  ~EvdevNode() override {
    for (const auto& [number, before] : fuzz_) libevdev_kernel_set_abs_info(device_.get(), number, &before);
  }
  EvdevNode(const EvdevNode&) = delete;
  EvdevNode& operator=(const EvdevNode&) = delete;

  int descriptor() const noexcept override { return descriptor_.get(); }
  const Description& description() const noexcept override { return description_; }
  std::uint64_t losses() const noexcept override { return losses_; }
  std::optional<Time> half_until() const noexcept override {
    if (!half_) return std::nullopt;
    return half_->time + half_report_patience;
  }

  bool drain(std::vector<ReadReport>& into) override {
    now_ = door_.now();
    input_event event{};
    unsigned how = LIBEVDEV_READ_FLAG_NORMAL;
    for (;;) {
      const int status = libevdev_next_event(device_.get(), how, &event);
      if (status == LIBEVDEV_READ_STATUS_SUCCESS) {
        take(event, into);
      } else if (status == LIBEVDEV_READ_STATUS_SYNC) {
        if (how == LIBEVDEV_READ_FLAG_NORMAL)
          begin_resync();
        else
          take(event, into);
        how = LIBEVDEV_READ_FLAG_SYNC;
      } else if (status == -EAGAIN && how == LIBEVDEV_READ_FLAG_SYNC) {
        how = LIBEVDEV_READ_FLAG_NORMAL;
      } else if (status != -EINTR) {
        return status == -EAGAIN;
      }
    }
  }

  bool is_held() const noexcept override { return held_; }

  bool try_to_hold(bool yes) noexcept override {
    if (!is_down() && libevdev_grab(device_.get(), yes ? LIBEVDEV_GRAB : LIBEVDEV_UNGRAB) == 0) held_ = yes;
    return held_ == yes;
  }

  bool is_held_by_another() noexcept override {
    if (held_ || is_down()) return false;
    const int result = libevdev_grab(device_.get(), LIBEVDEV_GRAB);
    if (result == 0) libevdev_grab(device_.get(), LIBEVDEV_UNGRAB);
    return result == -EBUSY;
  }

  const std::vector<std::uint16_t>& motors() const noexcept override { return motors_; }

  int put_effect(ff_effect& effect) noexcept override { return door_.control(descriptor_.get(), EVIOCSFF, &effect); }

  void erase_effect(int number) noexcept override {
    door_.control(descriptor_.get(), EVIOCRMFF, static_cast<unsigned long>(number));
  }

  void play_effect(int number, int times) noexcept override {
    input_event event{};
    event.type = EV_FF;
    event.code = static_cast<std::uint16_t>(number);
    event.value = times;
    os::write_all(door_, descriptor_.get(), std::as_bytes(std::span{&event, 1}));
  }

  bool is_down() const noexcept override {
    return std::ranges::any_of(description_.codes, [this](const CodeRange& range) {
      return range.code.type == ev_key && libevdev_get_event_value(device_.get(), EV_KEY, range.code.number) != 0;
    });
  }

  void flush(std::vector<ReadReport>& into) override {
    if (half_ && !half_->changes.empty()) into.push_back(std::move(*half_));
    half_.reset();
  }

 private:
  struct Free {
    void operator()(libevdev* device) const noexcept { libevdev_free(device); }
  };

  void set_fuzz_to_zero(unsigned number) {
    const input_absinfo* axis = libevdev_get_abs_info(device_.get(), number);
    if (axis == nullptr || axis->fuzz == 0) return;
    const input_absinfo before = *axis;
    input_absinfo without = before;
    without.fuzz = 0;
    int result = 0;
    do result = libevdev_kernel_set_abs_info(device_.get(), number, &without);
    while (result == -EINTR);
    if (result == 0) fuzz_.emplace_back(number, before);
  }

  /// The stamp, unless it is of another clock or from the future: then the time of the read.
  Time time_for(Time stamp) const { return monotonic_ ? std::min(stamp, now_) : now_; }

  void begin_resync() {
    ++losses_;
    open_.clear();
  }

  void take(const input_event& event, std::vector<ReadReport>& into) {
    // Keys, movements and axes; scan codes and lamps are no controls.
    if (event.type == ev_key || event.type == ev_rel || event.type == ev_abs)
      open_.push_back({{event.type, event.code}, event.value});
    if (event.type != EV_SYN) return;
    if (event.code != SYN_REPORT) return;
    const Time stamp = stamp_of(event);
    // Both halves of a report that was cut carry the same stamp.
    if (half_ && half_stamp_ != stamp) flush(into);
    if (!half_) half_ = ReadReport{time_for(stamp), {}};
    half_stamp_ = stamp;
    half_->changes.insert(half_->changes.end(), open_.begin(), open_.end());
    open_.clear();
    if (event.value != 1) flush(into);
  }

  os::Door& door_;
  os::Descriptor descriptor_;
  std::unique_ptr<libevdev, Free> device_;
  Description description_;
  std::vector<std::pair<unsigned, input_absinfo>> fuzz_;
  std::vector<std::uint16_t> motors_;
  std::vector<Change> open_;        ///< since the last SYN_REPORT
  std::optional<ReadReport> half_;  ///< a report of which more may come
  Time half_stamp_{};
  Time now_{};  ///< of the drain that is under way
  bool monotonic_ = true;
  bool held_ = false;
  std::uint64_t losses_ = 0;
};

}  // namespace

std::unique_ptr<Node> open_node(os::Door& door, const std::string& path, const std::string& syspath, int& error) {
  int number = door.open(path, O_RDWR | O_NONBLOCK);
  if (number == -EACCES || number == -EPERM || number == -EROFS) number = door.open(path, O_RDONLY | O_NONBLOCK);
  error = number < 0 ? number : 0;
  if (number < 0) return nullptr;
  os::Descriptor descriptor{door, number};
  libevdev* device = nullptr;
  do error = libevdev_new_from_fd(number, &device);
  while (error == -EINTR);
  if (error < 0) return nullptr;
  Description description = describe(device, path, syspath);
  return std::make_unique<EvdevNode>(door, std::move(descriptor), device, std::move(description));
}

}  // namespace omnipar::host
