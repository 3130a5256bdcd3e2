// A snapshot of the controls of each unit and the targets of each port. Has no I/O: the caller passes units, reports
// and a reader. Views draw it.
#pragma once

#include <array>
#include <cstdint>
#include <deque>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "attach/health_watch.hpp"
#include "omnipar/catalogue.hpp"
#include "omnipar/plan.hpp"
#include "omnipar/reader.hpp"
#include "omnipar/role.hpp"
#include "omnipar/unit_here.hpp"
#include "shape/measured.hpp"
#include "shape/shape.hpp"

namespace omnipar::inline abi_0::inspect {

/// Notable states of a control.
enum class Oddity : std::uint8_t {
  none,
  stuck,    ///< down since before observation began
  unknown,  ///< an axis that has not reported yet
  bounces,
  jitters,
};
/// A single word for people.
[[nodiscard]] std::string_view word_of(Oddity oddity) noexcept;

/// A control of a unit: a role with one code, or two for a stick. A code without a role is a control as well, named
/// after its code.
struct SeenControl {
  std::string role;
  bool is_known = true;       ///< it is a role
  bool has_reported = false;  ///< has reported since it was connected
  std::string label;          ///< its label; may be empty
  std::string code;           ///< "BTN_SOUTH"
  std::string code_y{};       ///< of two: the vertical one
  RoleKind kind = RoleKind::button;
  std::optional<Spot> at;
  double x = 0;  ///< 0 or 1 for a button, the total for counts
  double y = 0;
  std::int32_t raw_x = 0;
  std::int32_t raw_y = 0;
  Oddity odd = Oddity::none;

  /// "ABS_X, ABS_Y"
  [[nodiscard]] std::string codes() const { return code_y.empty() ? code : code + ", " + code_y; }
  /// A pressed button, or an axis away from its rest position.
  [[nodiscard]] bool is_lit() const noexcept;
  bool moved = false;  ///< counts: in the last report
};

struct SeenUnit {
  std::string name;
  std::string seat;  ///< empty: not assigned
  bool plays = false;
  bool empty = false;        ///< a part whose socket is empty
  bool silent = false;       ///< its state is unknown, and it has not reported: it may be out of range
  std::uint64_t spoke = 0;   ///< increases with time
  std::string grabbed_by{};  ///< another program that has grabbed it
  std::vector<SeenControl> controls;
};

/// A position of a pointer, 0..1 of the game's picture, and whether it was on it.
struct SeenPoint {
  double x = 0;
  double y = 0;
  bool on = false;
};

/// One target of a port, or the two of a stick; a pointer has three.
struct SeenTarget {
  std::string name;
  std::string place;                     ///< the role at whose place it is drawn; may be empty
  TargetKind kind = TargetKind::button;  ///< of a pair stick, movement or pointer
  std::vector<std::uint16_t> of;         ///< the plan's targets: x, y, on
  std::vector<std::int32_t> native;      ///< the same; for counts the total
  std::vector<double> value;
  std::vector<std::int32_t> rest;
  bool lit = false;               ///< pressed, away from rest, on the game area; for counts: counted in the last sample
  std::deque<SeenPoint> shots{};  ///< of a pointer: its positions at the port's last nine trigger pulls
  std::deque<SeenPoint> path{};   ///< the same: its positions in samples in which it moved; the last 20,000
};

struct SeenPort {
  int number = 0;
  std::string controller;  ///< its title
  std::string seat;
  std::array<std::string, 2> seats;  ///< the second one is mostly empty
  std::uint64_t moved = 0;           ///< increases with time
  bool is_played = false;            ///< it has at least one connected unit
  std::vector<SeenTarget> targets;
};

/// A control that was just pressed or pushed.
struct SeenPress {
  std::string unit;
  std::string seat;
  std::string role;
  std::string label;
  std::string code;
  double x = 0;
  double y = 0;
};

class Seen {
 public:
  /// The catalogue must outlive it.
  explicit Seen(const Catalogue& catalogue) : catalogue_(catalogue) {}

  /// Sets the connected units. Observations of units that remain are kept. `grabbed`: nodes that another program has
  /// grabbed, with its name; when a node is missing from them, its known state holds until it reports.
  void set_units(const std::vector<UnitDetails>& units, const std::map<int, std::string>& grabbed = {});
  void feed(int node, const Report& report);

  /// Sets the plan whose ports are observed.
  void set_plan(const Plan& plan);
  /// Adopts what the reader shows; must be called for each of its samples. Returns true if anything changed.
  bool look(const Reader& reader);
  /// True while a counter is highlighted, which ends with the next call of `look`.
  [[nodiscard]] bool is_moving() const noexcept { return !moved_.empty() || !moved_controls_.empty(); }

  [[nodiscard]] const std::vector<SeenUnit>& units() const noexcept { return units_; }
  [[nodiscard]] const std::vector<SeenPort>& ports() const noexcept { return ports_; }
  [[nodiscard]] const std::optional<SeenPress>& last_press() const noexcept { return last_press_; }
  /// A number that changes whenever a unit has changed.
  [[nodiscard]] std::uint64_t changes() const noexcept { return changes_; }

 private:
  /// One node as used by a unit or a part of one: two players may share it.
  using Share = std::pair<int, std::string>;
  struct Observed {
    attach::HealthWatch health;
    std::map<Code, std::int32_t> values;
    std::map<Code, bool> stuck;  ///< buttons that were down from the start and have not been released
  };
  struct Wire {
    int node = 0;
    Control control;
    shape::Scale scale;
    std::size_t unit = 0;
    std::size_t seen = 0;  ///< index of the unit's control
    bool is_y = false;
    Observed* observed = nullptr;  ///< the state of its share of the node
    /// For half of a calibrated stick: its calibration, and the other half.
    std::shared_ptr<const shape::StickMap> stick{};
    Control other{};
  };

  void meet_nodes(const std::vector<UnitDetails>& units);
  void add_unit(const UnitDetails& unit, const std::map<int, std::string>& grabbed);
  static void carry_over(SeenUnit& unit, const SeenUnit& before);
  void add_port(const Plan& plan, const PortInfo& info);
  void add_control(const UnitDetails& unit, const UnitDetails::Node& node, const Control& control);
  static void add_measured(Wire& wire, const Attachment& attachment);
  void add_unknown(const UnitDetails& unit, const UnitDetails::Node& node);
  void update(const Wire& wire, std::int32_t value);
  void judge(const Wire& wire);
  void note_press(const Wire& wire, double before);
  void find_who_plays();
  void note_shots(const std::vector<std::size_t>& pulled,
                  const std::vector<std::pair<std::size_t, std::size_t>>& moved);

  const Catalogue& catalogue_;
  std::vector<SeenUnit> units_;
  std::vector<Wire> wires_;  ///< in order of node and code
  std::map<Share, Observed> observed_;
  std::vector<SeenPort> ports_;
  std::vector<std::pair<std::size_t, std::size_t>> target_at_;  ///< by the plan's target: port, and target there
  std::vector<std::pair<std::size_t, std::size_t>> moved_;      ///< highlighted counts of the last sample
  struct Moved {
    std::size_t unit = 0;
    std::size_t control = 0;
    std::uint64_t after = 0;  ///< the number of calls of `look`
  };
  std::vector<Moved> moved_controls_;  ///< counters that are highlighted until the next call of `look`
  std::uint64_t looks_ = 0;
  std::optional<SeenPress> last_press_;
  std::uint64_t changes_ = 0;
};

}  // namespace omnipar::inline abi_0::inspect
