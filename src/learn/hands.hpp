// What hands do on the units that are there, from one rest to the next: which controls went how far. A control that is
// down when its unit comes, and an axis that is met away from its rest, take no part until they have been at rest.
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
#include "omnipar/time.hpp"
#include "shape/shape.hpp"

namespace omnipar::learn {

/// From here on, of the way from its rest to its end, an axis has been stirred, and is pushed. Another axis must not
/// have come as far as this part of the way of the one that is meant.
inline constexpr double stirred = 0.3, pushed = 0.6, beside = 0.6;
/// A stick that has not moved for so long stands still, and rests where it is.
inline constexpr Duration long_still{1'000'000};
/// So does an axis of which that is not known yet: slow hands hold what they press for 1.5 s. If it has been somewhere
/// and come back, sooner.
inline constexpr Duration unsure_still{1'700'000}, back_still{400'000};
/// And one that had another rest.
inline constexpr Duration other_still{4'000'000};
/// Released for longer than a switch bounces.
inline constexpr Duration quiet_time{30'000};

/// A button that was pressed, or one side of an axis that was pushed.
struct Push {
  int node = 0;
  std::string unit;
  bool ours = false;
  std::string role;  ///< as a binding names it: "south", "left-stick-up"
  Code code;
  Reading reading = Reading::button;
  bool is_raw = false;  ///< of a control that nobody knows
  bool is_hat = false;
  int side = 1;
  double peak = 0;    ///< the farthest since the last rest
  bool down = false;  ///< still
  Time since{};       ///< when it went down last
  Time began{};       ///< when it went down first since `begin`
  Time until{};       ///< when it was released last
  double rests = 0;   ///< of a raw axis: where, from -1 to 1
};

/// A whole control that was swept or moved: 1 is all the way, of counts far enough to be meant.
struct Sweep {
  int node = 0;
  std::string unit;
  std::string role;  ///< "left-stick", "gun", "spinner"
  RoleKind kind = RoleKind::stick;
  Code code;
  std::array<double, 2> far{};   ///< by axis
  std::array<double, 2> span{};  ///< by axis: from its one end to the other, of the whole range
  std::array<int, 2> side{};     ///< to which it went; of a stick only if it went there first and straight
  std::array<int, 2> end{};      ///< the side of its span on which it is now
  bool both_ways = false;        ///< it went to both sides alike
  double rests = 0;
  [[nodiscard]] double farthest() const noexcept { return far[0] > far[1] ? far[0] : far[1]; }
  [[nodiscard]] double least() const noexcept { return far[0] < far[1] ? far[0] : far[1]; }
};

struct Odd {
  std::string unit;
  std::string role;
  std::string what;      ///< "stuck", "unknown", "bounces", "jitters", "shakes", "jumps", "stays"
  bool is_heard = true;  ///< it counts all the same
};

class Hands {
 public:
  void meet(int node, const std::string& unit, const Attachment& attachment, bool ours);
  void lose(int node);
  /// From now on this unit is ours.
  void own(const std::string& unit);
  [[nodiscard]] bool has_own() const noexcept;
  [[nodiscard]] bool has(const std::string& unit) const noexcept;
  [[nodiscard]] bool is_own(int node) const noexcept;
  [[nodiscard]] const std::string& unit_of(int node) const noexcept;
  void hear(int node, const Report& report);

  /// The first control of our units that is down or pushed; empty if all is released.
  [[nodiscard]] std::string still_down(Time now, bool contacts_only = false) const;
  /// An axis of ours of which it is not clear yet from where to where it was moved; empty if there is none.
  [[nodiscard]] std::string puzzling() const;
  /// This axis or counter moves whenever its unit does: it is no push, and holds nothing up.
  void set_aside(int node, Code code);
  /// Raw axes rest where they are.
  void rest_here();
  /// What is down now is taken to be stuck: it takes no part until it was released.
  void leave_out_what_is_down(Time now);
  /// True if a hand has begun to do something on our units; with `by_moving` also what points or counts.
  [[nodiscard]] bool is_stirred(bool by_moving) const noexcept;
  /// When something of ours that takes part in the gesture moved last, far enough to matter.
  [[nodiscard]] Time moved() const noexcept;
  /// Axes that have come to stand still away from where they seemed to rest, rest there. What was met in the middle of
  /// a push has been pushed from there.
  void find_rests(Time now);
  /// When that has something to do.
  [[nodiscard]] std::optional<Time> next_rest(Time now) const noexcept;
  /// A new gesture: what was pushed before is forgotten; an axis that stands still away from its rest rests there.
  void begin(Time now);

  /// Pushes that have just begun, on any unit, what moved for too short or is left out, and what was found odd; taken
  /// once.
  [[nodiscard]] std::vector<Push> take_fresh() { return std::exchange(fresh_, {}); }
  [[nodiscard]] std::vector<std::string> take_brief() { return std::exchange(brief_, {}); }
  [[nodiscard]] std::vector<std::string> take_left_out() { return std::exchange(left_out_, {}); }
  [[nodiscard]] std::vector<Odd> take_odd() { return std::exchange(odd_, {}); }
  /// All of our units since `begin`: each source once.
  [[nodiscard]] std::vector<Push> pushes() const;
  /// The axis of ours that went farthest beside these.
  [[nodiscard]] std::optional<Push> farthest_beside(const std::vector<Push>& pushes) const;
  [[nodiscard]] std::vector<Sweep> sweeps() const;
  /// Our controls that could answer a press, or a movement of an axis or counter, by their names.
  [[nodiscard]] std::vector<std::string> all_names(bool presses, bool axes, bool counters) const;

 private:
  struct Wire {
    Control control;
    shape::Scale scale;
    double now = 0;
    double base = 0;  ///< where it rests
    double low = 0;   ///< since `begin`
    double high = 0;
    double anchor = 0;                    ///< the last place that was clearly another one
    std::optional<double> home{};         ///< where it rested before it was left at `base`
    double counts = 0;                    ///< in any direction, since `begin`
    double net = 0, least = 0, most = 0;  ///< and by direction
    Time moved{};
    Time since{}, began{}, until{};
    int first = 0;  ///< the side to which it went, and nothing beside it
    bool known = false;
    bool sure = false;     ///< it has been seen to rest there
    bool stood = false;    ///< it was found at its base, and not met by a report
    bool met_off = false;  ///< a stick whose first report came from off its rest: it has not been there yet
    bool armed = false;    ///< it has been at rest
    bool passed[2] = {};   ///< pushed to that side since `begin`
    bool down = false;
    // Noise: the last turns of a zigzag, and how a push began.
    bool noisy = false;
    int direction = 0;
    double turn = 0;
    double swing = 0;
    std::array<Time, 6> turns{};
    std::size_t turned = 0;
    Time left{};
    int readings = 0;
    bool jumped = false;
    int left_to = 0;
    double swing_from = 0;  ///< the last far place, until it is sure where it rests
    int swing_to = 0;
    int swings = 0;    ///< so often it has turned since
    Duration dwelt{};  ///< so long it stood still before it moved last
    [[nodiscard]] bool is_unsure() const noexcept {
      return control.reading == Reading::two_sided && finds_rest() && !sure && !stood;
    }
    /// It has been moved, and from where to where nobody knows yet.
    [[nodiscard]] bool is_puzzling() const noexcept {
      return is_unsure() && known && (high - low >= stirred || passed[0] || passed[1]);
    }
    bool aside = false;  ///< what it is has been said, and it moves whenever its unit does
    std::vector<Time> briefs{};

    [[nodiscard]] bool is_axis() const noexcept {
      return control.reading == Reading::one_sided || control.reading == Reading::two_sided;
    }
    [[nodiscard]] bool is_contact() const noexcept {
      return control.reading == Reading::button || control.reading == Reading::hat;
    }
    /// Its rest is found out, and not known from a sheet.
    [[nodiscard]] bool finds_rest() const noexcept {
      return control.reading == Reading::one_sided ||
             (control.reading == Reading::two_sided && !role_kind(control.role));
    }
    [[nodiscard]] double room(int side) const noexcept;
    /// How far it went to that side: the way back to the middle is none.
    [[nodiscard]] double travel(int side) const noexcept;
    [[nodiscard]] double off() const noexcept;
    /// From here on it has been stirred: noise does not get so far.
    [[nodiscard]] double threshold() const noexcept { return noisy ? pushed : stirred; }
    [[nodiscard]] bool is_stirred() const noexcept { return armed && std::max(travel(-1), travel(1)) >= threshold(); }
  };
  struct Node {
    int number = 0;
    std::string unit;
    bool ours = false;
    attach::HealthWatch health;
    std::vector<Wire> wires;
    std::optional<Time> heard{};
    Duration interval{};  ///< the shortest between two reports
    int even = 0;         ///< so many in a row came at this interval
  };
  void take(Node& node, Wire& wire, const Report& report, std::int32_t value);
  [[nodiscard]] static double place_of(const Wire& wire, std::int32_t value) noexcept;
  static void meet_axis(Wire& wire, double at);
  void move(Node& node, Wire& wire, double to, Time time);
  static void follow_swing(Wire& wire, double to);
  void follow_noise(const Node& node, Wire& wire, double to, Time time);
  void follow_spike(const Node& node, Wire& wire, double before, Time time);
  void pass(Node& node, Wire& wire, int side, Time time);
  static void note_release(Wire& wire, Time time);
  static void forget(Wire& wire);
  void find_odd(Node& node, const Wire& wire);
  void add_odd(const Node& node, const Wire& wire, const char* what, bool is_heard);
  [[nodiscard]] static std::optional<Duration> rests_after(const Wire& wire) noexcept;
  [[nodiscard]] static bool takes_part(const Wire& wire) noexcept;
  [[nodiscard]] static double way_of(const Wire& wire) noexcept;
  [[nodiscard]] static bool is_down(const Wire& wire, Time now) noexcept;
  [[nodiscard]] static Push push_of(const Node& node, const Wire& wire, int side);
  static void add_sweep(const Wire& wire, Sweep& sweep);

  std::vector<Node> nodes_;
  std::vector<Push> fresh_;
  std::vector<std::string> brief_;
  std::vector<std::string> left_out_;
  std::vector<Odd> odd_;
  std::vector<std::string> told_;  ///< oddities that have been told
};

/// What a binding calls one side of a control: "dpad-left", "left-stick-up"; of an axis that nobody knows its name with
/// a sign.
[[nodiscard]] std::string side_name(const Control& control, int side);

}  // namespace omnipar::learn
