// Units that follow no convention: random codes, directions, rest values and rates, as found on real ones; and a user
// who learns one from nothing.
#pragma once

#include <map>
#include <random>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "omnipar/omnipar.hpp"
#include "omnipar/unit_learning.hpp"

namespace omnipar::test {

/// The unit as its owner knows it: its controls, and the effect of each on its codes.
class OddUnit {
 public:
  OddUnit(ModelForm form, unsigned seed);

  /// One code in the unit's own terms: from 0, its lower end, to 1. For a counter, the counts not yet
  /// reported.
  struct Channel {
    std::size_t node = 0;
    Code code;
    std::int32_t low = 0, high = 1;
    double rest = 0;
    double noise = 0;
    double at = 0;
    double stops_beside = 0;  ///< the offset after a release, on the side that it came from
    std::int32_t said = 0;
  };
  /// The effect of a complete act, such as "left-stick-right", on a channel; a switch in a trigger closes
  /// earlier.
  struct Drive {
    std::size_t channel = 0;
    double full = 1;
    double closes_at = 0;  ///< of a switch
  };

  [[nodiscard]] bool has(const std::string& act) const { return acts_.contains(act); }
  [[nodiscard]] std::vector<std::string> acts() const;
  /// The unit's state with this act done to this degree.
  void act(const std::string& name, double amount);
  /// All changes since the last call, by node.
  [[nodiscard]] std::vector<std::pair<std::size_t, std::vector<Change>>> reports();
  /// The next reports contain each axis, even if it has not moved.
  void say_axes() {
    for (Channel& channel : channels_)
      if (channel.code.type == ev_abs) channel.said = channel.high + 1;
  }
  /// The nodes as the kernel describes them: an axis that has not reported may read 0.
  std::vector<Description> nodes;
  double rate = 125;      ///< reports per second
  bool is_noisy = false;  ///< axes are noisy

 private:
  int below(int n) { return static_cast<int>(dice_() % static_cast<unsigned>(n)); }
  double between(double from, double to) { return from + (to - from) * below(1000) / 999; }
  std::size_t add_node(const std::string& name);
  void key(std::size_t node, const std::string& act);
  std::size_t axis(std::size_t node, double rest);
  std::size_t counter(std::size_t node, std::uint16_t code);
  std::size_t hat(std::size_t node);
  void two_ways(std::size_t channel, const std::string& less, const std::string& more, double reach);
  void cross(std::size_t node, bool may_be_axes);
  void stick(std::size_t node, const std::string& role);
  void trigger(std::size_t node, const std::string& role);
  void pedals_on_one(std::size_t node);
  void counts(std::size_t channel, const std::string& less, const std::string& more);
  void place(std::size_t channel, const std::string& less, const std::string& more);
  void build(ModelForm form);
  void describe();

  std::mt19937 dice_;
  std::vector<std::uint16_t> keys_, axes_;
  std::vector<Channel> channels_;
  std::map<std::string, std::vector<Drive>> acts_;
};

/// The name of the act that a question asks for.
[[nodiscard]] std::string act_for(const ModelQuestion& asked);

/// A user who learns the unit by pressing.
class Newcomer {
 public:
  Newcomer(OddUnit& unit, Learning& learning, unsigned seed);
  /// Until the guide ends; false if it does not.
  bool finish(const std::vector<ModelQuestion>& asked);

  int presses = 0, answered = 0, refused = 0;
  std::string said;

 private:
  void wait(double ms);
  void ramp(const std::string& act, double from, double to, double ms);
  void press(const std::string& act);
  void span(const std::string& from, const std::string& to);
  void hold(double ms);
  void read();
  [[nodiscard]] double between(double from, double to) {
    return from + (to - from) * static_cast<double>(dice_() % 1000) / 999;
  }
  [[nodiscard]] std::string button() const;

  OddUnit& unit_;
  Learning& learning_;
  std::mt19937 dice_;
  bool waits_ = false;  ///< as instructed
  Time now_ = at_us(1'000'000);
};

/// What is wrong when the sheet is played: each act must move its intended targets and nothing else. Empty if nothing.
[[nodiscard]] std::string judge_sheet(const UnitSheet& sheet, ModelForm form, unsigned seed,
                                      const std::vector<std::string>& meant);

}  // namespace omnipar::test
