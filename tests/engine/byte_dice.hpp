// Numbers read from bytes, for stories and profiles that a fuzzer generates.
#pragma once

#include <cstddef>
#include <cstdint>
#include <span>

namespace omnipar::test {

class ByteDice {
 public:
  explicit ByteDice(std::span<const std::uint8_t> bytes) : bytes_(bytes) {}
  /// The next number below `limit`; 0 after the last byte.
  std::size_t below(std::size_t limit) {
    if (bytes_.empty()) return 0;
    const std::size_t byte = bytes_.front();
    bytes_ = bytes_.subspan(1);
    return byte % limit;
  }
  [[nodiscard]] std::span<const std::uint8_t> rest() const { return bytes_; }

 private:
  std::span<const std::uint8_t> bytes_;
};

}  // namespace omnipar::test
