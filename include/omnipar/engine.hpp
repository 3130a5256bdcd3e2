// The engine: a plan, the attachments of the moment, and state.
#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "omnipar/attachment.hpp"
#include "omnipar/diagnostic.hpp"
#include "omnipar/plan.hpp"
#include "omnipar/report.hpp"

#include <tl/expected.hpp>

namespace omnipar::inline abi_0 {

class Engine;
}  // namespace omnipar::inline abi_0

namespace omnipar::inline abi_0::engine {
struct State;
class Sampler;
std::shared_ptr<const State> state_of(const Engine& engine) noexcept;
}  // namespace omnipar::inline abi_0::engine

namespace omnipar::inline abi_0 {

/// An attached unit. Ids of units that have left are never mistaken for later ones.
struct UnitId {
  std::uint64_t number = 0;  ///< no unit's, if it is 0
  /// One of `max_units` places that units take; when one has left, another may take its place.
  [[nodiscard]] constexpr std::size_t slot() const noexcept { return number % max_units; }
  friend constexpr bool operator==(const UnitId&, const UnitId&) = default;
};

/// Turns reports into the levels and press counts of a plan's targets. Belongs to one thread. All
/// that changes over time lies in one flat block (`state`), and changes only at a report, a
/// deadline or a tick; reading through a Reader changes nothing.
///
/// Each use of a control is each unit's own: two units of one seat with the same role are counted apart, with
/// debounces, long presses and ramps of their own. A button target is down while any use of any unit holds it. An
/// analog target has the value of the use with the greatest length; of equal ones (within a part in 10^12 of its
/// square) the first in the order of the binding counts, then that of the unit that came to its slot first; but an axis
/// with two sides that a pedal moves has the sum of all its uses. What counts adds up. A control may have several uses,
/// also of one target.
///
/// A report counts as a whole: first all its presses, in whatever order it has them, then its releases. After both,
/// opposite directions are resolved, and at the end whether a pointer is on its area. A press that turns a toggle off
/// releases its target where it stands in the report: another source that presses it behind that is a new press,
/// one that presses before it keeps the target down.
class Engine {
 public:
  /// Starts at time 0 with no units and everything at rest. May allocate.
  explicit Engine(Plan plan);
  /// Readers that go on see everything at rest, and nothing ever after.
  ~Engine();
  /// Readers stay with what has been moved. What it took the place of ends; one that was moved from may only be
  /// assigned to, or destroyed.
  Engine(Engine&&) noexcept;
  Engine& operator=(Engine&&) noexcept;

  /// Adds a unit. Buttons that its `state` shows as down count from their next press (`by_press`: for port 0 at once);
  /// axis values count at once, but as presses (of a direction, of a trigger) only from the next time that they pass
  /// the threshold. Axes that its `state` does not name are taken to be at rest; what is not self-centering is not
  /// moved by them before they have spoken. May allocate. Fails with `too-many-units`, with `too-many-controls` (of
  /// more than 256 buttons, where a hat is two, 32 axes, or 255 codes), with `unknown-seat` (no port is played from
  /// it), `unknown-role`, or `bad-range` (of an axis whose minimum is not below its maximum), and then nothing has
  /// changed.
  tl::expected<UnitId, Diagnostic> attach(const Attachment& attachment);

  /// The unit has left: what it alone held is at rest in one commit; what others hold stays, and what is on its way
  /// from them (a debounce, a long press, a ramp) goes on. The unit's buttons let
  /// go of what is not self-centering; then that stays until a source says where it is. An id that is not there is
  /// ignored.
  void detach(UnitId unit) noexcept;

  /// Commits a report: first advances to its time (or, if it is older than the engine's time, takes
  /// the engine's time as its own), then lets every change take effect at once: presses before
  /// releases. A code may come several times in a report; each press of a button, and each passing of a threshold by an
  /// axis, counts. Unknown units and codes are ignored and counted.
  void feed(UnitId unit, const Report& report) noexcept;

  /// Lets time pass to `now`, at most to `latest_time`; deadlines and ticks on the way take effect in their order.
  /// However the way is cut into calls, the state is the same, bit for bit. Going back in time does nothing.
  void advance(Time now) noexcept;

  /// The next moment at which something may change by itself, or nothing while all is at rest.
  [[nodiscard]] std::optional<Time> next_due() const noexcept;
  [[nodiscard]] Time now() const noexcept;

  /// Brings everything to rest in one commit (what is not self-centering stays) and takes nothing
  /// more until `thaw`; buttons that are down then count from their next press. Port 0, the hotkeys, goes on
  /// as if nothing had happened: by these somebody can end the freeze.
  void freeze() noexcept;
  void thaw() noexcept;
  [[nodiscard]] bool frozen() const noexcept;

  /// Goes on with another plan: everything goes to rest in one commit, and controls that are down count from their next
  /// press (analog values at once, where they are known). Units and readers stay. Carried over, by port and name, to a
  /// target of the same kind: where what stays was left, and presses and counts that a reader has not shown yet. Target
  /// indices stay right on ports that have the same controller as before, and read as at rest on others.
  /// Returns the units that the new plan has no use for; they stay attached. May allocate.
  std::vector<UnitId> adopt(Plan plan);

  /// Bytes that `save` needs at the moment.
  [[nodiscard]] std::size_t save_size() const noexcept;
  /// Puts all that is to come, here and in all readers, in one flat block: what is held, counted, on its way or not yet
  /// shown. Allocates nothing. False if the block is too small.
  bool save(std::span<std::byte> into) const noexcept;
  /// Goes back to that, but for what hands do: what they hold counts now, what they do not hold is released, and time
  /// goes on from now, so that what was still to come after some time comes after that time. Readers show again what
  /// they showed then: a press that was shown since is not shown again, and one that was not yet shown still will be. A
  /// target whose shown value this changes is among `changed` of the next sample. Without reports in between everything
  /// is as it was, bit for bit. Readers that were made later go on as they are. Allocates nothing. False, and nothing
  /// happens, if the block is another engine's, or if units or the plan have changed since, or it has been frozen or
  /// thawed: then what hands do is all that there is to go by.
  bool restore(std::span<const std::byte> saved) noexcept;

  /// How the unit's controls are by now: its buttons, 0 or 1, and its hats and axes, as far as they have spoken; a code
  /// each once. Empty for a unit that is not there. Allocates.
  [[nodiscard]] std::vector<Change> present(UnitId unit) const;

  /// Of a unit that finds its ranges by use: the axes that have gone farther than it began with, to all their sides.
  [[nodiscard]] std::vector<AxisCalibration> ranges_by_use(UnitId unit) const;

  [[nodiscard]] const Plan& plan() const noexcept;
  /// Changes that came from unknown units or with unknown codes, since the start.
  [[nodiscard]] std::uint64_t ignored() const noexcept;
  /// The whole state as bytes, for comparing; valid until the next `adopt` or the end.
  [[nodiscard]] std::span<const std::byte> state() const noexcept;

 private:
  friend std::shared_ptr<const engine::State> engine::state_of(const Engine& engine) noexcept;
  void end() noexcept;
  std::shared_ptr<engine::State> state_;
};

}  // namespace omnipar::inline abi_0
