// Random stories generated from bytes; a failing one is reduced to the shortest that still fails.
#pragma once

#include <cstddef>
#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <vector>

namespace omnipar::test {

/// What is wrong with a story, or nothing.
using Judge = std::function<std::optional<std::string>(const std::vector<std::uint8_t>& story)>;

/// Checks `count` stories of up to `longest` bytes, of increasing length; the same for the same seed. After a failure,
/// shorter ones are tried, and the test fails with the shortest that fails, too. The judge must be
/// deterministic.
void judge_stories(std::uint64_t seed, int count, int longest, const Judge& judge);

}  // namespace omnipar::test
