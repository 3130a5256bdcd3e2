// Event nodes: described by libevdev, and read by our own code, with one system call for all pending events.
#include "host/node.hpp"

#include <fcntl.h>
#include <libevdev/libevdev.h>
#include <linux/input.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <bitset>
#include <cerrno>
#include <ctime>
#include <utility>

#include "host/leds.hpp"
#include "host/motors.hpp"
#include "os/helper.hpp"
#include "os/our_mark.hpp"

namespace omnipar::inline abi_0::host {
namespace {

/// How long to wait for the other half of a split report, from the time of reading rather than the timestamp: a late
/// read may still precede the other half.
constexpr Duration half_report_patience{2000};

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
  locate(d, syspath);
  d.node = path;
  const std::string phys = text_of(libevdev_get_phys(device));
  if (d.socket.empty()) d.socket = phys;
  d.ours = d.made_by_program && phys.starts_with(os::our_mark);
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

void say_nothing(const libevdev* /*device*/, libevdev_log_priority /*priority*/, void* /*data*/, const char* /*file*/,
                 int /*line*/, const char* /*function*/, const char* /*format*/, va_list /*words*/) {}

struct Free {
  void operator()(libevdev* device) const noexcept { libevdev_free(device); }
};

class EvdevNode final : public Node {
 public:
  EvdevNode(os::Door& door, os::Descriptor descriptor, Description description, const libevdev* device,
            const std::string& syspath)
      : door_(door),
        descriptor_(std::move(descriptor)),
        description_(std::move(description)),
        leds_(door, descriptor_.get(), syspath),
        force_(door, descriptor_.get()) {
    unsigned clock = CLOCK_MONOTONIC;
    monotonic_ = door_.control(descriptor_.get(), EVIOCSCLOCKID, &clock) >= 0;
    for (const CodeRange& range : description_.codes) {
      if (range.code.type == ev_key) keys_.set(range.code.number, range.value != 0);
      if (range.code.type != ev_abs) continue;
      axes_.emplace_back(range.code.number, range.value);
      set_fuzz_to_zero(range.code.number);
    }
    for (std::uint16_t number = 0; number < FF_CNT; ++number)
      if (libevdev_has_event_code(device, EV_FF, number) != 0) motors_.push_back(number);
  }

  ~EvdevNode() override {
    if (!force_.is_waiting() || !close_elsewhere()) give_fuzz_back();
  }
  EvdevNode(const EvdevNode&) = delete;
  EvdevNode& operator=(const EvdevNode&) = delete;

  int descriptor() const noexcept override { return descriptor_.get(); }
  const Description& description() const noexcept override { return description_; }
  bool drain(Reports& into, Time now) override {
    now_ = now;
    bool lost = asks_;
    for (;;) {
      const ssize_t got = door_.read(descriptor_.get(), std::as_writable_bytes(std::span{buffer_}));
      if (got <= 0 && got != -EAGAIN) return false;
      const std::size_t count = got < 0 ? 0 : static_cast<std::size_t>(got) / sizeof(input_event);
      for (const input_event& event : std::span{buffer_}.first(count)) {
        lost = lost || (event.type == EV_SYN && event.code == SYN_DROPPED);
        if (!lost) handle(event, into);  // events after a loss are part of the state that is queried
      }
      if (count < buffer_.size()) break;
    }
    return !lost || ask_for_state(into);
  }

  void resync() noexcept override { asks_ = true; }

  bool is_grabbed() const noexcept override { return grabbed_; }

  bool try_to_grab(bool yes) noexcept override {
    if (!is_down() && !force_.is_waiting() && door_.control(descriptor_.get(), EVIOCGRAB, yes ? 1UL : 0UL) == 0)
      grabbed_ = yes;
    return grabbed_ == yes;
  }

  bool is_grabbed_by_another() noexcept override {
    if (grabbed_ || is_down() || force_.is_waiting()) return false;
    const int result = door_.control(descriptor_.get(), EVIOCGRAB, 1UL);
    if (result == 0) door_.control(descriptor_.get(), EVIOCGRAB, 0UL);
    return result == -EBUSY;
  }

  const std::vector<std::uint16_t>& motors(int) const noexcept override { return motors_; }

  int put_effect(int, ff_effect& effect) noexcept override { return force_.put(effect); }
  void erase_effect(int number) noexcept override { force_.erase(number); }
  void play_effect(int number, int times) noexcept override { force_.play(number, times); }

  int count_of_leds(int) const noexcept override { return leds_.count(); }
  void show_leds(int, std::uint32_t which) noexcept override { leds_.show(which); }

  bool is_down() const noexcept override { return keys_.any(); }

  std::vector<Code> down() const override {
    std::vector<Code> codes;
    for (const CodeRange& range : description_.codes)
      if (range.code.type == ev_key && keys_.test(range.code.number)) codes.push_back(range.code);
    return codes;
  }

  /// Events written to an input node appear to come from the unit. (The kernel then waits for the next press, and
  /// ignores the release of a button that is already up.)
  bool grab_with_something_down() noexcept override {
    bool informed = true;
    for (std::size_t number = 0; number < keys_.size(); ++number) {
      if (!keys_.test(number)) continue;
      std::array<input_event, 2> up{};
      up[0].type = EV_KEY;
      up[0].code = static_cast<std::uint16_t>(number);
      up[1].type = EV_SYN;
      informed = os::write_all(door_, descriptor_.get(), std::as_bytes(std::span{up})) == 0 && informed;
    }
    if (door_.control(descriptor_.get(), EVIOCGRAB, 1UL) == 0) grabbed_ = true;
    return informed;
  }

  void flush(Reports& into) override {
    if (has_half_ && !half_.empty()) into.add(half_time_, half_);
    has_half_ = false;
    half_.clear();
    set_due(std::nullopt);
  }

 private:
  /// Closes the node in another process, because closing blocks until the driver has answered.
  bool close_elsewhere() noexcept {
    const pid_t child = door_.fork();
    if (child != 0) return child > 0;
    os::become_helper(motors_process, descriptor_.get());
    give_fuzz_back();
    ::_exit(0);
  }

  void give_fuzz_back() noexcept {
    for (auto [number, before] : fuzz_) door_.control(descriptor_.get(), EVIOCSABS(number), &before);
  }

  void set_fuzz_to_zero(unsigned number) {
    input_absinfo axis{};
    if (door_.control(descriptor_.get(), EVIOCGABS(number), &axis) < 0 || axis.fuzz == 0) return;
    input_absinfo without = axis;
    without.fuzz = 0;
    if (door_.control(descriptor_.get(), EVIOCSABS(number), &without) == 0) fuzz_.emplace_back(number, axis);
  }

  /// The stamp, unless it is from another clock or in the future: then the time of reading.
  Time time_for(Time stamp) const { return monotonic_ ? std::min(stamp, now_) : now_; }

  /// Events were lost or went to another program: reads the current state and reports the differences. The queue is
  /// empty by then; events that arrive now are read again without effect. Returns false if the unit disappeared.
  bool ask_for_state(Reports& into) {
    if (!std::exchange(asks_, false)) has_lost();
    flush(into);
    open_.clear();
    std::array<std::uint8_t, KEY_CNT / 8 + 1> bits{};
    if (door_.control(descriptor_.get(), EVIOCGKEY(bits.size()), bits.data()) < 0) return false;
    for (const CodeRange& range : description_.codes) {
      if (range.code.type != ev_key) continue;
      const std::uint16_t number = range.code.number;
      note_key(range.code, bits.at(number / 8) >> (number % 8) & 1);
    }
    for (const auto& [number, value] : axes_) {
      input_absinfo axis{};
      if (door_.control(descriptor_.get(), EVIOCGABS(number), &axis) < 0) return false;
      note_axis(absolute(number), axis.value);
    }
    if (!open_.empty()) into.add(now_, open_);
    open_.clear();
    return true;
  }

  /// A control's value, if it has changed.
  void note_key(Code code, std::int32_t value) {
    if (keys_.test(code.number) == (value != 0)) return;
    keys_.set(code.number, value != 0);
    open_.push_back({code, value});
  }
  void note_axis(Code code, std::int32_t value) {
    for (auto& [axis, last] : axes_) {
      if (axis != code.number) continue;
      if (last != value) open_.push_back({code, value});
      last = value;
      return;
    }
  }

  /// Keys, movements and axes; scan codes, LEDs and the kernel's own repeats are not controls.
  void handle(const input_event& event, Reports& into) {
    const Code code{event.type, event.code};
    constexpr std::int32_t repeats = 2;
    if (event.type == ev_abs) return note_axis(code, event.value);
    if (event.type == ev_key && event.code < KEY_CNT && event.value != repeats) return note_key(code, event.value);
    if (event.type == ev_rel) open_.push_back({code, event.value});
    if (event.type == EV_SYN && event.code == SYN_REPORT) end_report(event, into);
  }

  void end_report(const input_event& event, Reports& into) {
    const Time stamp = stamp_of(event);
    // Both halves of a split report have the same time stamp.
    if (has_half_ && half_stamp_ != stamp) flush(into);
    const bool is_half = event.value == 1;
    if (!has_half_ && !is_half) {
      if (!open_.empty()) into.add(time_for(stamp), open_);
      open_.clear();
      return;
    }
    if (!has_half_) half_time_ = time_for(stamp);
    has_half_ = true;
    set_due(now_ + half_report_patience);
    half_stamp_ = stamp;
    half_.insert(half_.end(), open_.begin(), open_.end());
    open_.clear();
    if (!is_half) flush(into);
  }

  os::Door& door_;
  os::Descriptor descriptor_;
  Description description_;
  Leds leds_;
  Motors force_;
  std::vector<std::pair<unsigned, input_absinfo>> fuzz_;
  std::vector<std::uint16_t> motors_;
  std::bitset<KEY_CNT> keys_;                                 ///< that are down
  std::vector<std::pair<std::uint16_t, std::int32_t>> axes_;  ///< their last values
  std::array<input_event, 64> buffer_{};
  std::vector<Change> open_;  ///< since the last SYN_REPORT
  bool has_half_ = false;     ///< of a report that may be incomplete:
  std::vector<Change> half_;
  Time half_time_{};
  Time half_stamp_{};
  Time now_{};  ///< of the current drain
  bool monotonic_ = true;
  bool grabbed_ = false;
  bool asks_ = false;  ///< the state must be read in the next drain
};

}  // namespace

std::unique_ptr<Node> open_node(os::Door& door, const std::string& path, const std::string& syspath, int& error) {
  int number = door.open(path, O_RDWR | O_NONBLOCK);
  if (number == -EACCES || number == -EPERM || number == -EROFS) number = door.open(path, O_RDONLY | O_NONBLOCK);
  error = number < 0 ? number : 0;
  if (number < 0) return nullptr;
  os::Descriptor descriptor{door, number};
  const std::unique_ptr<libevdev, Free> described{libevdev_new()};
  libevdev* const device = described.get();
  error = device == nullptr ? -ENOMEM : 0;
  if (device == nullptr) return nullptr;
  // By default it would write to the terminal.
  libevdev_set_device_log_function(device, &say_nothing, LIBEVDEV_LOG_ERROR, nullptr);
  do error = libevdev_set_fd(device, number);
  while (error == -EINTR);
  if (error < 0) return nullptr;
  return std::make_unique<EvdevNode>(door, std::move(descriptor), describe(device, path, syspath), device, syspath);
}

}  // namespace omnipar::inline abi_0::host
