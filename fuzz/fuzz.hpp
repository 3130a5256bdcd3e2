// Common parts of all fuzz targets: one input, and an abort with a reason if a law is broken.
#pragma once

#include <cstdint>
#include <cstdio>
#include <cstdlib>
#include <span>
#include <string>
#include <string_view>

/// Judges one input; defined by each target.
void fuzz_one(std::span<const std::uint8_t> bytes);

namespace fuzz {

[[noreturn]] inline void fail(std::string_view reason) {
  std::fprintf(stderr, "%.*s\n", static_cast<int>(reason.size()), reason.data());
  std::abort();
}

/// A law; it holds in release builds, too.
inline void require(bool holds, std::string_view law) {
  if (!holds) fail(law);
}

[[nodiscard]] inline std::string text_of(std::span<const std::uint8_t> bytes) {
  return {reinterpret_cast<const char*>(bytes.data()), bytes.size()};
}

}  // namespace fuzz
