// A pad with worn sticks, moved by a person who follows the guide.
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
  double push_error = 5;     ///< error of the requested direction in degrees, standard deviation
  double least_push = 0.95;  ///< as a fraction of the reach
  double sweep = 1;          ///< the extent of a sweep, as a fraction of the reach
};

/// A pad with two worn sticks, a trigger, a paddle that is not self-centering and a button. It reports only changes.
class Hands {
 public:
  explicit Hands(unsigned seed, CalibrateOptions options = {});
  Hands(const MadeStick& left, unsigned seed, CalibrateOptions options);

  void wait(int ms);
  /// Moves to a position.
  void put(int stick, double x, double y);
  /// Releases the stick, which springs back, though not always all the way.
  void let_go(int stick);
  /// Along the edge: the number of turns, and the seconds per turn.
  void sweep(int stick, double turns, double seconds, double reach = 1);
  void push(int stick, double degrees, int ms = 600);
  void pull(double& value, double to, int ms = 300);
  void button(int ms = 120);

  /// All text since the last call.
  std::vector<CalibrateEvent> events();
  [[nodiscard]] static bool refused(SweepRefusal why, const std::vector<CalibrateEvent>& events);

  /// Does what is asked, correctly.
  void do_it();
  void to_the_end();
  void until(const std::string& role, CalibrateStep step);
  /// Restarts from the first control, with the unit in its current state.
  void begin_again();
  /// Including its state, as the kernel reports it.
  void come_back();

  Calibrating guide;
  std::mt19937 dice;
  Attachment unit;
  Manner manner;
  MadeStick sticks[2];
  std::array<double, 2> at[2]{};
  std::array<double, 2> creep[2]{};  ///< the remaining distance to where it will stop
  double trigger = 0, paddle = -0.3;
  double trigger_creep = 0;  ///< after its release the trigger stays this far from rest for a second or two
  bool is_mirrored = false;  ///< the left stick's x is reversed, as stated in its sheet
  bool down = false;
  double report_ms = 8;
  Time now = at_us(5'000'000);
  CalibrateEvent asked;
  std::string said;

 private:
  void describe();
  void speak();

  std::map<Code, std::int32_t> last_;
  std::map<Code, int> spike_;  ///< the number of further reports with an invalid axis
  CalibrateOptions options_;
  double trigger_left_ = 0;
  double since_report_ = 0;
};

}  // namespace omnipar::test
