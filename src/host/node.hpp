// One event node, opened: what it is, and what it says.
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

namespace omnipar::host {

/// An open `/dev/input/event*`. Stamps are monotonic and the kernel's fuzz is off while it is open;
/// closing puts the fuzz back.
class Node {
 public:
  virtual ~Node() = default;
  [[nodiscard]] virtual int descriptor() const noexcept = 0;
  [[nodiscard]] virtual const Description& description() const noexcept = 0;

  /// Adds all whole reports that wait to `into`; `now` is the time. False when the unit has gone. After lost events
  /// one report brings everything up to date.
  [[nodiscard]] virtual bool drain(Reports& into, Time now) = 0;

  /// The kernel cuts large reports in two. While this holds half of one, its rest should be waited
  /// for until then; `flush` gives the half out if nothing more comes.
  [[nodiscard]] virtual std::optional<Time> half_until() const noexcept = 0;
  virtual void flush(Reports& into) = 0;

  /// Keeps what the node says from everybody else (or no longer does). It is taken and given back only while nothing
  /// on it is down, for others would never see that go up; until then it stays as it is. Can be called again and again.
  /// Closing the node lets it go. True if it is as wished.
  bool hold(bool yes) noexcept { return is_held() == yes || try_to_hold(yes); }
  [[nodiscard]] virtual bool is_held() const noexcept = 0;
  /// True if another program keeps to itself what the node says. Not asked while something is down: false.
  [[nodiscard]] virtual bool is_held_by_another() noexcept = 0;
  /// True while a key or button is down.
  [[nodiscard]] virtual bool is_down() const noexcept = 0;

  /// The kinds of effects that its motors can play (FF_RUMBLE and so on); none without motors.
  [[nodiscard]] virtual const std::vector<std::uint16_t>& motors() const noexcept = 0;
  /// Puts an effect there, in the place that its `id` says (-1: a new one, whose number is then in `id`). 0, or
  /// minus the error number.
  virtual int put_effect(ff_effect& effect) noexcept = 0;
  virtual void erase_effect(int number) noexcept = 0;
  /// Plays it so many times; 0 stops it.
  virtual void play_effect(int number, int times) noexcept = 0;

  /// Its player lights, as Lights has them.
  [[nodiscard]] virtual int lights() const noexcept = 0;
  virtual void show_lights(std::uint32_t which) noexcept = 0;

  /// Times that the kernel has lost events of this node.
  [[nodiscard]] virtual std::uint64_t losses() const noexcept = 0;

 protected:
  virtual bool try_to_hold(bool yes) noexcept = 0;
};

/// Opens a node; null and minus the error number in `error` if it cannot be opened or is none.
[[nodiscard]] std::unique_ptr<Node> open_node(os::Door& door, const std::string& path, const std::string& syspath,
                                              int& error);

/// Where a USB unit is plugged in, from its place in /sys: the platform's path and the chain of ports
/// ("platform/dummy_hcd.0:1.2"), never the bus number, which changes between boots. Empty if it is
/// no USB unit.
[[nodiscard]] std::string socket_of(const std::string& syspath);

/// The physical device that a node is of: its USB socket, else the HID device ("0005:1209:0002.0001"), each
/// equal for all nodes of one device; empty if neither is known. And the number of its USB interface, or -1.
[[nodiscard]] std::string device_of(const std::string& syspath);
[[nodiscard]] int interface_of(const std::string& syspath);

/// The folder of the node's USB interface in /sys; empty if it is no USB unit.
[[nodiscard]] std::string interface_folder(const std::string& syspath);

/// True if a program made the node through uinput.
[[nodiscard]] bool is_made_by_program(const std::string& syspath);

}  // namespace omnipar::host
