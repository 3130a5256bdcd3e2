// The entry point for libFuzzer.
#include "fuzz.hpp"

extern "C" int LLVMFuzzerTestOneInput(const std::uint8_t* data, std::size_t size) {
  fuzz_one({data, size});
  return 0;
}
