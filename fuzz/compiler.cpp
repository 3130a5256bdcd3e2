// Profiles with any bindings, valid or not: each is rejected with a reason, or plays as the slow twin does.
#include "engine/judged.hpp"
#include "fuzz.hpp"

void fuzz_one(std::span<const std::uint8_t> bytes) {
  if (const auto complaint = omnipar::test::judge_profile(bytes)) fuzz::fail(*complaint);
}
