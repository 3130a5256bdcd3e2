// Rumble requests of games to a virtual pad (Linux Documentation/input/ff.rst, linux/uinput.h). An unanswered upload or
// erase blocks the game for 30 s.
#pragma once

#include <linux/input.h>

#include <vector>

#include "os/door.hpp"

namespace omnipar::inline abi_0::outlet {

/// The number of effects that a virtual pad holds at once.
inline constexpr int most_effects = 16;

/// The types of effects that a virtual pad supports.
[[nodiscard]] const std::vector<std::uint16_t>& force_codes();

enum class ForceKind { upload, erase, play, strength };

struct ForceRequest {
  ForceKind kind = ForceKind::upload;
  int effect = 0;          ///< its id, 0..15
  ff_effect what{};        ///< for `upload`: the effect, new or replacing an earlier one
  std::int32_t value = 0;  ///< for `play`: the repeat count, 0 stops it; for `strength`: 0..65535
};

/// Answers all pending requests of a virtual device and appends them to `into`.
void answer(os::Files& door, int device, std::vector<ForceRequest>& into);

}  // namespace omnipar::inline abi_0::outlet
