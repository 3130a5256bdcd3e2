// A session on Linux: connected units, their seats, and the engine that translates their input. This is what an
// emulator opens.
//
//   auto session = omnipar::Session::open({.profile = *profile});
//   omnipar::Reader game{session->engine()};
//   for (…each frame…) {
//     session->run_until(end_of_frame);        // or: poll session->descriptor(), then session->process()
//     game.next_frame();
//     while (auto event = session->next_event()) …
//   }
#pragma once

#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/catalogue.hpp"
#include "omnipar/description.hpp"
#include "omnipar/diagnostic.hpp"
#include "omnipar/engine.hpp"
#include "omnipar/events.hpp"
#include "omnipar/profile.hpp"
#include "omnipar/rig.hpp"
#include "omnipar/trace.hpp"
#include "omnipar/unit_here.hpp"

#include <tl/expected.hpp>

namespace omnipar::inline abi_0 {

/// The options of a session. Only `profile` is required.
struct SessionOptions {
  /// The profile to play. The built-in exit combinations are added to its hotkeys.
  Profile profile;
  /// The machine of the profile, and the sheets that identify units.
  Catalogue catalogue = built_in_catalogue();
  /// The units that are assigned to a seat automatically.
  Rig rig{};
  /// Creates a virtual device for each port, so that other programs receive its input. Requires /dev/uinput. A small
  /// helper process also holds the devices and releases all buttons if this process is killed.
  bool virtual_devices = false;
  /// Grabs units in use, so that no other program receives their input. Another session that wants the same units
  /// leaves them alone. Always on with `virtual_devices`.
  bool grab = false;
  /// Also grabs units that nobody plays on, each as soon as all its buttons are released. For mapping screens, where
  /// presses must not reach other programs.
  bool grab_idle = false;
  /// Includes virtual controllers made by other programs.
  bool with_virtual = false;
  /// Returns true for units to open. Default: every unit that can be played on.
  std::function<bool(const Description&)> accepts{};
  /// Learns the ranges of uncalibrated sticks and triggers during play: at first a full push is 0.7 of the declared
  /// range, later the largest value reached.
  bool ranges_by_use = false;
  /// Rumble strength, 0 to 1. Values outside and NaN are clamped.
  double rumble = 1;
  /// Signals to deliver as `SignalCaught` events instead of their default action, until the session is destroyed. Each
  /// signal can belong to only one session.
  std::vector<int> signals{};
  /// Measures latency (see `SessionStats`). Costs one clock reading for each batch with output.
  bool measures = false;
  /// Called for each event, also while the session is destroyed. Everything it captures must outlive the session. It
  /// may call const members only and must not throw. Without it, events are queued for `next_event`.
  EventHandler on_event{};
  /// Called for each report of each node, seated or not, before it is played; `node` is a number from
  /// `Session::unit_details`. Called from `process` and while the session ends. Must not throw.
  std::function<void(int node, const Report& report)> on_report{};
  /// Called for each node that the session opens, and with a null `description` for each that goes away. Must not
  /// throw. Not called in a room.
  std::function<void(int node, const Description* description, Time now)> on_node{};
};

/// Returns the next line of a trace, without its line end, or nothing at the end. A diagnostic ends the room.
using Lines = std::function<tl::expected<std::optional<std::string>, Diagnostic>()>;
/// Returns the lines of `text`.
[[nodiscard]] Lines lines_of(std::string text);

/// A trace or a simulated room, used instead of the connected units.
struct Room {
  /// Its name in messages.
  std::string name;
  Lines lines;
  /// Called before each event of a simulated unit. Raw reports are passed as the changes they cause.
  std::function<void(const TraceEvent& event, const Description& unit)> on_trace_event{};
};

/// An input node that the session has open.
struct NodeHere {
  std::string path;     ///< for example "/dev/input/event7"
  std::string syspath;  ///< its folder in /sys
  bool plays = false;   ///< it is in use
  bool is_controller = false;
};

/// A virtual device of the session.
struct VirtualDeviceHere {
  int port = 0;                  ///< 0: the device for desktop keys of grabbed units
  std::string name;              ///< for example "Omnipar port 1 pad"
  std::string node;              ///< for example "/dev/input/event9"; empty if unknown
  bool announced = false;        ///< udev has announced it to all programs
  bool says_off_screen = false;  ///< a pointer that reports off-screen; see `Profile::off_screen`
};

/// Counters since the session was opened.
struct SessionStats {
  std::uint64_t reports = 0;   ///< reports received
  std::uint64_t wake_ups = 0;  ///< calls of `process`
  std::uint64_t losses = 0;    ///< times that the kernel lost events
  std::uint64_t refused = 0;   ///< reports that a virtual device did not accept immediately
  /// With `SessionOptions::measures`: the number of reports that caused output, and their latency from the kernel's
  /// timestamp until the output was written: median, 90th and 99th percentile, and maximum.
  std::uint64_t measured = 0;
  Duration half{0}, nine_tenths{0}, nearly_all{0}, all{0};
};

/// A running session. Units can be connected and disconnected in any order; every player keeps their seat.
///
/// Threads: a session, and the readers of its engine, must be used from one thread. Different sessions share no state
/// and can be used from different threads.
///
/// The session never writes to a terminal, and changes only the signals in `SessionOptions::signals`. Processing a
/// report does not allocate. Connecting, disconnecting and swapping may allocate and wait for the kernel.
class Session {
 public:
  /// Opens a session. Units are found by the first call of `process`. Units without read permission are skipped and
  /// reported with `NoPermission`.
  ///
  /// Fails with the errors of `compile`, and with `no-udev`, `no-signals` or `cannot-wait`; with virtual devices also
  /// with `no-uinput`, `uinput-refused` or `no-keeper`. After a failure nothing remains open.
  [[nodiscard]] static tl::expected<Session, Diagnostics> open(SessionOptions options);
  /// Opens a session with the simulated units of `room`, for tests. No device is required. Time starts at 0 and
  /// advances only in `wait` and `run_until`, or as described for `descriptor`. Options about other programs and
  /// signals have no effect. Also fails with `no-lines` if `room.lines` is empty.
  [[nodiscard]] static tl::expected<Session, Diagnostics> open_room(SessionOptions options, Room room);
  /// Calls `close`.
  ~Session();
  Session(Session&&) noexcept;
  Session& operator=(Session&&) noexcept;

  /// Returns a file descriptor that is readable while `process` has work to do, for use with poll. It stays the same
  /// until the session is closed; -1 if it cannot be created. After the first call, `process` makes one more system
  /// call whenever the next deadline changes. `wait` does not need it.
  ///
  /// In a room, the descriptor is always readable, and each `process` without a preceding `wait` advances time to the
  /// next event, by at most 1 ms.
  [[nodiscard]] int descriptor();
  /// Waits until `process` has work to do, or until `until` (`latest_time`: without limit). Returns false if `until`
  /// was reached without work. In a room, time advances without waiting.
  bool wait(Time until);
  /// Processes everything that is pending, without waiting: reports, connected and disconnected units, and rumble
  /// requests of games. Advances time to `now`, updates the virtual devices and emits events.
  void process();
  /// Calls `wait` and `process` until `until` has passed. Returns false if the session ended or failed first.
  bool run_until(Time until);
  /// Returns when `process` has work to do even without new input.
  [[nodiscard]] std::optional<Time> next_due() const;
  /// Returns the session's clock: the kernel's monotonic clock, or the room's time.
  [[nodiscard]] Time now() const;

  /// Returns the engine, for creating readers. It changes only in `process` and the members below.
  [[nodiscard]] const Engine& engine() const noexcept;
  [[nodiscard]] const Plan& plan() const noexcept;
  /// Returns the current profile, including swapped ports.
  [[nodiscard]] const Profile& profile() const noexcept;
  /// Returns the rig with all units that were assigned a seat and their current sockets: save it for the next session.
  /// Units that only replace a disconnected unit are not included.
  [[nodiscard]] const Rig& rig() const noexcept;
  /// With `SessionOptions::ranges_by_use`: returns the ranges that units reached on every side, including units that
  /// have been disconnected.
  [[nodiscard]] std::vector<Calibration> ranges_by_use() const;
  [[nodiscard]] std::vector<UnitHere> units() const;
  /// Returns the same units as `units`, in the same order, with all details. Allocates; call it when `units` has
  /// changed.
  [[nodiscard]] std::vector<UnitDetails> unit_details() const;
  /// Returns the seats that nobody has taken yet, in order.
  [[nodiscard]] std::vector<std::string> free_seats() const;
  /// Returns true if a unit is assigned to `seat`.
  [[nodiscard]] bool is_played(const std::string& seat) const;

  /// Returns the oldest queued event, or nothing. Always nothing with `SessionOptions::on_event`. At most 1,024 events
  /// are queued; older ones are dropped.
  [[nodiscard]] std::optional<SessionEvent> next_event();

  /// Freezes the session: only hotkeys work. Has no effect if it is already frozen, or after `end`.
  void freeze();
  /// Ends `freeze`. Has no effect if the session is not frozen, or after `end`.
  void thaw();
  /// Swaps the first two ports. If they cannot be swapped, they are unchanged and a `Refused` event states the reason.
  void swap_ports();
  /// Assigns a unit to a seat, also for when it is reconnected. `unit` is a `UnitHere::id`. Its held controls are
  /// released and count from their next press. Fails with `unknown-unit` or `unknown-seat`.
  [[nodiscard]] std::optional<Diagnostic> reseat(int unit, const std::string& seat);
  /// Removes a unit from its seat. Its held controls are released, and its next press claims a free seat. Has no effect
  /// on a unit without a seat. Fails with `unknown-unit`. The hotkey `leave-seat` does the same for the unit it is
  /// pressed on.
  [[nodiscard]] std::optional<Diagnostic> leave_seat(int unit);
  /// A new player gets the first free seat in this list, even if the seat belongs to somebody else.
  void await(std::vector<std::string> seats);

  /// Rumbles all units of a port. `strong` and `weak` are the heavy and the light motor, 0 to 1. `how_long` is at most
  /// 32 s; 0 lasts until the next call. To stop, pass 0 for both motors or a negative duration. Units that are
  /// reconnected continue to rumble.
  void rumble(int port, double strong, double weak, Duration how_long = Duration{0});
  /// Rumbles with `times` short pulses, to signal a change.
  void pulse(int port, int times);
  /// Lights the player LEDs in `which`, one bit each, on all units of a port, including units connected later.
  void light(int port, std::uint32_t which);
  /// Lights the LED with the port's number, or all LEDs if a unit has fewer.
  void light_number(int port);

  /// Save states of the engine and all its readers; see `Engine::save_size`, `Engine::save` and `Engine::restore`.
  /// After `restore`, virtual devices are updated by the next `process`. Hotkeys are not affected. For run-ahead,
  /// rewind and rollback.
  [[nodiscard]] std::size_t save_size() const noexcept;
  bool save(std::span<std::byte> into) const noexcept;
  bool restore(std::span<const std::byte> saved);

  /// With `SessionOptions::grab_idle`: restricts the grab of idle units to these nodes (numbers from `unit_details`)
  /// and releases all others. Has no effect in a room.
  void grab_only(const std::vector<int>& nodes);

  /// Adds a file descriptor to `wait`, which then also returns when `other` is readable. It is removed when it is
  /// closed. Returns false if it cannot be polled, and always in a room.
  bool also_wait_for(int other);
  /// Returns true if `other` was readable in the last `wait`.
  [[nodiscard]] bool is_ready(int other) const noexcept;

  /// Returns true while a unit is not grabbed yet because a button on it is held.
  [[nodiscard]] bool waits_for_release() const;
  [[nodiscard]] std::vector<NodeHere> nodes() const;
  [[nodiscard]] std::vector<VirtualDeviceHere> virtual_devices() const;
  /// Returns the process id of the helper that holds the virtual devices, or -1 without virtual devices. It is a child
  /// process: a program that waits for any child must ignore it.
  [[nodiscard]] int helper() const noexcept;
  [[nodiscard]] SessionStats stats() const;

  /// Returns why the session cannot continue, or nothing. In a room: an error in its trace.
  [[nodiscard]] const std::optional<Diagnostic>& failure() const noexcept;
  /// Returns true after `end`, and in a room after its last event.
  [[nodiscard]] bool over() const noexcept;
  /// Returns all targets to rest, shows that, and ends the session. `process` still answers rumble requests of games.
  /// Takes as long as the shortest press, at most one second.
  void end();
  /// Calls `end`, removes the virtual devices and releases the units. If a button on a grabbed unit is held, waits for
  /// its release, for at most 5 s or until a second signal. Closes all descriptors and ends the helper. The engine and
  /// the information about units remain available.
  void close();

  class Impl;

 private:
  friend class Impl;
  explicit Session(std::unique_ptr<Impl> impl) noexcept;
  std::unique_ptr<Impl> impl_;
};

}  // namespace omnipar::inline abi_0
