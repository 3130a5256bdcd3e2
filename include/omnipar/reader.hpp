// Readers: a consumer's samples of an engine, at the consumer's own rate.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "omnipar/engine.hpp"

namespace omnipar::inline abi_0 {

/// A copy of one emulated controller's values, to store for each frame, compare or send. A target that it does not have
/// reads as at rest.
class PortValues {
 public:
  /// See the members of `PortSample`.
  [[nodiscard]] bool has(TargetIndex target) const noexcept;
  [[nodiscard]] bool pressed(TargetIndex target) const noexcept;
  [[nodiscard]] double value(TargetIndex target) const noexcept;
  [[nodiscard]] std::int32_t native(TargetIndex target) const noexcept;
  [[nodiscard]] std::uint32_t presses(TargetIndex target) const noexcept;
  friend bool operator==(const PortValues&, const PortValues&) = default;

 private:
  friend class PortSample;
  struct Value {
    double value = 0;
    std::int32_t native = 0;
    std::uint32_t presses = 0;
    friend bool operator==(const Value&, const Value&) = default;
  };
  [[nodiscard]] const Value* find(TargetIndex target) const noexcept;

  std::vector<Value> values_;
  std::uint32_t layout_ = 0;
};

/// A view of one emulated controller in the last sample of its reader. Valid as long as the reader, even if the engine
/// adopts another plan. A target that the port does not have reads as at rest: value 0, native value
/// `TargetIndex::rest`, no presses.
class PortSample {
 public:
  /// Returns true if the plan has this port with the target's controller.
  [[nodiscard]] bool has(TargetIndex target) const noexcept;
  /// Returns true while a button is shown as pressed.
  [[nodiscard]] bool pressed(TargetIndex target) const noexcept;
  /// Returns the normalised value: 0 or 1 for buttons, 0 to 1 or -1 to 1 for axes. A stick is mapped to the machine's
  /// gate, so that a full push reaches its corners. For relative targets, the counts since the previous sample.
  [[nodiscard]] double value(TargetIndex target) const noexcept;
  /// Returns the value in the machine's range: `rest` for 0, `maximum` for 1, `minimum` for -1, linear in between or
  /// from the border of the machine's dead band, rounded to the nearest step, halves away from rest. A value that would
  /// go back by a single step waits until it is a whole step away, which prevents flicker. For buttons 0 or 1; for
  /// relative targets the counts.
  [[nodiscard]] std::int32_t native(TargetIndex target) const noexcept;
  /// Returns the presses shown since the reader was created, without buttons that were already pressed then.
  [[nodiscard]] std::uint32_t presses(TargetIndex target) const noexcept;
  /// Returns a copy of all values. `store` does not allocate if `into` already holds a sample of this port.
  [[nodiscard]] PortValues values() const;
  void store(PortValues& into) const;

 private:
  friend class Reader;
  friend class PacedReader;
  PortSample(const engine::Sampler& sampler, int number) noexcept : sampler_(&sampler), number_(number) {}

  const engine::Sampler* sampler_;
  int number_;
};

/// A reader for consumers that sample once per frame.
///
/// Every press is shown in at least one sample, however short it is and however slow the frames. A release and a new
/// press between two samples show one released sample first. Opposite directions are shown together only while both are
/// physically held: a tap of one and then the other takes two samples. No count is lost; more than 2,147,483,647 at
/// once are spread over several samples. Whether a pointer is on its area is shown in the same way, but if it returned
/// several times between two samples, only the last return is shown.
///
/// After `Engine::adopt`, the next sample shows all targets at rest, except those that are not self-centering. Held
/// controls, and presses and counts not shown yet, follow in later samples, for targets with the same port, name and
/// kind.
///
/// Reading does not allocate. After its engine is destroyed or assigned to, a reader shows all targets at rest. A
/// reader and its engine must be used from one thread. Readers cannot be copied.
class Reader {
 public:
  /// Creates a reader that shows the current state: pressed buttons are shown as pressed, and counts start at 0.
  explicit Reader(const Engine& engine);
  ~Reader();
  Reader(Reader&&) noexcept;
  Reader& operator=(Reader&&) noexcept;

  /// Moves to the next sample.
  void next_frame() noexcept;
  /// Returns the values of one port. A port that the plan lacks reads as at rest.
  [[nodiscard]] PortSample port(int number) const noexcept;
  /// Returns the targets whose shown value changed in the last sample, each once, in no order. Relative targets are
  /// included when they counted, and again when they stopped. After another plan, all targets are included.
  [[nodiscard]] std::span<const TargetPlace> changed() const noexcept;
  /// The values of a target by its place in the plan, as returned by `changed`; 0 beyond the last target.
  [[nodiscard]] double value(TargetPlace target) const noexcept;
  [[nodiscard]] std::int32_t native(TargetPlace target) const noexcept;

 private:
  std::unique_ptr<engine::Sampler> sampler_;
};

/// A reader for outlets that do not know when they are read. A press is shown immediately and lasts at least
/// `shortest_press`; only its release is delayed. A press is delayed in two cases: a second press of the same target,
/// until the first one and its release have been shown for that long, and an opposite direction, until the other has
/// been shown for that long. Another plan ends a press early. Otherwise like `Reader`.
class PacedReader {
 public:
  PacedReader(const Engine& engine, Duration shortest_press);
  ~PacedReader();
  PacedReader(PacedReader&&) noexcept;
  PacedReader& operator=(PacedReader&&) noexcept;

  /// Shows everything due at `now`, which must not be before the engine's time.
  void catch_up(Time now) noexcept;
  /// Returns when `catch_up` has something to show even if the engine does not change.
  [[nodiscard]] std::optional<Time> next_due() const noexcept;
  [[nodiscard]] PortSample port(int number) const noexcept;
  [[nodiscard]] std::span<const TargetPlace> changed() const noexcept;
  /// The values of a target by its place in the plan, as returned by `changed`; 0 beyond the last target.
  [[nodiscard]] double value(TargetPlace target) const noexcept;
  [[nodiscard]] std::int32_t native(TargetPlace target) const noexcept;

 private:
  std::unique_ptr<engine::Sampler> sampler_;
};

/// Returns the shortest time for which an outlet shows a press: 1.2 frames of the plan's machine.
[[nodiscard]] Duration shortest_press(const Plan& plan) noexcept;

}  // namespace omnipar::inline abi_0
