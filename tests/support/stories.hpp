// Stories that bytes tell, made up at random; one that is refused is told as shortly as it still is.
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

/// Judges `count` stories of up to `longest` bytes, ever longer ones; the same for the same seed. If one is refused,
/// shorter ones are tried, and the test fails with the shortest that is refused, too. The judge must judge one story
/// the same each time.
void judge_stories(std::uint64_t seed, int count, int longest, const Judge& judge);

}  // namespace omnipar::test
