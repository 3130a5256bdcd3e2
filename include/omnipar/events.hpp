// The events of a session. In each, `unit` is the unit's name in the rig, or the name it reports, with control
// characters removed; it can change, and two units can share it. `id` identifies the unit; see `UnitHere::id`.
#pragma once

#include <cstdint>
#include <functional>
#include <string>
#include <variant>
#include <vector>

#include "omnipar/diagnostic.hpp"
#include "omnipar/plan.hpp"
#include "omnipar/time.hpp"

namespace omnipar::inline abi_0 {

/// A unit was assigned to a seat, for the first time or again.
struct Seated {
  std::string seat;
  std::string unit;
  bool again = false;  ///< it had this seat before and was reconnected
  int id = 0;
};

/// The unit's own controls, outside of its parts, now also play at this seat.
struct Joined {
  std::string seat;
  std::string unit;
  int id = 0;
};

/// A unit was disconnected. Its held controls are released, and its seat is reserved.
struct Left {
  std::string seat;
  std::string unit;
  int id = 0;
};

/// A unit is still connected but has left its seat. Its held controls are released, and the seat is free. Its next
/// press claims a free seat.
struct LeftSeat {
  std::string seat;
  std::string unit;
  int id = 0;
};

/// The state of a socket, or what happened to it.
enum class Plug : std::uint8_t { none, put_in, taken_out };

/// A socket of a unit is empty, or something was plugged in or unplugged. Unplugging ends play at the seat; plugging in
/// again resumes it. `seat` is empty if the part has none yet.
struct SocketChanged {
  std::string seat;
  std::string unit;
  Plug plug = Plug::none;
  int id = 0;
};

/// A unit is connected but has not been pressed yet.
struct Waiting {
  std::string unit;
  int id = 0;
};

/// As `Waiting`, for a unit whose seat in the rig is not part of the plan. It is treated like a new unit.
struct SeatedElsewhere {
  std::string unit;
  std::string seat;
  int id = 0;
};

/// A second unit now plays at the same seat as `other`.
struct Beside {
  std::string seat;
  std::string unit;
  std::string other;
  int id = 0;
  int other_id = 0;
};

/// Why a unit cannot be identified with certainty.
struct Doubt {
  bool moved = false;   ///< it is in another socket
  bool others = false;  ///< there are others of the same model, connected or not
};

/// A unit may belong to this seat. Its player should press a button on it.
struct Asked {
  std::string seat;
  std::string unit;
  Doubt doubt;
  int id = 0;  ///< the connected unit
};

/// The units of a seat together have no control for these targets. Emitted when a new unit at the seat changes the
/// list.
struct Lacks {
  std::string seat;
  std::string unit;
  std::vector<std::string> targets;
  int id = 0;
};

/// Controls of a unit that do nothing at its seat, by role, or by code for controls without a role. Emitted once, when
/// the unit is seated.
struct Idle {
  std::string seat;
  std::string unit;
  std::vector<std::string> controls;
  int id = 0;
};

/// A unit without a sheet is treated as a joystick, but its stick stays in place like the aim of a gun. `seat` is empty
/// if the unit has none yet.
struct LooksLikeGun {
  std::string seat;
  std::string unit;
  int id = 0;
};

/// A unit was pressed that has no control for this plan.
struct NoUse {
  std::string unit;
  int id = 0;
};

/// A unit was pressed, but all seats are taken.
struct NoSeat {
  std::string unit;
  int id = 0;
};

/// A unit cannot be used, or ports cannot be swapped. The session continues.
struct Refused {
  Diagnostic why;
};

/// The session was frozen (only hotkeys work) or resumed. While it is frozen, grabbed units work for other programs.
struct Froze {
  bool frozen = true;
};

/// Ports were swapped. The new plan applies from the next sample.
struct Swapped {
  Plan plan;
  std::vector<int> ports;  ///< ports in use that are now played from another seat
};

/// A hotkey was pressed. The session handles the actions `freeze`, `swap-ports` and `leave-seat` itself. The program
/// must handle `exit` and all others.
struct HotkeyFired {
  std::string action;
};

/// Another program has grabbed a node of the unit. No input from the node arrives until `GrabEnded`.
struct GrabbedElsewhere {
  std::string unit;
  std::string node;    ///< for example "/dev/input/event7"
  std::string opener;  ///< the program, "name (process 12)", or several; empty if unknown
  int process = 0;     ///< the process id, if there is only one
};

/// The other program has released the node, and its input arrives again.
struct GrabEnded {
  std::string unit;
  std::string node;
};

/// Another Omnipar session uses this unit, so it is not opened.
struct LeftToAnother {
  std::string unit;
  std::string opener;  ///< the program, "name (process 12)"; empty if unknown
};

/// A unit was grabbed while these controls were held, because they may be stuck. With `released`, other programs
/// received a release, and the controls count from their next press.
struct GrabbedWhileDown {
  std::string unit;
  std::vector<std::string> controls;
  bool released = false;
};

/// A message about how a unit is read, or why it cannot be.
struct Remark {
  std::string words;
};

/// The user has no permission to read some units. Emitted once.
struct NoPermission {};

/// The kernel dropped events because too many arrived at once. The current state was read again, so no button sticks,
/// but presses that were already over are lost. Emitted once; `SessionStats::losses` counts all losses.
struct LostEvents {};

/// The session waits for held buttons to be released before it gives units back.
struct AwaitsRelease {};

/// `Session::nodes` has changed.
struct NodesChanged {};

/// A signal from `SessionOptions::signals` arrived. `from_terminal`: a Ctrl-C, which child processes received as well.
struct SignalCaught {
  int number = 0;
  bool from_terminal = false;
};

/// In a room: a simulated unit was asked to rumble. Both motors are 0 to 1; 0 for both stops. `how_long` 0 lasts until
/// the next request.
struct Felt {
  std::string unit;
  double strong = 0;
  double weak = 0;
  Duration how_long{0};
  int id = 0;
};
/// In a room: a simulated unit was asked to light these of its four player LEDs, one bit each.
struct Lit {
  std::string unit;
  std::uint32_t which = 0;
  int id = 0;
};

using SessionEvent = std::variant<Seated, Joined, Left, LeftSeat, SocketChanged, Waiting, SeatedElsewhere, Beside,
                                  Asked, Lacks, Idle, LooksLikeGun, NoUse, NoSeat, Refused, Froze, Swapped, HotkeyFired,
                                  GrabbedElsewhere, GrabEnded, LeftToAnother, GrabbedWhileDown, Remark, NoPermission,
                                  LostEvents, AwaitsRelease, NodesChanged, SignalCaught, Felt, Lit>;

/// Receives events as they happen, on the thread that calls the session.
using EventHandler = std::function<void(const SessionEvent&)>;

}  // namespace omnipar::inline abi_0
