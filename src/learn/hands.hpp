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
/// What has not moved for so long stands still, and rests where it is.
inline constexpr Duration long_still{1'000'000};

/// A button that was pressed, or one side of an axis that was pushed.
struct Push {
  int node = 0;
  std::string unit;
  bool ours = false;
  std::string role;  ///< as a binding names it: "south", "left-stick-up"
  Code code;
  Reading reading = Reading::button;
  int side = 1;
  double peak = 0;    ///< the farthest since the last rest
  bool down = false;  ///< still
  Time since{};
};

/// A whole control that was swept or moved: 1 is all the way, of counts far enough to be meant.
struct Sweep {
  int node = 0;
  std::string unit;
  std::string role;  ///< "left-stick", "gun", "spinner"
  RoleKind kind = RoleKind::stick;
  Code code;
  std::array<double, 2> far{};  ///< by axis
  std::array<int, 2> first{};   ///< the side to which it went first
  [[nodiscard]] double farthest() const noexcept { return far[0] > far[1] ? far[0] : far[1]; }
  [[nodiscard]] double least() const noexcept { return far[0] < far[1] ? far[0] : far[1]; }
};

struct Odd {
  std::string unit;
  std::string role;
  std::string what;      ///< "stuck", "unknown", "bounces", "jitters"
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
  [[nodiscard]] std::string still_down(Time now) const;
  /// What is down now is taken to be stuck: it takes no part until it was released.
  void leave_out_what_is_down(Time now);
  /// True if a hand has begun to do something on our units; with `by_moving` also what points or counts.
  [[nodiscard]] bool is_stirred(bool by_moving) const noexcept;
  /// When something moved last, far enough to matter.
  [[nodiscard]] Time moved() const noexcept { return moved_; }
  /// A new gesture: what was pushed before is forgotten; an axis that stands still away from its rest rests there.
  void begin(Time now);

  /// Pushes that have just begun, on any unit, and what was found odd; taken once.
  [[nodiscard]] std::vector<Push> take_fresh() { return std::exchange(fresh_, {}); }
  [[nodiscard]] std::vector<Odd> take_odd() { return std::exchange(odd_, {}); }
  /// All of our units since `begin`: each source once.
  [[nodiscard]] std::vector<Push> pushes() const;
  /// The axis of ours that went farthest beside this one.
  [[nodiscard]] std::optional<Push> farthest_beside(const Push& push) const;
  [[nodiscard]] std::vector<Sweep> sweeps() const;

 private:
  struct Wire {
    Control control;
    shape::Scale scale;
    double now = 0;
    double base = 0;  ///< where it rests
    double low = 0;   ///< since `begin`
    double high = 0;
    double anchor = 0;  ///< the last place that was clearly another one
    double counts = 0;
    Time moved{};
    Time since{};
    int first = 0;
    bool known = false;
    bool armed = false;   ///< it has been at rest
    bool passed[2] = {};  ///< pushed to that side since `begin`
    [[nodiscard]] bool is_axis() const noexcept {
      return control.reading == Reading::one_sided || control.reading == Reading::two_sided;
    }
    [[nodiscard]] bool is_contact() const noexcept {
      return control.reading == Reading::button || control.reading == Reading::hat;
    }
    /// How far it went to that side: the way back to the middle is none.
    [[nodiscard]] double travel(int side) const noexcept {
      return side < 0 ? std::min(-low, base - low) : std::min(high, high - base);
    }
    [[nodiscard]] double off() const noexcept { return now < base ? base - now : now - base; }
  };
  struct Node {
    int number = 0;
    std::string unit;
    bool ours = false;
    attach::HealthWatch health;
    std::vector<Wire> wires;
  };
  void take(Node& node, Wire& wire, const Report& report, std::int32_t value);
  static void find_rest(Wire& wire, std::int32_t value);
  void move(Node& node, Wire& wire, double to, Time time);
  void pass(Node& node, Wire& wire, int side, Time time);
  void find_odd(Node& node, const Wire& wire);
  void add_odd(const Node& node, const Wire& wire, const char* what, bool is_heard);
  [[nodiscard]] static double way_of(const Wire& wire) noexcept;
  [[nodiscard]] static bool is_down(const Wire& wire, Time now) noexcept;
  [[nodiscard]] static Push push_of(const Node& node, const Wire& wire, int side);

  std::vector<Node> nodes_;
  std::vector<Push> fresh_;
  std::vector<Odd> odd_;
  std::vector<std::string> told_;  ///< oddities that have been told
  Time moved_{};
};

/// What a binding calls one side of a control: "dpad-left", "left-stick-up"; of an axis that nobody knows its name with
/// a sign.
[[nodiscard]] std::string side_name(const Control& control, int side);

}  // namespace omnipar::learn
