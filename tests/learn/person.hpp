// A user who maps by pressing: follows the questions with all possible slips, and reads only the
// echo.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "omnipar/learning.hpp"
#include "omnipar/omnipar.hpp"

namespace omnipar::test {

/// A unit in front of a user, with its controls at rest.
class Desk {
 public:
  Desk(std::vector<Question> questions, LearnOptions options = {});

  /// Adds a unit; its nodes are numbered from `first` on.
  void put(const std::string& unit, const std::vector<Attachment>& nodes, bool ours, int first = 1);
  void disconnect(int first);
  /// From now on one axis of each of these units is noisy, by this fraction of its range.
  void shake(int first, double by);
  /// Triggers rest at their other end, regardless of their attachments.
  void turn_triggers();

  /// The changes of a source (of a unit whose nodes start at `first`): fully pushed, or to the fraction `part`.
  /// For a whole stick, wheel, gun or spinner: the sweep. Empty if there is no such source.
  struct Move {
    int node = 0;
    std::vector<std::vector<Change>> out;  ///< reports, one at a time
    std::vector<Change> back;              ///< and back to rest
  };
  [[nodiscard]] std::optional<Move> find(std::string_view source, int first = 1, double part = 1) const;

  void say(int node, const std::vector<Change>& changes);
  void wait(std::int64_t ms);
  /// Pushes a source and releases it after this many ms, followed by a moment of rest.
  void press(std::string_view source, std::int64_t held_ms = 120, int first = 1);
  void hold(std::string_view source) { press(source, 1700); }

  /// Events since the last call.
  [[nodiscard]] std::vector<LearnEvent> events();
  /// The same as printed lines, without echoes.
  [[nodiscard]] std::string said();

  Learning learning;
  std::string log;
  Time now = at_us(1'000'000);
  int presses = 0;
  double drift = 0;            ///< of a stick's range, continuously
  bool is_hasty = false;       ///< an axis is at its end in its first report
  std::int64_t bounce_ms = 0;  ///< of buttons, at their next press and release

 private:
  struct Node {
    int number = 0;
    Attachment attachment;
  };
  void jitter();
  void switch_to(int node, const std::vector<Change>& changes);
  [[nodiscard]] std::int32_t raw(const Control& control, double position) const;

  std::vector<Node> nodes_;
  std::vector<std::pair<int, double>> shaking_;
  std::map<std::pair<int, Code>, std::int32_t> places_;  ///< of axes: their physical positions
  unsigned jitters_ = 1;
};

/// The sources of a unit that a binding can name: buttons, directions, and wholes.
[[nodiscard]] std::vector<std::string> sources_of(const std::vector<Attachment>& nodes);
/// Whether a binding accepts such a source for such a target.
[[nodiscard]] bool feeds(std::string_view source, TargetKind target);

}  // namespace omnipar::test
