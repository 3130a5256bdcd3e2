// Readers: one consumer's view of an engine, at the consumer's own pace.
#pragma once

#include <cstdint>
#include <memory>
#include <optional>
#include <span>

#include "omnipar/engine.hpp"

namespace omnipar {

namespace detail {
class Follower;
}

/// One emulated controller at the moment of the last sample. Valid as long as its reader. A target
/// index beyond the port reads as at rest.
class PortSample {
 public:
  PortSample(const detail::Follower& follower, const PortInfo* port) noexcept : follower_(&follower), port_(port) {}
  /// True while a button is shown as down.
  [[nodiscard]] bool pressed(TargetIndex target) const noexcept;
  /// The normalised value: 0 or 1, 0..1 or -1..1; of what counts, the counts since the sample before.
  [[nodiscard]] double value(TargetIndex target) const noexcept;
  /// The value in the machine's own range; for buttons 0 or 1, for what counts its counts.
  [[nodiscard]] std::int32_t native(TargetIndex target) const noexcept;
  /// Presses shown since the reader began.
  [[nodiscard]] std::uint32_t presses(TargetIndex target) const noexcept;

 private:
  const detail::Follower* follower_;
  const PortInfo* port_;
};

/// A reader that knows when it is read: once a frame. Each press is shown in at least one sample,
/// however short it was and however slow the frames; a release and a new press between two samples
/// show one released sample first. Reads allocate nothing. The engine must outlive its readers;
/// a reader and its engine are used from one thread. Copying is not offered.
class Reader {
 public:
  /// Sees from now on; buttons that are down now are shown as down.
  explicit Reader(const Engine& engine);
  ~Reader();
  Reader(Reader&&) noexcept;
  Reader& operator=(Reader&&) noexcept;

  /// Takes the next sample.
  void next_frame() noexcept;
  /// The sample's values for one port; a port that the plan lacks reads as at rest.
  [[nodiscard]] PortSample port(int number) const noexcept;
  /// Targets (as in Plan::targets) whose shown value changed with the last sample.
  [[nodiscard]] std::span<const std::uint16_t> changed() const noexcept;
  /// As PortSample has them, of one of the plan's targets by its place there, as `changed` gives it; beyond them 0.
  [[nodiscard]] double value(std::uint16_t target) const noexcept;
  [[nodiscard]] std::int32_t native(std::uint16_t target) const noexcept;

 private:
  std::unique_ptr<detail::Follower> follower_;
};

/// A reader for outlets that cannot know when they are read: a press is shown at once and lasts at
/// least `shortest_press`, only its release waits. (A second press within that time comes after
/// the first has been shown, and has been shown let go for as long: that one does wait, for a reader
/// could not tell the two apart otherwise.) Otherwise like Reader.
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
  [[nodiscard]] std::span<const std::uint16_t> changed() const noexcept;
  /// As PortSample has them, of one of the plan's targets by its place there, as `changed` gives it; beyond them 0.
  [[nodiscard]] double value(std::uint16_t target) const noexcept;
  [[nodiscard]] std::int32_t native(std::uint16_t target) const noexcept;

 private:
  std::unique_ptr<detail::Follower> follower_;
};

/// 1.2 frames of a plan's machine: how long an outlet shows a press at the least.
[[nodiscard]] Duration shortest_press(const Plan& plan) noexcept;

}  // namespace omnipar
