// A pad with worn sticks in a person's hands, who does what the guide asks.
#pragma once

#include <array>
#include <map>
#include <random>
#include <string>
#include <vector>

#include "calibrate/made_stick.hpp"
#include "omnipar/sheets.hpp"

namespace omnipar::test {

/// How a person sweeps and pushes.
struct Manner {
  double push_error = 5;     ///< degrees beside the direction that is asked for, standard deviation
  double least_push = 0.95;  ///< of the reach
  double sweep = 1;          ///< how far a sweep goes, of the reach
};

/// A pad with two worn sticks, a trigger, a paddle that stays and a button. Like a real one it reports only changes.
class Hands {
 public:
  explicit Hands(unsigned seed, CalibrateOptions options = {});
  Hands(const MadeStick& left, unsigned seed, CalibrateOptions options);

  void wait(int ms);
  /// The hand goes there.
  void put(int stick, double x, double y);
  /// The hand releases the stick, which springs back, but not always all the way.
  void let_go(int stick);
  /// Along the edge, this many times around, in this many seconds each.
  void sweep(int stick, double turns, double seconds, double reach = 1);
  void push(int stick, double degrees, int ms = 600);
  void pull(double& value, double to, int ms = 300);
  void button(int ms = 120);

  /// All that has been said since this was asked last.
  std::vector<CalibrateEvent> heard();
  [[nodiscard]] static bool refused(SweepRefusal why, const std::vector<CalibrateEvent>& events);

  /// What is asked, done as it should be.
  void do_it();
  void to_the_end();
  void until(const std::string& role, CalibrateStep step);
  /// Again from the first control, with the unit as it is now.
  void begin_again();
  /// With how it stands, as the kernel reports it.
  void come_back();

  Calibrating guide;
  std::mt19937 dice;
  Attachment unit;
  Manner manner;
  MadeStick sticks[2];
  std::array<double, 2> at[2]{};
  std::array<double, 2> creep[2]{};  ///< how far it still is from where it will stop
  double trigger = 0, paddle = -0.3;
  double trigger_creep = 0;  ///< released, the trigger stays this far from its rest at first, for a second or two
  bool is_mirrored = false;  ///< the left stick's x runs from right to left, and its sheet says so
  bool down = false;
  double report_ms = 8;
  Time now = at_us(5'000'000);
  CalibrateEvent asked;
  std::string said;

 private:
  void describe();
  void speak();

  std::map<Code, std::int32_t> last_;
  std::map<Code, int> spike_;  ///< reports for which an axis still says nonsense
  CalibrateOptions options_;
  double trigger_left_ = 0;
  double since_report_ = 0;
};

}  // namespace omnipar::test
