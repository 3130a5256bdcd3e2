// Pairs of controls that are held together on one unit, watched beside the engine: they work though nobody
// has bound them, though the unit has no seat, and while all is frozen.
#pragma once

#include <map>
#include <optional>
#include <string>
#include <vector>

#include "omnipar/attachment.hpp"
#include "omnipar/report.hpp"

namespace omnipar::play {

struct Pair {
  std::string first;  ///< roles of buttons
  std::string second;
  Duration after{};  ///< for how long they must be down together
};

class ChordDetector {
 public:
  explicit ChordDetector(std::vector<Pair> pairs) : pairs_(std::move(pairs)) {}

  /// Follows the buttons of a hand; `hand` tells units apart.
  void take(int hand, const Attachment& attachment, const Report& report);
  /// All hands, or one of them, are taken to hold nothing.
  void forget() {
    downs_.clear();
    find_next_due();
  }
  void forget(int hand) {
    downs_.erase(hand);
    find_next_due();
  }
  /// When a pair that is down now counts; nothing if none is. (Asked in every wake-up.)
  [[nodiscard]] std::optional<Time> next_due() const noexcept { return due_; }
  /// True once for each time that a pair has been down for as long as it must.
  [[nodiscard]] bool fired(Time now) noexcept;

 private:
  void find_next_due() noexcept;

  struct Down {
    bool first = false;
    bool second = false;
    std::optional<Time> since;  ///< both; nothing again once it has fired
  };

  std::vector<Pair> pairs_;
  std::map<int, std::vector<Down>> downs_;  ///< by hand: one for each pair
  std::optional<Time> due_;
};

}  // namespace omnipar::play
