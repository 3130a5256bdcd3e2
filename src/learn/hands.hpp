// Gestures on the connected units, between two moments of rest: which controls moved, and how far. Buttons pressed and
// axes away from rest at the start are ignored until they have been at rest.
#pragma once

#include <algorithm>
#include <array>
#include <cstdint>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "attach/health_watch.hpp"
#include "omnipar/attachment.hpp"
#include "learn/wire.hpp"
#include "omnipar/time.hpp"

namespace omnipar::inline abi_0::learn {

/// A button that was pressed, or one side of an axis that was pushed.
struct Push {
  int node = 0;
  std::string unit;
  bool ours = false;
  std::string role;  ///< its name in bindings: "south", "left-stick-up"
  Code code;
  ControlType type = ControlType::button;
  bool is_raw = false;  ///< of a control without a role
  bool is_hat = false;
  int side = 1;
  double peak = 0;    ///< the furthest since the last rest
  bool down = false;  ///< still
  Time since{};       ///< its last press
  Time began{};       ///< its first press since `begin`
  Time until{};       ///< its last release
  double rests = 0;   ///< for a raw axis: its position from -1 to 1
};

/// A whole control that was swept or moved: 1 is the full range, or for counts a deliberate movement.
struct Sweep {
  int node = 0;
  std::string unit;
  std::string role;  ///< "left-stick", "gun", "spinner"
  RoleKind kind = RoleKind::stick;
  Code code;
  std::array<double, 2> far{};   ///< by axis
  std::array<double, 2> span{};  ///< by axis: the distance between its extremes, as a fraction of the range
  std::array<int, 2> side{};     ///< the side to which it went; for a stick only if it went there first and straight
  std::array<int, 2> end{};      ///< its current side within its span
  bool both_ways = false;        ///< it went to both sides equally
  double rests = 0;
  [[nodiscard]] double farthest() const noexcept { return far[0] > far[1] ? far[0] : far[1]; }
  [[nodiscard]] double least() const noexcept { return far[0] < far[1] ? far[0] : far[1]; }
};

struct Odd {
  std::string unit;
  std::string role;
  std::string what;    ///< "stuck", "unknown", "bounces", "jitters", "shakes", "jumps", "stays"
  bool counts = true;  ///< it counts nevertheless
};

class Hands {
 public:
  void meet(int node, const std::string& unit, const Attachment& attachment, bool ours);
  void lose(int node);
  /// Adds this unit to our units.
  void own(const std::string& unit);
  [[nodiscard]] bool has_own() const noexcept;
  [[nodiscard]] bool has(const std::string& unit) const noexcept;
  [[nodiscard]] bool is_own(int node) const noexcept;
  [[nodiscard]] const std::string& unit_of(int node) const noexcept;
  void feed(int node, const Report& report);

  /// The first control of our units that is down or pushed; empty if all are released.
  [[nodiscard]] std::string still_down(Time now, bool contacts_only = false) const;
  /// An axis of our units whose movement is still uncertain; empty if there is none.
  [[nodiscard]] std::string unclear() const;
  /// This axis or counter moves whenever its unit does: it is not a push, and delays nothing.
  void set_aside(int node, Code code);
  /// Raw axes rest at their current positions.
  void rest_here();
  /// Controls that are down now count as stuck: they are ignored until they are released.
  void leave_out_what_is_down(Time now);
  /// True if a gesture has started on the unit; with `by_moving`, pointers and relative axes count as well.
  [[nodiscard]] bool is_stirred(bool by_moving) const noexcept;
  /// The last significant movement of a control of our units that belongs to the gesture.
  [[nodiscard]] Time moved() const noexcept;
  /// Axes that stand still away from their apparent rest are at rest there. An axis first reported in the middle of
  /// a push has been pushed from there.
  void find_rests(Time now);
  /// When that has something to do.
  [[nodiscard]] std::optional<Time> next_rest(Time now) const noexcept;
  /// Starts a gesture: earlier pushes are forgotten; an axis that stands still away from its rest rests there.
  void begin(Time now);

  /// Pushes that have just begun, on any unit, movements that were too short or are ignored, and problems; each is
  /// returned once.
  [[nodiscard]] std::vector<Push> drain_fresh() { return std::exchange(fresh_, {}); }
  [[nodiscard]] std::vector<std::string> drain_brief() { return std::exchange(brief_, {}); }
  [[nodiscard]] std::vector<std::string> drain_left_out() { return std::exchange(left_out_, {}); }
  [[nodiscard]] std::vector<Odd> drain_odd() { return std::exchange(odd_, {}); }
  /// Everything on our units since `begin`: each source once.
  [[nodiscard]] std::vector<Push> pushes() const;
  /// The axis of our units that went furthest besides these.
  [[nodiscard]] std::optional<Push> farthest_beside(const std::vector<Push>& pushes) const;
  [[nodiscard]] std::vector<Sweep> sweeps() const;
  /// Our controls that could answer a press, or a movement of an axis or counter, by their names.
  [[nodiscard]] std::vector<std::string> all_names(bool presses, bool axes, bool counters) const;

 private:
  struct Node {
    int number = 0;
    std::string unit;
    bool ours = false;
    attach::HealthWatch health;
    std::vector<Wire> wires;
    std::optional<Time> last_report{};
    Duration interval{};  ///< the shortest interval between two reports
    int even = 0;         ///< consecutive reports at this interval
  };
  void update(Node& node, Wire& wire, const Report& report, std::int32_t value);
  void move(Node& node, Wire& wire, double to, Time time);
  void forget_spikes(Node& node, Wire& wire, double before, Time time);
  void pass(Node& node, Wire& wire, int side, Time time);
  void find_odd(Node& node, const Wire& wire);
  void add_odd(const Node& node, const Wire& wire, const char* what, bool counts);
  [[nodiscard]] static Push push_of(const Node& node, const Wire& wire, int side);
  static void add_sweep(const Wire& wire, Sweep& sweep);

  std::vector<Node> nodes_;
  std::vector<Push> fresh_;
  std::vector<std::string> brief_;
  std::vector<std::string> left_out_;
  std::vector<Odd> odd_;
  std::vector<std::string> reported_;  ///< reported problems
};

/// The binding of one side of a control: "dpad-left", "left-stick-up"; for an axis without a role, its name with a
/// sign.
[[nodiscard]] std::string side_name(const Control& control, int side);

}  // namespace omnipar::inline abi_0::learn
