// The slow twin: a naive interpreter of a profile, which judges the engine. It knows neither plans
// nor signals; after each single press, release, deadline or tick it works out every target anew.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "omnipar/omnipar.hpp"

namespace omnipar::test {

class SlowTwin {
 public:
  struct Value {
    double level = 0;
    std::uint32_t presses = 0;
    bool operator==(const Value&) const = default;
  };

  SlowTwin(const Catalogue& catalogue, const Profile& profile);
  void attach(int slot, const Attachment& attachment);
  void detach(int slot);
  void feed(int slot, Time time, std::span<const Change> changes);
  void advance(Time now);
  void freeze();
  void thaw();
  /// By "port/target"; port 0 has the hot actions.
  [[nodiscard]] const std::map<std::string, Value>& values() const { return values_; }

 private:
  struct Contact {  ///< a button, or one direction of an axis, of one unit
    bool down = false, counted = false;
  };
  struct Unit {
    Attachment attachment;
    std::map<Code, std::int32_t> raw;
    std::map<std::string, Contact> buttons;  ///< by role and code
  };
  struct Line {  ///< one use of a button target, or of one side of an axis that is made of buttons
    std::string target;
    std::string seat, role, chord_role;
    std::optional<std::size_t> direction;  ///< of a stick or axis
    Use use;
    std::map<int, Contact> crossings;  ///< by slot
    bool in = false, middle = false, out = false;
    std::optional<std::int64_t> deaf_until, held_until;
  };
  struct Glide {  ///< a lane made of four lines
    std::array<int, 4> lines{-1, -1, -1, -1};
    double ramp = 0;
    std::int64_t x = 0, y = 0;
  };
  struct Lane {
    std::string seat, role;
    double dead_zone = 0;
    int glide = -1;
  };
  struct Point {
    double x = 0, y = 0;
    bool operator==(const Point&) const = default;
  };
  using Points = std::vector<std::map<int, Point>>;  ///< by lane, by slot; those at rest are left out
  struct Analog {
    std::string x, y;
    bool stays = false;
    std::vector<Lane> lanes;
    Points points;
  };

  void add_line(const std::string& target, const std::string& seat, const Use& use, const std::string& role,
                std::optional<std::size_t> direction = {});
  void add_port(const SystemSheet& system, const Profile& profile, const PortProfile& port);
  struct Count {  ///< a use of what counts
    std::string x, y, seat, role;
  };
  void add_analog(const std::string& prefix, const std::string& seat, const TargetSheet& sheet,
                  const std::vector<Use>& uses);
  int add_glide_line(const std::string& seat, const Use& use, const std::string& role);

  [[nodiscard]] bool role_held(const std::string& seat, const std::string& role) const;
  [[nodiscard]] bool line_in(const Line& line) const;
  [[nodiscard]] Point position(const Unit& unit, const std::string& role) const;
  [[nodiscard]] bool has_axis(const Unit& unit, const std::string& role) const;
  [[nodiscard]] Point goal(const Glide& glide) const;
  [[nodiscard]] std::optional<std::int64_t> next() const;
  void press_button(Contact& contact);
  void cross(int slot, Unit& unit);
  void work_out();
  void work_out_analog();
  [[nodiscard]] Points points_of(const Analog& analog) const;
  [[nodiscard]] Point shaped(Point point, double dead_zone) const;
  void fire();
  void end_at_once(const Unit& unit);
  [[nodiscard]] bool feeds(const Unit& unit, const Line& line) const;

  std::int64_t now_ = 0;
  bool frozen_ = false;
  std::map<int, Unit> units_;
  std::vector<Line> lines_;
  std::vector<Glide> glides_;
  std::vector<Analog> analogs_;
  std::vector<Count> counts_;
  std::map<std::string, Value> values_;
};

}  // namespace omnipar::test
