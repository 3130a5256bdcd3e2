// Ticking off: which targets of each port have been seen to work in the machine's input, and which are still open.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "inspect/seen.hpp"
#include "omnipar/plan.hpp"

namespace omnipar::inline abi_0::inspect {

/// One target of a port. A button is ticked by a press; a trigger at its end; a stick or an axis at each of its ends;
/// a counter in each direction; a pointer near each edge of the game area.
struct TickedTarget {
  std::string name;
  TargetKind kind = TargetKind::button;
  bool bound = false;         ///< it has a source, and is therefore expected
  std::uint8_t wanted = 0;    ///< one bit per end; a button has one
  std::uint8_t ticked = 0;    ///< of these
  std::uint64_t presses = 0;  ///< of a button

  [[nodiscard]] bool is_open() const noexcept { return bound && ticked != wanted; }
};

struct TickedPort {
  int number = 0;
  std::string seat;
  std::string controller;
  std::vector<TickedTarget> targets;  ///< in the port's order
  bool was_played = false;            ///< it has had a player

  /// The number of ticked ends, and the total.
  [[nodiscard]] std::size_t ticked() const noexcept;
  [[nodiscard]] std::size_t expected() const noexcept;
  /// What is still open, as text: "coin", "move (left, up)".
  [[nodiscard]] std::vector<std::string> open() const;
};

class TickOff {
 public:
  /// For the ports of `seen` under this plan; for these players, or all.
  TickOff(const Plan& plan, const Seen& seen, std::vector<int> players = {});
  /// Keeps the ticks of ports that have the same controller as in the previous plan.
  void carry_over(const TickOff& before);
  /// Must be called after each `Seen::look` that returned true.
  void update(const Seen& seen);
  /// A press of this target that the machine did not receive because it claimed the seat.
  void tick(int port, std::string_view target);

  [[nodiscard]] const std::vector<TickedPort>& ports() const noexcept { return ports_; }
  /// True if nothing is open.
  [[nodiscard]] bool complete() const noexcept;
  /// The same, without players who never joined, if any did.
  [[nodiscard]] bool complete_for_those_there() const noexcept;
  /// "Players 1 and 2 are complete.", a sentence for each incomplete player, and those who never played.
  [[nodiscard]] std::vector<std::string> result() const;

 private:
  [[nodiscard]] bool is_expected(const TickedPort& port) const noexcept;

  std::vector<int> players_;
  std::vector<TickedPort> ports_;
  std::vector<std::vector<bool>> was_down_;  ///< by port and target: buttons in the last call of `look`
};

}  // namespace omnipar::inline abi_0::inspect
