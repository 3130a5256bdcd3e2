// Writes on a thread of its own, for devices that take their time.
#pragma once

#include <condition_variable>
#include <cstdint>
#include <map>
#include <mutex>
#include <span>
#include <thread>
#include <vector>

namespace omnipar::os {

/// What is put waits for its turn; of what begins with the same byte only the last is written. Nothing is told of
/// failures. It calls the system itself, for the door is for one thread.
class Writer {
 public:
  /// The descriptor must outlive the writer. Throws std::system_error if there can be no more threads.
  explicit Writer(int descriptor);
  /// Writes what still waits; a device that hangs is waited for.
  ~Writer();
  Writer(const Writer&) = delete;
  Writer& operator=(const Writer&) = delete;

  /// Lost if there is no memory for it.
  void put(std::span<const std::uint8_t> bytes) noexcept;

 private:
  void run();

  int descriptor_;
  std::mutex mutex_;
  std::condition_variable news_;
  std::map<std::uint8_t, std::vector<std::uint8_t>> waiting_;
  bool ends_ = false;
  std::thread thread_;
};

}  // namespace omnipar::os
