// An open event node: its description and its reports.
#pragma once

#include <linux/input.h>

#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "host/reports.hpp"
#include "omnipar/description.hpp"
#include "omnipar/report.hpp"
#include "os/door.hpp"

namespace omnipar::inline abi_0::host {

/// Later than any time.
inline constexpr Time never = Time::max();

/// An open `/dev/input/event*`. Time stamps are monotonic and the kernel's fuzz is off while it is open;
/// closing restores the fuzz.
class Node {
 public:
  virtual ~Node() = default;
  [[nodiscard]] virtual int descriptor() const noexcept = 0;
  [[nodiscard]] virtual const Description& description() const noexcept = 0;

  /// Appends all complete pending reports to `into`; `now` is the time. False when the unit is gone. After lost events
  /// one report brings everything up to date.
  [[nodiscard]] virtual bool drain(Reports& into, Time now) = 0;
  /// After `drain` returned false: true if the unit is still connected, and only this way to read it is gone.
  [[nodiscard]] virtual bool is_other_way_open() const noexcept { return false; }

  /// When `flush` has something to add without new input: half of a report that the kernel split, or a meaningful
  /// silence; otherwise `never`. (Called for every node in every wake-up.)
  [[nodiscard]] Time due() const noexcept { return due_; }
  virtual void flush(Reports& into) = 0;

  /// Returns true if this node also reports everything that another event node of the same HID device reports; pass
  /// that one to `join`.
  [[nodiscard]] virtual bool tells_all_of(const Description& node) const {
    static_cast<void>(node);
    return false;
  }
  virtual void join(std::unique_ptr<Node> node) { static_cast<void>(node); }

  /// Grabs or releases the node. Both wait until no button is pressed, because other programs would miss the release.
  /// Can be called repeatedly. Closing the node releases it. Returns true if the requested state is reached.
  bool grab(bool yes) noexcept { return is_grabbed() == yes || try_to_grab(yes); }
  [[nodiscard]] virtual bool is_grabbed() const noexcept = 0;
  /// True if another program has grabbed the node. Not checked while something is down: false.
  [[nodiscard]] virtual bool is_grabbed_by_another() noexcept = 0;
  /// True while a key or button is down.
  [[nodiscard]] virtual bool is_down() const noexcept = 0;
  /// Another program had grabbed the node for a while: the next `drain` reads the current state of its controls.
  virtual void resync() noexcept {}
  /// The keys and buttons that are down.
  [[nodiscard]] virtual std::vector<Code> down() const = 0;
  /// Grabs the node although buttons are pressed. All readers receive a release first; if the node is not writable they
  /// do not, and the result is false.
  virtual bool grab_with_something_down() noexcept = 0;

  /// True if each part of the unit has motors and LEDs of its own; otherwise part 0 stands for all.
  [[nodiscard]] virtual bool has_outputs_by_part() const noexcept { return false; }
  /// The kinds of effects that the motors of a part can play (FF_RUMBLE and so on); none without motors.
  [[nodiscard]] virtual const std::vector<std::uint16_t>& motors(int part) const noexcept = 0;
  /// Uploads an effect under its `id` (-1: a new one, whose id is then in `id`). 0, or
  /// minus the error number.
  virtual int put_effect(int part, ff_effect& effect) noexcept = 0;
  virtual void erase_effect(int number) noexcept = 0;
  /// Plays an effect `times` times; 0 stops it.
  virtual void play_effect(int number, int times) noexcept = 0;

  /// A part's player LEDs, as in Leds.
  [[nodiscard]] virtual int count_of_leds(int part) const noexcept = 0;
  virtual void show_leds(int part, std::uint32_t which) noexcept = 0;

  /// Reports that stop what would continue if this process were killed. Closing the node does the same, as does the
  /// kernel for most nodes.
  [[nodiscard]] virtual std::vector<std::vector<std::uint8_t>> last_words() const { return {}; }

  /// How often the kernel has lost events of this node; for raw reports an estimate, because it does not
  /// report this.
  [[nodiscard]] std::uint64_t losses() const noexcept { return losses_; }
  /// Losses are also counted in `lost`, which must outlive the node.
  void note_losses_in(bool& lost) noexcept { lost_ = &lost; }

 protected:
  virtual bool try_to_grab(bool yes) noexcept = 0;
  void set_due(std::optional<Time> when) noexcept { due_ = when.value_or(never); }
  void has_lost() noexcept {
    ++losses_;
    if (lost_ != nullptr) *lost_ = true;
  }

 private:
  Time due_ = never;
  std::uint64_t losses_ = 0;
  bool* lost_ = nullptr;
};

/// Opens a node; null and minus the error number in `error` if it cannot be opened or is not an event node.
[[nodiscard]] std::unique_ptr<Node> open_node(os::Door& door, const std::string& path, const std::string& syspath,
                                              int& error);

/// Sets `socket`, `device`, `interface`, `half` and `made_by_program` from the node's position in the device tree. The
/// socket of a USB unit is the platform's path and the chain of ports ("platform/dummy_hcd.0:1.2"), never the bus
/// number, which changes between boots. The half follows from what precedes it: the device's lower interfaces of the
/// same kind, and pads created earlier on the same interface.
void locate(Description& node, const std::string& syspath);

/// The physical device of a node: its USB socket, otherwise the HID device ("0005:1209:0002.0001"), each
/// equal for all nodes of one device; empty if neither is known.
[[nodiscard]] std::string device_of(const std::string& syspath);

/// Describes a node without opening it: everything except the ranges and values of its axes.
[[nodiscard]] Description describe_unopened(const std::string& path, const std::string& syspath);

/// The first line of a small file, as in /sys; empty if it cannot be read.
[[nodiscard]] std::string line_of(os::Files& door, const std::string& path);

/// The folder of the node's USB interface in /sys; empty for other units.
[[nodiscard]] std::string interface_folder(const std::string& syspath);

/// True if a program made the node through uinput.
[[nodiscard]] bool is_made_by_program(const std::string& syspath);

}  // namespace omnipar::inline abi_0::host
