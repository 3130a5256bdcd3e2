// The engine: a plan, the attachments of the moment, and state.
#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>

#include "omnipar/attachment.hpp"
#include "omnipar/diagnostic.hpp"
#include "omnipar/plan.hpp"
#include "omnipar/report.hpp"

#include <tl/expected.hpp>

namespace omnipar {

/// An attached unit. Ids of units that have left are never mistaken for later ones.
struct UnitId {
  std::uint16_t slot = 0;
  std::uint16_t age = 0;
  friend constexpr bool operator==(const UnitId&, const UnitId&) = default;
};

/// Turns reports into the levels and press counts of a plan's targets. Belongs to one thread. All
/// that changes over time lies in one flat block (`state`), and changes only at a report, a
/// deadline or a tick; reading through a Reader changes nothing.
class Engine {
 public:
  /// Starts at time 0 with no units and everything at rest. May allocate.
  explicit Engine(Plan plan);
  ~Engine();
  Engine(Engine&&) noexcept;
  Engine& operator=(Engine&&) noexcept;

  /// Adds a unit. Buttons that its `state` shows as down count from their next press; axis values
  /// count at once. Controls without a use in the plan cost nothing. May allocate. Fails with
  /// `too-many-units` or `too-many-controls`, and then nothing has changed.
  tl::expected<UnitId, Diagnostic> attach(const Attachment& attachment);

  /// The unit has left: what it alone held is at rest in one commit, what others hold stays.
  /// An id that is not there is ignored.
  void detach(UnitId unit) noexcept;

  /// Commits a report: first advances to its time (or, if it is older than the engine's time, takes
  /// the engine's time as its own), then lets every change take effect at once: presses before
  /// releases. Unknown units and codes are ignored and counted.
  void feed(UnitId unit, const Report& report) noexcept;

  /// Lets time pass to `now`; deadlines and ticks on the way take effect in their order. However the
  /// way is cut into calls, the state is the same, bit for bit. Going back in time does nothing.
  void advance(Time now) noexcept;

  /// The next moment at which something changes by itself, or nothing while all is at rest.
  [[nodiscard]] std::optional<Time> next_due() const noexcept;
  [[nodiscard]] Time now() const noexcept;

  /// Brings everything to rest in one commit (what stays where it is left stays) and takes nothing
  /// more until `thaw`; buttons that are down then count from their next press.
  void freeze() noexcept;
  void thaw() noexcept;
  [[nodiscard]] bool frozen() const noexcept;

  /// Goes on with another plan: everything goes to rest in one commit, attachments stay, readers stay
  /// valid. Target indices must be resolved anew. May allocate.
  void adopt(Plan plan);

  [[nodiscard]] const Plan& plan() const noexcept;
  /// Changes that came from unknown units or with unknown codes, since the start.
  [[nodiscard]] std::uint64_t ignored() const noexcept;
  /// The whole state as bytes, for comparing; valid until the next `adopt` or the end.
  [[nodiscard]] std::span<const std::byte> state() const noexcept;

  struct Heart;
  /// For the library's own readers.
  [[nodiscard]] const Heart& heart() const noexcept { return *heart_; }

 private:
  std::unique_ptr<Heart> heart_;
};

}  // namespace omnipar
