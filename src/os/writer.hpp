// Writes on a separate thread, for slow devices.
#pragma once

#include <cstdint>
#include <memory>
#include <span>

namespace omnipar::inline abi_0::os {

/// Queues writes; among those with the same first byte, only the last is written. Failures are ignored. Makes system
/// calls itself, because the door must be used from one thread.
class Writer {
 public:
  /// The descriptor may be closed before the writer ends, which has its own. Throws std::system_error if there are
  /// no more threads or descriptors.
  explicit Writer(int descriptor);
  /// Writes what is queued. An unresponsive device is waited for half a second; then it is left to its thread, and the
  /// remaining queue is lost.
  ~Writer();
  Writer(const Writer&) = delete;
  Writer& operator=(const Writer&) = delete;

  /// Lost if memory runs out.
  void put(std::span<const std::uint8_t> bytes) noexcept;

 private:
  struct Desk;  ///< shared with its thread
  std::shared_ptr<Desk> desk_;
};

}  // namespace omnipar::inline abi_0::os
