// Readers: one consumer's view of an engine, at the consumer's own pace.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "omnipar/engine.hpp"

namespace omnipar::inline abi_0 {

/// One emulated controller at a moment, as values of its own: to be kept for each frame, compared, or sent. A target
/// that it does not have reads as at rest.
class PortValues {
 public:
  /// As PortSample has them.
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

/// One emulated controller at the moment of the last sample of its reader: a view that stays valid as long as the
/// reader, also when the engine adopts another plan. A target that the port does not have, or no longer has, reads as
/// at rest: 0, `TargetIndex::rest` as native value, no presses.
class PortSample {
 public:
  /// True if the plan has this port and on it the controller that the target is of.
  [[nodiscard]] bool has(TargetIndex target) const noexcept;
  /// True while a button is shown as down.
  [[nodiscard]] bool pressed(TargetIndex target) const noexcept;
  /// The normalised value: 0 or 1, 0..1 or -1..1; of a stick within the machine's own gate, so that a full push reaches
  /// its corners; of what counts, the counts since the sample before.
  [[nodiscard]] double value(TargetIndex target) const noexcept;
  /// The value in the machine's own range: `rest` for 0, `maximum` for 1, `minimum` for -1, straight between them, or
  /// from the border of its dead band on; rounded to the nearest step, halves away from rest. A value that would go
  /// back by a single step from what was asked for last waits until it is a whole step away, so that nothing flickers.
  /// For buttons 0 or 1, for what counts its counts.
  [[nodiscard]] std::int32_t native(TargetIndex target) const noexcept;
  /// Presses shown since the reader began; a button that was down already when it began is none.
  [[nodiscard]] std::uint32_t presses(TargetIndex target) const noexcept;
  /// The whole sample as values. `store` allocates nothing if `into` has had a sample of this port before.
  [[nodiscard]] PortValues values() const;
  void store(PortValues& into) const;

 private:
  friend class Reader;
  friend class PacedReader;
  PortSample(const engine::Sampler& sampler, int number) noexcept : sampler_(&sampler), number_(number) {}

  const engine::Sampler* sampler_;
  int number_;
};

/// A reader that knows when it is read: once a frame. Each press is shown in at least one sample,
/// however short it was and however slow the frames; a release and a new press between two samples
/// show one released sample first. Opposite directions of a controller (up and down, left and right) are shown
/// together only while hands really hold both: a tap of one and then the other takes two samples. No count is ever
/// lost; more than 2,147,483,647 of them at once come in several samples. Whether a pointer is on its area is shown
/// likewise, but of several times that it came back unseen only the last is.
///
/// When the engine adopts another plan, the next sample shows everything at rest, but for what is not self-centering,
/// which is where it is; what is pushed, and presses and counts that have not been shown yet, come behind it, if the
/// new plan has a target of that name and kind on that port.
///
/// Reads allocate nothing. A reader whose engine is gone, or is another one by assignment, shows everything at rest
/// from its next sample on; it keeps what it needs of the engine. A reader and its engine are used from one thread.
/// Copying is not offered.
class Reader {
 public:
  /// Sees from now on; buttons that are down now are shown as down, and counts begin at 0.
  explicit Reader(const Engine& engine);
  ~Reader();
  Reader(Reader&&) noexcept;
  Reader& operator=(Reader&&) noexcept;

  /// Takes the next sample.
  void next_frame() noexcept;
  /// The sample's values for one port; a port that the plan lacks reads as at rest.
  [[nodiscard]] PortSample port(int number) const noexcept;
  /// Targets whose shown value changed with the last sample, each once, in no order; of what
  /// counts those that have counted, and once more when they have not. After another plan, all of them.
  [[nodiscard]] std::span<const TargetPlace> changed() const noexcept;
  /// As PortSample has them, of one of the plan's targets by its place there, as `changed` gives it; beyond them 0.
  [[nodiscard]] double value(TargetPlace target) const noexcept;
  [[nodiscard]] std::int32_t native(TargetPlace target) const noexcept;

 private:
  std::unique_ptr<engine::Sampler> sampler_;
};

/// A reader for outlets that cannot know when they are read: a press is shown at once and lasts at
/// least `shortest_press`, only its release waits. (Two presses do wait, for a reader could not tell them from others
/// otherwise: a second press within that time comes after the first has been shown, and has been shown released, for as
/// long; and an opposite direction comes when the one across has been shown for as long. Another plan ends a press
/// earlier.) Otherwise like Reader.
class PacedReader {
 public:
  PacedReader(const Engine& engine, Duration shortest_press);
  ~PacedReader();
  PacedReader(PacedReader&&) noexcept;
  PacedReader& operator=(PacedReader&&) noexcept;

  /// Shows what can be shown at `now`, which must not be before the engine's time.
  void catch_up(Time now) noexcept;
  /// When `catch_up` has something to show even if the engine changes nothing.
  [[nodiscard]] std::optional<Time> next_due() const noexcept;
  [[nodiscard]] PortSample port(int number) const noexcept;
  [[nodiscard]] std::span<const TargetPlace> changed() const noexcept;
  /// As PortSample has them, of one of the plan's targets by its place there, as `changed` gives it; beyond them 0.
  [[nodiscard]] double value(TargetPlace target) const noexcept;
  [[nodiscard]] std::int32_t native(TargetPlace target) const noexcept;

 private:
  std::unique_ptr<engine::Sampler> sampler_;
};

/// 1.2 frames of a plan's machine: how long an outlet shows a press at the least.
[[nodiscard]] Duration shortest_press(const Plan& plan) noexcept;

}  // namespace omnipar::inline abi_0
