// A door in which one call of the file system goes wrong.
#pragma once

#include <unistd.h>

#include <cerrno>

#include "os/door.hpp"

namespace omnipar::test {

enum class Fault {
  none,
  fails,      ///< the call does nothing and says EIO
  short_way,  ///< a read or write does half of what it was asked for
  last_call,  ///< the process ends right behind the call
};

/// The real door, but for its `at`-th call of the file system (from 1).
class FaultyDoor final : public os::Door {
 public:
  FaultyDoor(Fault fault, int at) : fault_(fault), at_(at) {}
  [[nodiscard]] int calls() const noexcept { return calls_; }

  int open(const std::string& path, int flags) override {
    return counted([&] { return real_.open(path, flags); });
  }
  void close(int descriptor) override { real_.close(descriptor); }
  ssize_t read(int descriptor, std::span<std::byte> into) override {
    return counted([&] { return real_.read(descriptor, cut_short() ? into.first(halved(into.size())) : into); });
  }
  ssize_t write(int descriptor, std::span<const std::byte> bytes) override {
    return counted([&] { return real_.write(descriptor, cut_short() ? bytes.first(halved(bytes.size())) : bytes); });
  }
  int make_folder(const std::string& path) override {
    return counted([&] { return real_.make_folder(path); });
  }
  int rename(const std::string& from, const std::string& to) override {
    return counted([&] { return real_.rename(from, to); });
  }
  int remove(const std::string& path) override {
    return counted([&] { return real_.remove(path); });
  }
  int truncate(int descriptor, std::uint64_t size) override {
    return counted([&] { return real_.truncate(descriptor, size); });
  }
  int sync(int descriptor) override {
    return counted([&] { return real_.sync(descriptor); });
  }
  int permissions(int descriptor) override {
    return counted([&] { return real_.permissions(descriptor); });
  }
  int set_permissions(int descriptor, int bits) override {
    return counted([&] { return real_.set_permissions(descriptor, bits); });
  }
  int lock(int descriptor) override {
    return counted([&] { return real_.lock(descriptor); });
  }
  // These have no way to fail that a caller could tell from an answer.
  bool is_plain_file(int descriptor) override { return real_.is_plain_file(descriptor); }
  std::vector<std::string> names_in(const std::string& folder) override { return real_.names_in(folder); }
  std::string real_path(const std::string& path) override { return real_.real_path(path); }
  std::string environment(const char* name) override { return real_.environment(name); }
  bool is_root() override { return real_.is_root(); }
  Time now() override { return real_.now(); }

  // Files need none of the following.
  int control(int, unsigned long, void*) override { return -ENOSYS; }
  int control(int, unsigned long, unsigned long) override { return -ENOSYS; }
  int wait(std::span<pollfd>, const Time*) override { return -ENOSYS; }
  void sleep(Duration) override {}
  int pair_of_sockets(int (&)[2]) override { return -ENOSYS; }
  ssize_t send(int, std::span<const std::byte>, int) override { return -ENOSYS; }
  ssize_t receive(int, std::span<std::byte>, int&) override { return -ENOSYS; }
  pid_t fork() override { return -ENOSYS; }
  int wait_for(pid_t) override { return -ENOSYS; }
  int run(const std::vector<std::string>&) override { return -ENOSYS; }
  int catch_signals(std::span<const int>, std::vector<int>&) override { return -ENOSYS; }
  void let_signals_through(std::span<const int>) override {}
  int make_timer() override { return -ENOSYS; }
  int set_timer(int, const Time*) override { return -ENOSYS; }
  int make_waiter() override { return -ENOSYS; }
  int wait_also_for(int, int, std::uint64_t, bool) override { return -ENOSYS; }
  int wait_at(int, std::span<std::uint64_t>, const Time*) override { return -ENOSYS; }
  int be_urgent() override { return -ENOSYS; }
  unsigned user() override { return 0; }
  unsigned group() override { return 0; }
  int unshare(int) override { return -ENOSYS; }
  int enter_namespaces_of(pid_t) override { return -ENOSYS; }
  int mount(const std::string&, const std::string&, const std::string&, unsigned long, const std::string&) override {
    return -ENOSYS;
  }
  pid_t start(const std::vector<std::string>&, const std::function<int()>&) override { return -ENOSYS; }
  int adopt_orphans() override { return -ENOSYS; }
  pid_t collect(int&) override { return -ENOSYS; }
  int signal(pid_t, int) override { return -ENOSYS; }
  bool is_executable(const std::string&) override { return false; }

 private:
  [[nodiscard]] bool cut_short() const noexcept { return fault_ == Fault::short_way && calls_ == at_; }
  static std::size_t halved(std::size_t size) noexcept { return size > 1 ? size / 2 : size; }

  template <typename Call>
  auto counted(Call call) -> decltype(call()) {
    ++calls_;
    if (fault_ == Fault::fails && calls_ == at_) return -EIO;
    const auto result = call();
    if (fault_ == Fault::last_call && calls_ == at_) ::_exit(0);
    return result;
  }

  os::Door& real_ = os::real_door();
  Fault fault_;
  int at_;
  int calls_ = 0;
};

}  // namespace omnipar::test
