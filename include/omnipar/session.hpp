// A session on Linux: what is plugged in, whose seat is which, and the engine that they play on. What an emulator
// opens.
//
//   auto session = omnipar::Session::open({.profile = *profile});
//   omnipar::Reader game{session->engine()};
//   for (…each frame…) {
//     session->run_until(end_of_frame);        // or: poll session->descriptor(), then session->take()
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

struct SessionOptions {
  Profile profile;  ///< that is played; the built-in exit combinations are added to its hotkeys
  Catalogue catalogue = built_in_catalogue();  ///< its machine, and the sheets by which units are known
  Rig rig{};                                   ///< units in it are seated by themselves
  /// Other programs get what the ports see by virtual devices, which need /dev/uinput. A small process of ours holds
  /// them, too, and releases everything if this one is killed.
  bool virtual_devices = false;
  /// Nobody else hears units that are played on, and another session that wants the same leaves what is open here
  /// alone. With virtual devices always so.
  bool grab = false;
  /// The same from the beginning of units that nobody plays on, each as soon as nothing on it is down: for a mapping
  /// screen, where nothing that is pressed may reach anybody else.
  bool grab_idle = false;
  bool with_virtual = false;  ///< take units that other programs made, too
  /// Which units to hear; those that it refuses are left to others. Without it: all that somebody can play on.
  std::function<bool(const Description&)> takes{};
  /// Sticks, triggers and the like that nobody has measured find their ranges by use: a full push is 0.7 of what the
  /// unit declares at first, and what was reached later.
  bool ranges_by_use = false;
  double rumble = 1;  ///< how strongly units shake, 0..1; what is beyond that, or no number, counts as the nearest
  /// These come as events and do nothing else, until the session is destroyed; a signal belongs to one session alone.
  /// Empty: none is touched.
  std::vector<int> signals{};
  bool measures = false;  ///< how long reports take; costs one more look at the clock whenever something came out
  /// Is told of events as they happen, also while the session is destroyed, which closes it: so long what it uses has
  /// to live. It may ask the session, not change it, and throws nothing. Without it they wait for `next_event`.
  EventHandler told{};
  /// Is told what nodes say, seated or not, before it is played; by their numbers in `Session::unit_details`. Told in
  /// `take`, and while the session ends; throws nothing.
  std::function<void(int node, const Report& report)> heard{};
  /// Called likewise for each node that the session has opened, and, with a null `description`, for each that has
  /// gone. Not called in a room.
  std::function<void(int node, const Description* description, Time now)> meets{};
};

/// The lines of a trace, one at each call, without their ends; nothing at the end. A diagnostic ends the room.
using Lines = std::function<tl::expected<std::optional<std::string>, Diagnostic>()>;
[[nodiscard]] Lines lines_of(std::string text);

/// A trace or room in the place of the units that are there.
struct Room {
  std::string name;  ///< what messages call it
  Lines lines;
  /// Is told of each thing that is about to happen to a made-up unit. Raw reports come as the changes that they make.
  std::function<void(const TraceEvent& event, const Description& unit)> acts{};
};

/// A node of the host that the session has open.
struct NodeHere {
  std::string path;     ///< "/dev/input/event7"
  std::string syspath;  ///< its place in /sys
  bool plays = false;   ///< somebody plays on it
  bool is_controller = false;
};

struct VirtualDeviceHere {
  int port = 0;                  ///< 0: desktop keys of units that are held
  std::string name;              ///< "Omnipar port 1 pad"
  std::string node;              ///< "/dev/input/event9"; empty if unknown
  bool announced = false;        ///< the system has told everybody of it
  bool says_off_screen = false;  ///< a pointer that tells when it is off the picture: see `Profile::off_screen`
};

struct SessionStats {
  std::uint64_t reports = 0;   ///< that came in
  std::uint64_t wake_ups = 0;  ///< times that `take` was called
  std::uint64_t losses = 0;    ///< times that the kernel lost events
  std::uint64_t refused = 0;   ///< reports that a virtual device would not take at once
  /// With `SessionOptions::measures`: of the reports that changed something outside, the time from the kernel's stamp
  /// until that was written, within which were a half, nine tenths, 99 hundredths and all of them.
  std::uint64_t measured = 0;
  Duration half{0}, nine_tenths{0}, nearly_all{0}, all{0};
};

/// Belongs to one thread: every call, and the readers of its engine. Two sessions share nothing but the units, and
/// may be used from two threads. Nothing here writes to a terminal, throws on purpose or touches a signal that was not
/// asked for. Each player keeps their seat through whatever is plugged in and out, in whatever order. Costs: a report
/// costs what its own bindings cost; what comes and goes, and swapping, may allocate and wait for the kernel.
class Session {
 public:
  /// Begins to hear what is plugged in; the first `take` meets it. Fails with what `compile` finds, with `no-udev`,
  /// `no-signals` or `cannot-wait`, and with virtual devices with `no-uinput`, `uinput-refused` or `no-keeper`; then
  /// nothing is left behind. Without permission for some units it goes on without them (`NoPermission`).
  [[nodiscard]] static tl::expected<Session, Diagnostics> open(SessionOptions options);
  /// The same with made-up units, for tests: no device is needed, and time is the room's own, which begins at 0 and
  /// goes on only in `wait` and `run_until`, or as `descriptor` says. Of the options, those about other programs and
  /// signals have no effect. Also fails with `no-lines` if the room has none.
  [[nodiscard]] static tl::expected<Session, Diagnostics> open_room(SessionOptions options, Room room);
  /// Ends and closes.
  ~Session();
  Session(Session&&) noexcept;
  Session& operator=(Session&&) noexcept;

  /// Readable when `take` has something to do: to be polled beside what else a program waits for. It stays the same
  /// until the session is closed; -1 after a failure to make it. Costs `take` one call of the system more whenever the
  /// next deadline changes; `wait` does not need it. In a room it is always readable, and once it has been
  /// asked for, each `take` that no `wait` precedes advances time to the next thing that happens, by at most 1 ms.
  [[nodiscard]] int descriptor();
  /// Waits until `take` has something to do, or until that time (`latest_time`: as long as it takes). In a room nobody
  /// waits: time goes on to the next thing that happens, or to `until`. False at `until`, with nothing to do.
  bool wait(Time until);
  /// Takes what has come, without waiting: reports, units that come and go, what games ask of motors; lets time pass to
  /// `now`, and writes what virtual devices have to show. Events are told.
  void take();
  /// `wait` and `take` in turn until that time is over. False if the session has ended or failed before.
  bool run_until(Time until);
  /// When `take` has something to do although nothing comes.
  [[nodiscard]] std::optional<Time> next_due() const;
  /// The session's clock: the kernel's monotonic one, or the room's.
  [[nodiscard]] Time now() const;

  /// Readers are made on it. It moves on in `take` alone.
  [[nodiscard]] const Engine& engine() const noexcept;
  [[nodiscard]] const Plan& plan() const noexcept;
  /// The profile as it is played now: swapped, if ports were.
  [[nodiscard]] const Profile& profile() const noexcept;
  /// The household's units, with those that have been seated for the first time, and the sockets they are in now: what
  /// to keep for the next evening. Who only stands in for somebody who is away is not among them.
  [[nodiscard]] const Rig& rig() const noexcept;
  /// With `SessionOptions::ranges_by_use`: what units have reached on all sides, also those that have left.
  [[nodiscard]] std::vector<Calibration> ranges_by_use() const;
  [[nodiscard]] std::vector<UnitHere> units() const;
  /// The same units with all that is known of them, in the same order. Allocates: for when `units` has changed.
  [[nodiscard]] std::vector<UnitDetails> unit_details() const;
  /// Seats that nobody has taken yet, in order; and whether somebody plays from one.
  [[nodiscard]] std::vector<std::string> free_seats() const;
  [[nodiscard]] bool is_played(const std::string& seat) const;

  /// The oldest event that has not been taken, or nothing; always nothing with `SessionOptions::told`. If nobody takes
  /// them, the 1,024 last are kept.
  [[nodiscard]] std::optional<SessionEvent> next_event();

  /// Only hotkeys are heard, or everything again; of no effect on what is so already, and after `end`.
  void freeze();
  void thaw();
  /// The first two ports change places. If that cannot be (`Refused` says why), they stay.
  void swap_ports();
  /// The unit (`UnitHere::id`) plays from this seat from now on, also after it was gone. What it held is released, and
  /// counts from its next press. Fails with `unknown-unit` if it is not there, and with `unknown-seat`.
  [[nodiscard]] std::optional<Diagnostic> reseat(int unit, const std::string& seat);
  /// The unit leaves its seat, which is free then: what it held is released, and its next press takes a seat as that of
  /// a unit that is new. Of no effect on one that has none. Fails with `unknown-unit`. The hotkey `leave-seat` does the
  /// same with the units whose buttons are held for it.
  [[nodiscard]] std::optional<Diagnostic> leave_seat(int unit);
  /// Who is new takes the first of these seats from which nobody plays, though it is somebody else's.
  void await(std::vector<std::string> seats);

  /// Shakes all units that play at the port, each as well as it can: the heavy motor and the light one, 0..1, for so
  /// long (0: until the next call; at most 32 s). Both 0, or a time below 0: stops. It goes with the port's players: a
  /// unit that comes back shakes on.
  void rumble(int port, double strong, double weak, Duration how_long = Duration{0});
  /// A few short pulses, to say that something has changed.
  void pulse(int port, int times);
  /// The player LEDs of all units that play at the port, now and when they come back: these, a bit each; or the one of
  /// the port's number, and all of them where there are not so many.
  void light(int port, std::uint32_t which);
  void light_number(int port);

  /// As `Engine::save_size`, `save` and `restore` of its engine, with all its readers; virtual devices show what comes
  /// of it with the next `take`. Hotkeys count as before. For whoever runs ahead, rewinds or rolls back.
  [[nodiscard]] std::size_t save_size() const noexcept;
  bool save(std::span<std::byte> into) const noexcept;
  bool restore(std::span<const std::byte> saved);

  /// With `SessionOptions::grab_idle`: from now on only these nodes, by their numbers in `unit_details`; what else is
  /// not played on is everybody's again. Of no effect in a room.
  void grab_only(const std::vector<int>& nodes);

  /// Waits for this descriptor, too: `wait` returns when it is readable, and `is_ready` says so until the next wait. It
  /// is forgotten when it is closed. False if it cannot be waited for; always so in a room.
  bool also_wait_for(int other);
  [[nodiscard]] bool is_ready(int other) const noexcept;

  /// True while something is down on a unit that is to be grabbed, and is not for that reason.
  [[nodiscard]] bool waits_for_release() const;
  [[nodiscard]] std::vector<NodeHere> nodes() const;
  [[nodiscard]] std::vector<VirtualDeviceHere> virtual_devices() const;
  /// The process that holds the virtual devices; -1 without them. It is a child of this one: who waits for any child
  /// lets it be.
  [[nodiscard]] int helper() const noexcept;
  [[nodiscard]] SessionStats stats() const;

  /// Why nothing more can come, or nothing while all is well. In a room: what is wrong with its trace.
  [[nodiscard]] const std::optional<Diagnostic>& failure() const noexcept;
  /// True after `end`, and in a room when nothing more happens in it.
  [[nodiscard]] bool over() const noexcept;
  /// Everything goes to rest, is shown so, and stays so; games that still ask of their motors are answered by `take`.
  /// Takes as long as the shortest press, at most a second.
  void end();
  /// Ends, removes the virtual devices and gives the units back: at once, or, if something on a grabbed one is down,
  /// when it is released, after 5 s at the most, or at a second signal. No descriptor and no process stays. The engine
  /// and what was found out about units stay readable.
  void close();

  class Inside;

 private:
  friend class Inside;
  explicit Session(std::unique_ptr<Inside> inside) noexcept;
  std::unique_ptr<Inside> inside_;
};

}  // namespace omnipar::inline abi_0
