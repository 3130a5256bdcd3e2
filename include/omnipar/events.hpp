// What a session tells: each event is one thing that has just happened. `unit` is what people call a unit: its name in
// the rig, or its own, fit for a terminal; it may change, and two units may share it. `id` is the unit itself, as
// `UnitHere::id` has it.
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

/// A unit plays from a seat, for the first time or again. Ports are those of the seat (`PortInfo::is_played_from`).
struct Seated {
  std::string seat;
  std::string unit;
  bool again = false;
  int id = 0;
};

/// What a unit has of its own, besides its players' parts, serves this seat, too.
struct Joined {
  std::string seat;
  std::string unit;
  int id = 0;
};

/// A unit has left, and what it held is released; its seat is kept for it.
struct Left {
  std::string seat;
  std::string unit;
  int id = 0;
};

/// A unit is still there, and plays from its seat no more: the seat is free, and what it held is released. Its next
/// press takes a seat again.
struct LeftSeat {
  std::string seat;
  std::string unit;
  int id = 0;
};

/// What is found in the socket of a part of a unit, or happens to it.
enum class Plug : std::uint8_t { none, put_in, taken_out };

/// A part's socket: that it is empty from the first, or what happens to the plug. What is taken out of somebody's seat
/// has left it, and what is put in again plays on. The seat is empty if it is nobody's yet.
struct SocketNews {
  std::string seat;
  std::string unit;
  Plug plug = Plug::none;
  int id = 0;
};

/// A unit that nobody has pressed yet.
struct Waiting {
  std::string unit;
  int id = 0;
};

/// The same of a unit whose seat of the rig is none of the plan's: it is a player like any other.
struct SeatedElsewhere {
  std::string unit;
  std::string seat;
  int id = 0;
};

/// A unit plays from a seat from which this other one plays, too.
struct Beside {
  std::string seat;
  std::string unit;
  std::string other;
  int id = 0;
  int other_id = 0;
};

/// Why a unit that may be somebody's is not known for sure.
struct Doubt {
  bool moved = false;   ///< it is not in the socket where it was
  bool others = false;  ///< others that look just like it are there or away, too
};

/// A unit may be that of this seat: its player should press a button.
struct Asked {
  std::string seat;
  std::string unit;
  Doubt doubt;
  int id = 0;  ///< of the unit that is here
};

/// What plays from the seat, all together, has nothing for these targets of its ports; told when a unit that the seat
/// gets changes that.
struct Lacks {
  std::string seat;
  std::string unit;
  std::vector<std::string> targets;
  int id = 0;
};

/// Controls of a unit that do nothing at its seat: their roles, or the names of their codes if they have none. Sent
/// once, when the unit takes a seat.
struct Idle {
  std::string seat;
  std::string unit;
  std::vector<std::string> controls;
  int id = 0;
};

/// A unit without a sheet is treated as a joystick, but its stick stays where it is put, as a gun's aim does. `seat` is
/// empty if the unit has none yet.
struct LooksLikeGun {
  std::string seat;
  std::string unit;
  int id = 0;
};

/// A press on a unit that has nothing of what the plan uses.
struct NoUse {
  std::string unit;
  int id = 0;
};

/// A press found no free seat.
struct NoSeat {
  std::string unit;
  int id = 0;
};

/// A unit cannot be played on, or ports cannot be swapped; play goes on without it.
struct Refused {
  Diagnostic why;
};

/// From now on only hotkeys are heard, or everything again. Units that were grabbed work for other programs while
/// frozen.
struct Froze {
  bool frozen = true;
};

/// Ports have changed places; from the next sample on this is played.
struct Swapped {
  Plan plan;
  std::vector<int> ports;  ///< that somebody plays, and from another seat than before
};

/// A hotkey has fired. The session itself does the actions `freeze`, `swap-ports` and `leave-seat` next; of `exit` and
/// all others this is the only sign: whoever has opened the session sees to them.
struct HotkeyFired {
  std::string action;
};

/// Another program has grabbed this node of the unit: nothing from it arrives here meanwhile.
struct GrabbedElsewhere {
  std::string unit;
  std::string node;    ///< "/dev/input/event7"
  std::string opener;  ///< that program, "name (process 12)", or several; empty if it cannot be seen
  int process = 0;     ///< the process, if there is just one
};

/// The other program has released the node, and its input arrives here again.
struct GrabEnded {
  std::string unit;
  std::string node;
};

/// Another session of ours plays on this unit, which is left to it: nothing from it arrives here.
struct LeftToAnother {
  std::string unit;
  std::string opener;  ///< that program, "name (process 12)"; empty if it cannot be seen
};

/// A unit is grabbed although these controls stay down, because they may be stuck. `told`: other programs see them
/// released, and they count from their next press.
struct GrabbedWhileDown {
  std::string unit;
  std::vector<std::string> controls;
  bool told = false;
};

/// How a unit is read, or why it is not, in a sentence for people.
struct Remark {
  std::string words;
};

/// This user may not read some units; told once.
struct NoPermission {};

/// The kernel has dropped events because too many came at once. The true state has been read again: nothing sticks,
/// but presses that were over by then were not seen. Told once; `SessionStats::losses` counts on.
struct LostEvents {};

/// Units are given back when nothing on them is down, and something still is.
struct AwaitsRelease {};

/// Nodes were opened or closed, or others are played on: `Session::nodes` has another list.
struct NodesChanged {};

/// One of the signals that the session was asked to watch. `from_terminal`: a Ctrl-C there, which has gone to started
/// programs as well.
struct SignalCaught {
  int number = 0;
  bool from_terminal = false;
};

/// In a room: a made-up unit was asked to shake (0..1, for so long; 0: until the next one; both motors 0: to stop), or
/// to show these of its player LEDs, a bit each. Made-up units have four.
struct Felt {
  std::string unit;
  double strong = 0;
  double weak = 0;
  Duration how_long{0};
  int id = 0;
};
struct Lit {
  std::string unit;
  std::uint32_t which = 0;
  int id = 0;
};

using SessionEvent = std::variant<Seated, Joined, Left, LeftSeat, SocketNews, Waiting, SeatedElsewhere, Beside, Asked,
                                  Lacks, Idle, LooksLikeGun, NoUse, NoSeat, Refused, Froze, Swapped, HotkeyFired,
                                  GrabbedElsewhere, GrabEnded, LeftToAnother, GrabbedWhileDown, Remark, NoPermission,
                                  LostEvents, AwaitsRelease, NodesChanged, SignalCaught, Felt, Lit>;

/// Takes events as they happen, on the thread that calls the session.
using EventHandler = std::function<void(const SessionEvent&)>;

}  // namespace omnipar::inline abi_0
