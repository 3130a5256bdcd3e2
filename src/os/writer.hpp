// Writes on a thread of its own, for devices that take their time.
#pragma once

#include <cstdint>
#include <memory>
#include <span>

namespace omnipar::inline abi_0::os {

/// Queues writes; among those with the same first byte, only the last is written. Failures are ignored. Makes system
/// calls itself, because the door must be used from one thread.
class Writer {
 public:
  /// The descriptor may be closed before the writer ends: it has one of its own. Throws std::system_error if there can
  /// be no more threads or descriptors.
  explicit Writer(int descriptor);
  /// Writes what still waits. A device that hangs is waited for half a second; then it is left to its thread, and what
  /// waits behind it is lost.
  ~Writer();
  Writer(const Writer&) = delete;
  Writer& operator=(const Writer&) = delete;

  /// Lost if there is no memory for it.
  void put(std::span<const std::uint8_t> bytes) noexcept;

 private:
  struct Desk;  ///< what it shares with its thread
  std::shared_ptr<Desk> desk_;
};

}  // namespace omnipar::inline abi_0::os
