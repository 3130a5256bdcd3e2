// Ticking off: which targets of each port have been seen to work at the machine's side, and which are still open.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "inspect/seen.hpp"
#include "omnipar/plan.hpp"

namespace omnipar::inline abi_0::inspect {

/// One target of a port. A button is ticked by a press; a trigger at its end; a stick or an axis at each of its ends;
/// what counts, each way; a pointer near each edge of the game area.
struct TickedTarget {
  std::string name;
  TargetKind kind = TargetKind::button;
  bool bound = false;         ///< something is bound to it: only then it is expected
  std::uint8_t wanted = 0;    ///< a bit for each end; of a button one
  std::uint8_t ticked = 0;    ///< of these
  std::uint64_t presses = 0;  ///< of a button

  [[nodiscard]] bool is_open() const noexcept { return bound && ticked != wanted; }
};

struct TickedPort {
  int number = 0;
  std::string seat;
  std::string controller;
  std::vector<TickedTarget> targets;  ///< in the order of the port that is seen
  bool was_played = false;            ///< it had a player

  /// How many are ticked, and of how many.
  [[nodiscard]] std::size_t ticked() const noexcept;
  [[nodiscard]] std::size_t expected() const noexcept;
  /// What is still open, in words: "coin", "move (left, up)".
  [[nodiscard]] std::vector<std::string> open() const;
};

class TickOff {
 public:
  /// Of the ports that `seen` has by this plan; these players alone, or all.
  TickOff(const Plan& plan, const Seen& seen, std::vector<int> players = {});
  /// What was ticked before the plan was another one: of ports that have the same controller still.
  void take_over(const TickOff& before);
  /// To be called after each `Seen::look` that has found something.
  void update(const Seen& seen);
  /// A press of this target that the machine did not receive because it took the seat.
  void tick(int port, std::string_view target);

  [[nodiscard]] const std::vector<TickedPort>& ports() const noexcept { return ports_; }
  /// True if nothing is open.
  [[nodiscard]] bool complete() const noexcept;
  /// The same, but for players who were never there, if any was.
  [[nodiscard]] bool complete_for_those_there() const noexcept;
  /// "Players 1 and 2 are complete.", a sentence for each incomplete player, and those who never played.
  [[nodiscard]] std::vector<std::string> result() const;

 private:
  [[nodiscard]] bool is_expected(const TickedPort& port) const noexcept;

  std::vector<int> players_;
  std::vector<TickedPort> ports_;
  std::vector<std::vector<bool>> was_down_;  ///< by port and target: buttons at the last look
};

}  // namespace omnipar::inline abi_0::inspect
