// Units created for tests in the box, in three ways: uhid (any descriptor, no USB path), USB gadget (real
// sockets, reconnected by rebinding) and uinput (any codes). Also readers of virtual devices.
#pragma once

#include <linux/input.h>
#include <sys/types.h>

#include <unistd.h>

#include <array>
#include <cstdint>
#include <map>
#include <string>
#include <vector>

#include <catch2/catch.hpp>

#include "looking.hpp"
#include "support/settings.hpp"

namespace omnipar::test {

/// The arguments of `omnipar` with its own home directory, /tmp/HOME.
[[nodiscard]] inline std::vector<std::string> from_home(const std::string& home, const std::string& words) {
  return {"sh", "-c", "HOME=/tmp/" + home + " exec /box/omnipar " + words};
}

/// The single report of these pads: 16 buttons from BTN_SOUTH on, a hat (8: at rest), two sticks.
struct PadReport {
  std::uint16_t buttons = 0;
  std::uint8_t hat = 8;
  std::uint8_t x = 128, y = 128, rx = 128, ry = 128;
  [[nodiscard]] std::vector<std::uint8_t> bytes() const;
};
/// Bits of PadReport::buttons by the kernel's codes.
enum PadButton : std::uint16_t {
  south = 1,
  east = 2,
  north = 8,
  west = 16,
  select_button = 1 << 10,
  start_button = 1 << 11
};

[[nodiscard]] const std::vector<std::uint8_t>& pad_descriptor();

/// A unit on the kernel's HID layer, with any descriptor. Removed when it goes out of scope.
class UhidUnit {
 public:
  UhidUnit(const std::string& name, const std::string& serial, std::uint16_t product,
           const std::vector<std::uint8_t>& descriptor, const std::string& phys = "");
  ~UhidUnit();
  UhidUnit(const UhidUnit&) = delete;
  UhidUnit& operator=(const UhidUnit&) = delete;
  void send_bytes(const std::vector<std::uint8_t>& bytes) const;
  /// Waits until the unit receives this output report; earlier ones are skipped. False after 5 s.
  bool wait_for_output(const std::vector<std::uint8_t>& report) const;
  /// The same for several, which may come in any order.
  bool wait_for_outputs(std::vector<std::vector<std::uint8_t>> reports) const;
  /// Readable when the kernel has a request for the unit.
  [[nodiscard]] int descriptor() const noexcept { return file_; }
  [[nodiscard]] const std::string& name() const noexcept { return name_; }

 private:
  std::string name_;
  int file_ = -1;
};

class UhidPad : public UhidUnit {
 public:
  UhidPad(const std::string& name, const std::string& serial, const std::string& phys = "");
  void send(const PadReport& report) const { send_bytes(report.bytes()); }
};

/// A keyboard's report: modifiers, nothing, six keys. Preceded by a report id if it is not 0.
[[nodiscard]] std::vector<std::uint8_t> keyboard_descriptor(std::uint8_t report_id = 0);
/// A press in a keyboard's report: a modifier, or a key by its usage.
struct Key {
  std::uint8_t modifier = 0;
  std::uint8_t usage = 0;
};
void press(const UhidUnit& keyboard, Key key, int held_ms = 60);
/// The left half of the Tern encoder: up, down, left, right, south, east, west, north, the shoulders, start, coin.
inline constexpr std::array<Key, 12> tern_left{{{0, 0x4a},
                                                {0, 0x4d},
                                                {0, 0x4c},
                                                {0, 0x4e},
                                                {0, 0x19},
                                                {0x40, 0},
                                                {0, 0x05},
                                                {0x20, 0},
                                                {0, 0x11},
                                                {0, 0x10},
                                                {0, 0x42},
                                                {0, 0x40}}};
/// A position on the screen (0..32767 along each axis) and three buttons.
[[nodiscard]] std::vector<std::uint8_t> pointer_descriptor(std::uint8_t report_id);

/// A unit on a real USB socket of the dummy host (0..3), with an interface for each report descriptor.
class GadgetUnit {
 public:
  GadgetUnit(const std::string& id, const std::string& name, const std::string& serial, std::uint16_t product,
             const std::vector<std::vector<std::uint8_t>>& interfaces, std::size_t report_length);
  ~GadgetUnit();
  GadgetUnit(const GadgetUnit&) = delete;
  GadgetUnit& operator=(const GadgetUnit&) = delete;
  void plug_into(int socket);
  void pull_out();
  void send_bytes(std::size_t interface, const std::vector<std::uint8_t>& bytes) const;
  /// Unbinds its interfaces from their driver, and rebinds them in this order.
  void bind_again(const std::vector<int>& order) const;

 private:
  std::string name_;
  std::string folder_;
  std::vector<std::string> functions_;
  std::vector<int> files_;
  bool plugged_ = false;
};

/// A pad of one interface.
class GadgetPad : public GadgetUnit {
 public:
  GadgetPad(const std::string& id, const std::string& name, const std::string& serial = "")
      : GadgetUnit(id, name, serial, 3, {pad_descriptor()}, 7) {}
  void send(const PadReport& report) const { send_bytes(0, report.bytes()); }
};

/// A virtual device as another program would create it.
class UinputPad {
 public:
  /// `forces`: effect types of its motors (FF_RUMBLE and so on); none: it has no motors.
  explicit UinputPad(const std::string& name, int fuzz = 0, const std::vector<int>& forces = {});
  /// With exactly these keys.
  UinputPad(const std::string& name, std::initializer_list<int> keys);
  ~UinputPad();
  UinputPad(const UinputPad&) = delete;
  UinputPad& operator=(const UinputPad&) = delete;
  void send(std::uint16_t type, std::uint16_t code, std::int32_t value) const;
  void sync() const { send(EV_SYN, SYN_REPORT, 0); }
  [[nodiscard]] int descriptor() const noexcept { return file_; }
  void forget() noexcept { file_ = -1; }
  [[nodiscard]] const std::string& name() const noexcept { return name_; }

 private:
  std::string name_;
  int file_ = -1;
};

/// A pad with motors that records requested effects. A request blocks until `pump` is called.
class MotorPad : public UinputPad {
 public:
  MotorPad(const std::string& name, const std::vector<int>& forces) : UinputPad(name, 0, forces) {}
  struct Effect {
    int times = 0;  ///< as last played; 0: stopped, or not played yet
    ff_effect what{};
  };
  /// Answers pending requests.
  void pump();
  /// Pumps until `is_so` of the effects; false after 5 s.
  template <typename IsSo>
  bool pump_until(IsSo is_so) {
    for (int tries = 0; tries < 1000; ++tries) {
      pump();
      if (is_so(effects_)) return true;
      ::usleep(5000);
    }
    return false;
  }
  [[nodiscard]] const std::map<int, Effect>& effects() const noexcept { return effects_; }

 private:
  std::map<int, Effect> effects_;
};

/// The event nodes of all devices with this name, in order of their numbers.
[[nodiscard]] std::vector<std::string> nodes_named(const std::string& name);
/// Waits until `count` devices have this name and nothing has changed for 150 ms; false after 10 s.
bool wait_for_nodes(const std::string& name, std::size_t count);

/// The single node of the device with this name; fails the test if there is none.
[[nodiscard]] std::string node_of(const std::string& name);
/// True once the first virtual pad and the keeper are gone; waits up to 2 s.
[[nodiscard]] bool all_is_gone();

/// A program that reads an event node as games do.
class NodeReader {
 public:
  explicit NodeReader(const std::string& node);
  ~NodeReader();
  NodeReader(const NodeReader&) = delete;
  NodeReader& operator=(const NodeReader&) = delete;
  /// Reads all pending events; false once the device is gone.
  bool drain();
  /// Waits until a code has a value; false after `ms` or when the device is gone.
  bool wait_for(std::uint16_t type, std::uint16_t code, std::int32_t value, int ms = 5000);
  /// Waits until the device is gone; false after `ms`.
  bool wait_for_end(int ms = 10000);
  /// The last value seen of a code; 0 if none.
  [[nodiscard]] std::int32_t value(std::uint16_t type, std::uint16_t code) const;
  /// Codes that are not at rest (keys down, axes not 0) according to the events read.
  [[nodiscard]] int held() const;
  [[nodiscard]] const std::vector<input_event>& events() const noexcept { return events_; }
  void forget_events() { events_.clear(); }
  [[nodiscard]] int descriptor() const noexcept { return file_; }

 private:
  void note(const input_event& event);
  void ask_for_state();

  int file_ = -1;
  bool lost_ = false;  ///< events since the last report
  std::vector<input_event> events_;
  std::vector<input_event> state_;
};

/// A started program whose output is collected. It is killed when it goes out of scope.
class Program {
 public:
  explicit Program(const std::vector<std::string>& command);
  ~Program();
  Program(const Program&) = delete;
  Program& operator=(const Program&) = delete;
  /// Waits until its output contains `text` at least `times` times; false after `ms`, or if it ends first.
  bool wait_for(const std::string& text, int times = 1, int ms = 15000);
  void signal(int number) const;
  /// Waits for its end and returns its exit status, 128 + the signal if it was killed; -1 after `ms`.
  int wait_for_end(int ms = 15000);
  [[nodiscard]] pid_t process() const noexcept { return process_; }
  [[nodiscard]] const std::string& output();

 private:
  void collect();
  [[nodiscard]] bool has_ended();
  pid_t process_ = -1;  ///< -1: it has ended
  int status_ = -1;
  int pipe_ = -1;
  std::string output_;
};

void sleep_ms(int ms);
/// Presses and releases the button that claims a seat.
void tap(const UhidPad& pad);
void tap(const UinputPad& pad);
/// Taps until the program reacts: reports sent before it has opened the node are lost.
template <typename Pad>
bool tap_until(const Pad& pad, Program& program, const std::string& words) {
  for (int tries = 0; tries < 20; ++tries) {
    tap(pad);
    if (program.wait_for(words, 1, 500)) return true;
  }
  return false;
}

inline constexpr const char* port_1 = "Omnipar port 1 pad";
inline constexpr const char* port_2 = "Omnipar port 2 pad";

/// A session in progress: its pads are connected and have claimed their seats in order.
/// It is stopped when it goes out of scope, after which its virtual devices are gone.
class Playing : public Program {
 public:
  /// `words`: the arguments after `omnipar play`, or a whole command.
  template <typename... Pads>
  explicit Playing(const std::string& words, const Pads&... pads) : Playing(command(words), pads...) {}
  template <typename... Pads>
  explicit Playing(const std::vector<std::string>& command, const Pads&... pads)
      : Program((wait_for_units({pads.name()...}), command)) {
    expect("Player 1: press any button");
    [[maybe_unused]] int player = 0;
    (seat(++player, pads), ...);
  }
  ~Playing();
  Playing(const Playing&) = delete;
  Playing& operator=(const Playing&) = delete;
  /// Fails the test if this is not printed.
  void expect(const std::string& text, int times = 1);

 private:
  static std::vector<std::string> command(const std::string& words);
  static void wait_for_units(const std::vector<std::string>& names);
  template <typename Pad>
  void seat(int player, const Pad& pad) {
    const bool seated = tap_until(pad, *this, "Player " + std::to_string(player) + " plays");
    INFO(output());
    REQUIRE(seated);
  }
};

/// A command run by a user who is not root and has no local seat.
[[nodiscard]] std::vector<std::string> as_guest(const std::string& command);
[[nodiscard]] std::vector<std::string> run_by(bool root, const std::string& command);
/// The users who run a test's commands: an ordinary user; with full counts root, too.
[[nodiscard]] inline bool is_root() { return cases(0, 1) == 1 && GENERATE(false, true); }
/// During its lifetime event nodes and uinput are open to all users, raw nodes only to root; /tmp/guest is the guest's.
class OpenNodes {
 public:
  OpenNodes();
  ~OpenNodes();
  OpenNodes(const OpenNodes&) = delete;
  OpenNodes& operator=(const OpenNodes&) = delete;
};

}  // namespace omnipar::test
