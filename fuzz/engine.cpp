// Calls of the engine in any order, on any machine: engine, readers and slow twin must agree.
#include "engine/judged.hpp"
#include "fuzz.hpp"

void fuzz_one(std::span<const std::uint8_t> bytes) {
  if (const auto complaint = omnipar::test::judge_story(bytes)) fuzz::fail(*complaint);
}
