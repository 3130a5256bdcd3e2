// All that a session waits for at once, and which of it has come.
#pragma once

#include <array>
#include <cstdint>
#include <optional>
#include <span>

#include "omnipar/diagnostic.hpp"
#include "os/door.hpp"

namespace omnipar::play {

enum class Waited : std::uint8_t {
  signals,
  watch,
  keeper,
  desktop,
  device,  ///< a virtual one; which one comes along
  node,    ///< likewise
};

struct Ready {
  Waited what{};
  std::size_t which = 0;
};

class Waiter {
 public:
  explicit Waiter(os::Door& door) noexcept : door_(door) {}
  [[nodiscard]] std::optional<Diagnostic> begin();

  /// Waits for this, too, until it is closed. `once`: told once for each arrival, so that whoever is told reads all
  /// that is there.
  [[nodiscard]] std::optional<Diagnostic> also(int descriptor, Ready ready, bool once = false);

  /// What is ready, some of it if that is much; nothing at the time limit. False if waiting failed.
  [[nodiscard]] bool wait(std::optional<Time> until);
  /// Of the last wait.
  [[nodiscard]] std::span<const Ready> ready() const noexcept { return {ready_.data(), count_}; }

  [[nodiscard]] static Diagnostic failure();

 private:
  os::Door& door_;
  os::Descriptor descriptor_;
  std::array<Ready, 32> ready_{};
  std::size_t count_ = 0;
};

}  // namespace omnipar::play
