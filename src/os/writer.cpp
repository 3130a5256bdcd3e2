#include "os/writer.hpp"

#include <fcntl.h>
#include <pthread.h>
#include <unistd.h>

#include <cerrno>
#include <chrono>
#include <condition_variable>
#include <csignal>
#include <map>
#include <mutex>
#include <new>
#include <system_error>
#include <thread>
#include <utility>
#include <vector>

namespace omnipar::inline abi_0::os {

struct Writer::Desk {
  explicit Desk(int number) : descriptor(::fcntl(number, F_DUPFD_CLOEXEC, 0)) {
    if (descriptor < 0) throw std::system_error{errno, std::generic_category()};
  }
  ~Desk() { ::close(descriptor); }
  Desk(const Desk&) = delete;
  Desk& operator=(const Desk&) = delete;

  void write_all_that_comes();

  int descriptor;
  std::mutex mutex;
  std::condition_variable changed;
  std::condition_variable end;
  std::map<std::uint8_t, std::vector<std::uint8_t>> waiting;
  bool ends = false;
  bool has_ended = false;
  bool is_late = false;  ///< no thread waits for the end
};

Writer::Writer(int descriptor) : desk_(std::make_shared<Desk>(descriptor)) {
  // signals are handled by other threads
  sigset_t all{};
  sigset_t before{};
  sigfillset(&all);
  pthread_sigmask(SIG_SETMASK, &all, &before);
  std::thread{[desk = desk_] { desk->write_all_that_comes(); }}.detach();
  pthread_sigmask(SIG_SETMASK, &before, nullptr);
}

Writer::~Writer() {
  std::unique_lock lock{desk_->mutex};
  desk_->ends = true;
  desk_->changed.notify_one();
  desk_->is_late = !desk_->end.wait_for(lock, std::chrono::milliseconds{500}, [this] { return desk_->has_ended; });
}

void Writer::put(std::span<const std::uint8_t> bytes) noexcept {
  if (bytes.empty()) return;
  try {
    const std::lock_guard lock{desk_->mutex};
    desk_->waiting[bytes.front()].assign(bytes.begin(), bytes.end());
  } catch (const std::bad_alloc&) {
    return;
  }
  desk_->changed.notify_one();
}

void Writer::Desk::write_all_that_comes() {
  std::unique_lock lock{mutex};
  for (;;) {
    changed.wait(lock, [this] { return ends || !waiting.empty(); });
    if (is_late || waiting.empty()) break;
    const auto next = waiting.extract(waiting.begin());
    lock.unlock();
    while (::write(descriptor, next.mapped().data(), next.mapped().size()) < 0 && errno == EINTR) {
    }
    lock.lock();
  }
  has_ended = true;
  end.notify_one();
}

}  // namespace omnipar::inline abi_0::os
