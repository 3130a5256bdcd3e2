// The slow twin: a naive interpreter of a profile, which checks the engine. It uses neither plans
// nor signals; after each press, release, deadline or tick it evaluates every target from scratch.
#pragma once

#include <array>
#include <cstdint>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <utility>
#include <vector>

#include "omnipar/omnipar.hpp"

namespace omnipar::test {

class SlowTwin {
 public:
  static constexpr double full = 281474976710656.0;  ///< 2^48: movements are counted in fractions of a full push
  static constexpr int nobody = -1;                  ///< instead of a slot, for a chord, which belongs to no unit

  SlowTwin(const SlowTwin&) = delete;
  SlowTwin& operator=(const SlowTwin&) = delete;
  SlowTwin(SlowTwin&&) = default;
  SlowTwin& operator=(SlowTwin&&) = default;

  struct Value {
    double level = 0;  ///< of counts: the total since the start
    std::uint32_t presses = 0;
    bool operator==(const Value&) const = default;
  };

  SlowTwin(const Catalogue& catalogue, const Profile& profile);
  /// The stages that it plays, each by a naive counterpart.
  [[nodiscard]] static std::set<std::string> stages();
  struct Point {
    double x = 0, y = 0;
    bool operator==(const Point&) const = default;
  };
  /// Counterparts of shapes that a test adds after the anti-dead zone, by name.
  using AddedShape = Point (*)(const Use& use, Point at);
  [[nodiscard]] static std::map<std::string, AddedShape>& added_shapes();
  void attach(int slot, const Attachment& attachment);
  void detach(int slot);
  void feed(int slot, Time time, std::span<const Change> changes);
  void advance(Time now);
  void freeze();
  void thaw();
  void adopt(const Catalogue& catalogue, const Profile& profile);
  /// By "port/target"; port 0 has the hotkey actions.
  [[nodiscard]] const std::map<std::string, Value>& values() const { return values_; }
  /// True while autofire presses the target; for a pointer's visibility, while any autofire is active, because it may
  /// reload or aim off-screen.
  [[nodiscard]] bool pulses(const std::string& target) const;
  /// The targets NAME/up and NAME/left that since the last call were on together with their opposites, at one of the
  /// opposites' deadlines or physically within a report.
  [[nodiscard]] std::set<std::string> drain_together() { return std::exchange(together_, {}); }
  /// The next moment at which something changes without input.
  [[nodiscard]] std::optional<Time> next_due() const;

 private:
  struct Contact {  ///< a button, or one direction of an axis, of one unit
    bool down = false, counted = false;
    bool for_hotkeys = false;  ///< counted for hotkeys, which are never frozen
  };
  struct Unit {
    Attachment attachment;
    std::map<Code, std::int32_t> raw;  ///< of axes: the last value, if known
    std::set<Code> held_over;          ///< trigger buttons that were already down when they began to count
    struct Reach {
      double above = 0, below = 0;
      std::int32_t last = 0;
    };
    std::map<Code, Reach> reaches;                          ///< of axes whose ranges are learned while playing
    std::map<std::string, std::map<int, Contact>> buttons;  ///< by role and code; not for hats
  };
  /// The state of one binding's shapes for one unit, and the result after all shapes.
  struct Follower {
    Point in, smooth, speed, slew, out;
    bool begun = false;   ///< of smoothing
    bool moves = false;   ///< not yet at its destination
    std::size_t way = 0;  ///< counted from 1
  };
  using Followers = std::map<int, Follower>;  ///< by slot
  enum class When { input, as_is, tick };
  struct Way {  ///< one binding's pending change from one unit
    Contact crossing;
    bool opposite = false;  ///< passing the direction across
    bool in = false, middle = false, pressed = false, on = false, out = false;
    std::optional<std::int64_t> deaf_until, held_until, pulse_at;
  };
  struct Line {               ///< one binding of a button target, or of one side of an axis driven by buttons
    Value* target = nullptr;  ///< nullptr: a side of an axis
    std::string seat, role, chord_role;
    std::optional<std::size_t> direction;  ///< of a stick or axis
    Use use;
    std::map<int, Way> ways;  ///< by slot; a chord has one, which belongs to no unit
    Followers followers{};    ///< of a direction

    [[nodiscard]] bool out() const {
      for (const auto& [slot, way] : ways)
        if (way.out) return true;
      return false;
    }
  };
  struct Place {  ///< in 1/2^48
    std::int64_t x = 0, y = 0;
  };
  struct Ramped {  ///< a lane made of up to four lines
    std::array<int, 4> lines{-1, -1, -1, -1};
    double out = 0, release = 0, back = 0;  ///< full pushes per second; 0: immediately
    std::map<int, Place> places;            ///< by slot
    [[nodiscard]] bool moves() const { return out > 0 || release > 0 || back > 0; }
  };
  struct Lane {
    std::string seat;
    std::string role;
    Use use;
    TargetKind wanted = TargetKind::stick;
    int ramped = -1;
    Followers followers{};
  };
  using Points = std::vector<std::map<int, Point>>;  ///< by lane, by slot; those at rest are left out
  struct Analog {
    std::string x, y;
    bool stays = false;
    bool adds = false;  ///< pedals on an axis with two sides
    double corner = 0;  ///< of the machine's own gate; 0: round
    std::vector<Lane> lanes;
    Points of_buttons;  ///< of a control that is not self-centering: the last position set by its buttons
  };
  struct Opposed {  ///< a port whose opposite directions exclude each other
    std::array<Value*, 4> targets{};
    bool last_wins = false;
    std::array<bool, 4> on{};
    std::array<std::size_t, 2> last{0, 0};  ///< of each pair: 1 if its second direction was pressed last
  };
  struct Aim {  ///< one unit's contribution to one binding of a pointer
    bool has_reported = false, on = false;
    bool pulled = false;  ///< its trigger
    Point pushed;         ///< by directions
    std::optional<std::int64_t> held_until;
    std::int64_t held_from = 0;
    bool aims_anew = false;  ///< after the report of a pull
    bool was_blind = false;
    std::int64_t blind_from = 0;
    Place at;
    Point push;
  };
  struct PointerSource {
    std::string seat;
    Use use;
    std::map<int, Aim> aims;  ///< by slot
    Followers followers{};
    Ramped directions{};  ///< of a d-pad
  };
  struct Pointer {
    std::string name;
    std::vector<PointerSource> sources;
    std::optional<std::pair<std::size_t, int>> leader;  ///< source and slot
    std::vector<AreaPoint> shots{};                     ///< calibration shots of the game
    std::size_t shot = 0;  ///< the number of the shot that the next pull gives, from 1; 0: none
    Value* trigger = nullptr;
    Value* off = nullptr;  ///< on while it is held off-screen
    bool was_pulled = false;

    [[nodiscard]] bool is_shot() const { return shot > 1; }
  };
  struct PointerPress {  ///< a button that acts once on a pointer
    std::size_t pointer = 0;
    bool begins_shots = false;  ///< otherwise: to the centre
    Value* button = nullptr;
    bool was_down = false;
  };
  struct Reload {  ///< a button that pulls the trigger off-screen
    std::size_t pointer = 0, line = 0;
    struct Run {
      bool down = false, hides = false, waits = false, pulls = false;
      std::int64_t shown_at = 0, next = 0;
    };
    std::map<int, Run> runs{};  ///< by slot
  };
  struct Count {  ///< a binding of counts
    std::string x, y, seat, role;
    bool turns_x = false, turns_y = false;
  };

  // from the profile
  void add_line(const std::string& target, const std::string& seat, const Use& use, const std::string& role,
                std::optional<std::size_t> direction = {});
  void find_game(const Catalogue& catalogue, const SystemSheet& system, const Profile& profile);
  void add_pointer_presses(const std::string& prefix, const ControllerSheet& sheet, const Profile& profile,
                           const PortProfile& port, const std::map<std::string, std::vector<Use>>& bound);
  void add_port(const SystemSheet& system, const Profile& profile, const PortProfile& port);
  void add_button_uses(const std::string& target, const std::string& seat, const std::vector<Use>& uses);
  void add_analog(const std::string& prefix, const std::string& seat, const TargetSheet& sheet,
                  const std::vector<Use>& uses);
  int add_ramp_line(const std::string& seat, const Use& use, const std::string& role);
  void name_target(const std::string& name, const std::string& kind);

  // a binding's own settings, or the defaults
  [[nodiscard]] static double said(const Use& use, const char* field, double otherwise) {
    return use.settings.find(field).value_or(otherwise);
  }
  [[nodiscard]] static std::int64_t time_said(const Use& use, const char* field) {
    return static_cast<std::int64_t>(said(use, field, 0));
  }
  /// A position in progress; its state, and the kind of its target.
  [[nodiscard]] static Point shaped(const Use& use, const Unit& unit, const std::string& role, TargetKind wanted,
                                    Point p, Follower& follower, When when);
  static void smooth(const Use& use, Point& p, Follower& follower, When when);
  static void slew(const Use& use, Point& p, Follower& follower, When when);
  static void keep_to_ways(const Use& use, Point& p, Follower& follower);
  void place(int slot, const Unit& unit, const std::set<Code>* touched, When when);
  void place_known(int slot, const Unit& unit);
  void forget_trails();
  template <typename Act>
  void each_follower(Act act);
  void tick_trails();
  [[nodiscard]] bool trails_move() const;
  [[nodiscard]] static double dead_zone(const Use& use, const Unit& unit, const std::string& role, bool to_a_press);

  // physical input
  [[nodiscard]] bool holds(const Unit& unit, const std::string& role, bool for_hotkeys = false) const;
  [[nodiscard]] bool line_in(const Line& line, int slot) const;
  enum class Held { counts, rests };
  static void hold_over(Unit& unit);
  [[nodiscard]] Point position(const Unit& unit, const std::string& role, Held held) const;
  [[nodiscard]] bool has_axis(const Unit& unit, const std::string& role) const;
  [[nodiscard]] bool is_known(const Unit& unit, const std::string& role) const;
  [[nodiscard]] static bool has_spoken_axis(const Unit& unit, const std::string& role);
  void hold_again(Contact& contact);
  void set(int slot, Unit& unit, const Control& control, std::int32_t value);
  void cross(int slot, Unit& unit);
  void end_opposite_debounces(int slot, const Unit& unit);
  [[nodiscard]] bool opposite_is_down(const Line& line, int slot, const Unit& unit) const;

  // pointers
  [[nodiscard]] bool is_held(const Aim& aim) const { return aim.held_until && aim.held_from != now_; }
  [[nodiscard]] std::int64_t part(double side) const;
  void run_reloads();
  [[nodiscard]] bool reloads_end();
  void press_pointers();
  void pull(Pointer& pointer);
  void end_shots(Pointer& pointer);
  void centre(Pointer& pointer);
  void aim(int slot, const Unit& unit, const std::set<Code>* touched);
  void aim_one(int slot, const Unit& unit, const std::string& role, std::size_t which,
               const PointerSource* only = nullptr);
  void notice_pulls();
  void notice_pushes();
  void aim_again(int slot, const PointerSource& source);
  void aim_by(Pointer& pointer, std::size_t source, int slot, Point p);
  void put(Pointer& pointer, std::size_t source, int slot, Point place);
  static void lead(Pointer& pointer, std::size_t source, int slot);
  void push(Pointer& pointer, std::size_t source, int slot, Place way);
  void drag(int slot, const Unit& unit, const Control& control, std::int32_t counts);
  void glide_pointers();
  [[nodiscard]] bool pointers_glide() const;
  void refresh_sights();
  void drop_aims(int slot);
  void rest_pointers();

  // consequences
  void work_out();
  [[nodiscard]] bool is_across(const Value& one, const Value& other) const;
  [[nodiscard]] bool is_sight(const std::string& target) const;
  void leave_out_opposites(std::set<Value*>& on);
  void work_out_way(Line& line, Way& way, int slot);
  void work_out_analogs();
  void settle(const Analog& analog);
  void settle_what_is_known(const Unit& unit, const std::set<Code>* spoken = nullptr);
  [[nodiscard]] Points points_of(const Analog& analog, bool buttons_only) const;
  [[nodiscard]] Point goal(const Ramped& ramped, int slot) const;
  [[nodiscard]] std::array<bool, 4> sides(const Ramped& ramped, int slot) const;
  [[nodiscard]] std::optional<std::int64_t> next() const;
  void fire();
  void note_together(bool really);
  [[nodiscard]] bool is_really_on(const Value& target) const;
  void rest();

  std::int64_t now_ = 0;
  bool frozen_ = false;
  bool only_notes_ = false;  ///< states are stored without consequences
  bool presses_come_in_ = false;
  bool thaws_ = false;
  std::map<int, Unit> units_;
  std::vector<Line> lines_;
  std::vector<Ramped> ramped_;
  std::vector<Analog> analogs_;
  std::vector<Count> counts_;
  std::vector<Opposed> opposed_;
  std::vector<Pointer> pointers_;
  std::vector<PointerPress> pointer_presses_;
  std::vector<Reload> reloads_;
  std::string screen_;
  std::optional<GameArea> game_;
  double seen_ = 1;         ///< the visible part of the distance from the game's centre to its edge
  std::int64_t frame_ = 0;  ///< of the machine
  std::map<std::string, Value> values_;
  std::set<std::string> together_;
  std::map<std::string, std::string> kinds_;  ///< by target: its own description
};

}  // namespace omnipar::test
