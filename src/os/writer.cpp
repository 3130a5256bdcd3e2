#include "os/writer.hpp"

#include <pthread.h>
#include <unistd.h>

#include <cerrno>
#include <csignal>
#include <new>
#include <utility>

namespace omnipar::os {

Writer::Writer(int descriptor) : descriptor_(descriptor) {
  // signals are the other threads' business
  sigset_t all{};
  sigset_t before{};
  sigfillset(&all);
  pthread_sigmask(SIG_SETMASK, &all, &before);
  thread_ = std::thread{[this] { run(); }};
  pthread_sigmask(SIG_SETMASK, &before, nullptr);
}

Writer::~Writer() {
  {
    const std::lock_guard lock{mutex_};
    ends_ = true;
  }
  news_.notify_one();
  thread_.join();
}

void Writer::put(std::span<const std::uint8_t> bytes) noexcept {
  if (bytes.empty()) return;
  try {
    const std::lock_guard lock{mutex_};
    waiting_[bytes.front()].assign(bytes.begin(), bytes.end());
  } catch (const std::bad_alloc&) {
    return;
  }
  news_.notify_one();
}

void Writer::run() {
  std::unique_lock lock{mutex_};
  for (;;) {
    news_.wait(lock, [this] { return ends_ || !waiting_.empty(); });
    if (waiting_.empty()) return;
    const auto next = waiting_.extract(waiting_.begin());
    lock.unlock();
    while (::write(descriptor_, next.mapped().data(), next.mapped().size()) < 0 && errno == EINTR) {
    }
    lock.lock();
  }
}

}  // namespace omnipar::os
