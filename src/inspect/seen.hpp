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

/// What is odd about a control.
enum class Oddity : std::uint8_t {
  none,
  stuck,    ///< down since before anybody looked
  unknown,  ///< an axis that has not said yet where it is
  bounces,
  jitters,
};
/// One word for people.
[[nodiscard]] std::string_view word_of(Oddity oddity) noexcept;

/// A control of a unit: a role with one code, or two for a stick. A code without a role is a control as well, named
/// after its code.
struct SeenControl {
  std::string role;
  bool is_known = true;    ///< it is a role
  bool was_heard = false;  ///< has said something since it came
  std::string label;       ///< what people see there; may be empty
  std::string code;        ///< "BTN_SOUTH"
  std::string code_y{};    ///< of two: the one that goes up and down
  RoleKind kind = RoleKind::button;
  std::optional<Spot> at;
  double x = 0;  ///< of a button 0 or 1, of counts all of them
  double y = 0;
  std::int32_t raw_x = 0;
  std::int32_t raw_y = 0;
  Oddity odd = Oddity::none;

  /// "ABS_X, ABS_Y"
  [[nodiscard]] std::string codes() const { return code_y.empty() ? code : code + ", " + code_y; }
  /// A pressed button, or an axis away from its rest position.
  [[nodiscard]] bool is_lit() const noexcept;
  bool moved = false;  ///< counts: with the last report
};

struct SeenUnit {
  std::string name;
  std::string seat;  ///< empty: not assigned
  bool plays = false;
  bool empty = false;        ///< a part, and nothing is in its socket
  bool silent = false;       ///< nothing is known of it, and nothing has come: it may be out of range
  std::uint64_t spoke = 0;   ///< the later, the greater
  std::string grabbed_by{};  ///< another program that has it alone
  std::vector<SeenControl> controls;
};

/// Where a pointer was, 0..1 of the game's picture, and whether that was on it.
struct SeenPoint {
  double x = 0;
  double y = 0;
  bool on = false;
};

/// One target of a port, or the two of a stick; a pointer is three.
struct SeenTarget {
  std::string name;
  std::string place;                     ///< the role whose place it has; may be empty
  TargetKind kind = TargetKind::button;  ///< of a pair stick, movement or pointer
  std::vector<std::uint16_t> of;         ///< the plan's targets: x, y, on
  std::vector<std::int32_t> native;      ///< likewise; of counts all that were counted
  std::vector<double> value;
  std::vector<std::int32_t> rest;
  bool lit = false;  ///< pressed, away from rest, on the game area; of counts: counted with the last sample
  std::deque<SeenPoint> shots{};  ///< of a pointer: where it was when the port's trigger was pulled; the last nine
  std::deque<SeenPoint> path{};   ///< likewise: where it was, sample by sample in which it moved; the last 20,000
};

struct SeenPort {
  int number = 0;
  std::string controller;  ///< its title
  std::string seat;
  std::array<std::string, 2> seats;  ///< the second one is mostly empty
  std::uint64_t moved = 0;           ///< the later, the greater
  bool is_played = false;            ///< some unit is there for it
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

  /// These are there now. What has been noticed of those that stay is kept. `grabbed`: nodes that another program has
  /// alone, with its name; of those that are not among them what was known stays so until they speak.
  void set_units(const std::vector<UnitDetails>& units, const std::map<int, std::string>& grabbed = {});
  void feed(int node, const Report& report);

  /// The plan whose ports are looked at.
  void set_plan(const Plan& plan);
  /// Takes over what the reader shows; to be called for each of its samples. True if anything was different.
  bool look(const Reader& reader);
  /// True while something that counts is lit, which ends with the next look.
  [[nodiscard]] bool is_moving() const noexcept { return !moved_.empty() || !moved_controls_.empty(); }

  [[nodiscard]] const std::vector<SeenUnit>& units() const noexcept { return units_; }
  [[nodiscard]] const std::vector<SeenPort>& ports() const noexcept { return ports_; }
  [[nodiscard]] const std::optional<SeenPress>& last_press() const noexcept { return last_press_; }
  /// Another number whenever a unit has changed.
  [[nodiscard]] std::uint64_t changes() const noexcept { return changes_; }

 private:
  /// One node, as a unit or a part of one has it: two players may share it.
  using Share = std::pair<int, std::string>;
  struct Heard {
    attach::HealthWatch health;
    std::map<Code, std::int32_t> values;
    std::map<Code, bool> stuck;  ///< buttons that were down from the first and have not been up
  };
  struct Wire {
    int node = 0;
    Control control;
    shape::Scale scale;
    std::size_t unit = 0;
    std::size_t seen = 0;  ///< which of the unit's controls
    bool is_y = false;
    Heard* heard = nullptr;  ///< of the node's share that it is in
    /// Of half of a stick that was measured: how, and the other half.
    std::shared_ptr<const shape::StickMap> stick{};
    Control other{};
  };

  void meet_nodes(const std::vector<UnitDetails>& units);
  void add_unit(const UnitDetails& unit, const std::map<int, std::string>& grabbed);
  static void take_over(SeenUnit& unit, const SeenUnit& before);
  void add_port(const Plan& plan, const PortInfo& info);
  void add_control(const UnitDetails& unit, const UnitDetails::Node& node, const Control& control);
  static void add_measured(Wire& wire, const Attachment& attachment);
  void add_unknown(const UnitDetails& unit, const UnitDetails::Node& node);
  void take(const Wire& wire, std::int32_t value);
  void judge(const Wire& wire);
  void note_press(const Wire& wire, double before);
  void find_who_plays();
  void note_shots(const std::vector<std::size_t>& pulled,
                  const std::vector<std::pair<std::size_t, std::size_t>>& moved);

  const Catalogue& catalogue_;
  std::vector<SeenUnit> units_;
  std::vector<Wire> wires_;  ///< in order of node and code
  std::map<Share, Heard> heard_;
  std::vector<SeenPort> ports_;
  std::vector<std::pair<std::size_t, std::size_t>> target_at_;  ///< by the plan's target: port, and target there
  std::vector<std::pair<std::size_t, std::size_t>> moved_;      ///< lit counts of the last sample
  struct Moved {
    std::size_t unit = 0;
    std::size_t control = 0;
    std::uint64_t after = 0;  ///< the number of looks
  };
  std::vector<Moved> moved_controls_;  ///< that have counted, and are lit for one look
  std::uint64_t looks_ = 0;
  std::optional<SeenPress> last_press_;
  std::uint64_t changes_ = 0;
};

}  // namespace omnipar::inline abi_0::inspect
