// Rumble requests of games to a virtual pad (Linux Documentation/input/ff.rst, linux/uinput.h). An unanswered upload or
// erase blocks the game for 30 s.
#pragma once

#include <linux/input.h>

#include <vector>

#include "os/door.hpp"

namespace omnipar::inline abi_0::outlet {

/// How many effects a virtual pad holds at once.
inline constexpr int most_effects = 16;

/// The kinds of effects that a virtual pad takes.
[[nodiscard]] const std::vector<std::uint16_t>& force_codes();

enum class ForceKind { upload, erase, play, strength };

struct ForceRequest {
  ForceKind kind = ForceKind::upload;
  int effect = 0;          ///< its number, 0..15
  ff_effect what{};        ///< of `upload`: the effect, new or in the place of a former one
  std::int32_t value = 0;  ///< of `play`: how many times, 0 stops it; of `strength`: 0..65535
};

/// Answers all requests that wait at a virtual device, and adds what was asked to `into`.
void answer(os::Files& door, int device, std::vector<ForceRequest>& into);

}  // namespace omnipar::inline abi_0::outlet
