// A door in which one call fails.
#pragma once

#include <unistd.h>

#include <cerrno>

#include "os/door.hpp"

namespace omnipar::test {

enum class Fault {
  none,
  fails,        ///< the call does nothing and fails with EIO
  interrupted,  ///< it does nothing and fails with EINTR
  short_way,    ///< a read or write transfers half of what was requested
  last_call,    ///< the process ends right after the call
};

/// The real door, except for its `at`-th call (from 1).
class FaultyDoor final : public os::Door {
 public:
  FaultyDoor(Fault fault, int at) : fault_(fault), at_(at) {}
  [[nodiscard]] int calls() const noexcept { return calls_; }

  int open(const std::string& path, int flags) override {
    return counted([&] { return real_.open(path, flags); });
  }
  ssize_t read(int descriptor, std::span<std::byte> into) override {
    return counted([&] { return real_.read(descriptor, cut_short() ? into.first(halved(into.size())) : into); });
  }
  ssize_t write(int descriptor, std::span<const std::byte> bytes) override {
    return counted([&] { return real_.write(descriptor, cut_short() ? bytes.first(halved(bytes.size())) : bytes); });
  }
  int control(int descriptor, unsigned long request, void* argument) override {
    return counted([&] { return real_.control(descriptor, request, argument); });
  }
  int control(int descriptor, unsigned long request, unsigned long argument) override {
    return counted([&] { return real_.control(descriptor, request, argument); });
  }
  int lock(int descriptor) override {
    return counted([&] { return real_.lock(descriptor); });
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
  int owner(int descriptor, os::Owner& owner) override {
    return counted([&] { return real_.owner(descriptor, owner); });
  }
  int set_owner(int descriptor, os::Owner owner) override {
    return counted([&] { return real_.set_owner(descriptor, owner); });
  }
  int wait(std::span<pollfd> descriptors, const Time* until) override {
    return counted([&] { return real_.wait(descriptors, until); });
  }
  int make_waiter() override {
    return counted([&] { return real_.make_waiter(); });
  }
  int wait_also_for(int waiter, int descriptor, std::uint64_t tag, bool once) override {
    return counted([&] { return real_.wait_also_for(waiter, descriptor, tag, once); });
  }
  int wait_at(int waiter, std::span<std::uint64_t> tags, const Time* until) override {
    return counted([&] { return real_.wait_at(waiter, tags, until); });
  }
  int make_timer() override {
    return counted([&] { return real_.make_timer(); });
  }
  int set_timer(int timer, const Time* due) override {
    return counted([&] { return real_.set_timer(timer, due); });
  }
  int catch_signals(std::span<const int> signals, std::vector<int>& blocked) override {
    return counted([&] { return real_.catch_signals(signals, blocked); });
  }
  int pair_of_sockets(int (&ends)[2]) override {
    return counted([&] { return real_.pair_of_sockets(ends); });
  }
  int hold_name(const std::string& name) override {
    return counted([&] { return real_.hold_name(name); });
  }
  ssize_t send(int socket, std::span<const std::byte> message, int descriptor) override {
    return counted([&] { return real_.send(socket, message, descriptor); });
  }
  ssize_t receive(int socket, std::span<std::byte> into, int& descriptor) override {
    return counted([&] { return real_.receive(socket, into, descriptor); });
  }
  pid_t fork() override {
    return counted([&] { return real_.fork(); });
  }
  int run(const std::vector<std::string>& command) override {
    return counted([&] { return real_.run(command); });
  }
  pid_t start(const std::vector<std::string>& command, const std::function<int()>& before) override {
    return counted([&] { return real_.start(command, before); });
  }
  int adopt_orphans() override {
    return counted([&] { return real_.adopt_orphans(); });
  }
  pid_t collect(int& status) override {
    return counted([&] { return real_.collect(status); });
  }
  int signal(pid_t process, int number) override {
    return counted([&] { return real_.signal(process, number); });
  }
  int be_urgent() override {
    return counted([&] { return real_.be_urgent(); });
  }
  int unshare(int what) override {
    return counted([&] { return real_.unshare(what); });
  }
  int enter_namespaces_of(pid_t process) override {
    return counted([&] { return real_.enter_namespaces_of(process); });
  }
  int mount(const std::string& from, const std::string& to, const std::string& type, unsigned long flags,
            const std::string& more) override {
    return counted([&] { return real_.mount(from, to, type, flags, more); });
  }

  // These have no failure that a caller could tell from a result.
  void close(int descriptor) override { real_.close(descriptor); }
  Time now() override { return real_.now(); }
  void sleep(Duration time) override { real_.sleep(time); }
  bool is_plain_file(int descriptor) override { return real_.is_plain_file(descriptor); }
  std::vector<std::string> names_in(const std::string& folder) override { return real_.names_in(folder); }
  std::string real_path(const std::string& path) override { return real_.real_path(path); }
  std::string link_target(const std::string& path) override { return real_.link_target(path); }
  std::uint64_t random() override { return real_.random(); }
  std::string environment(const char* name) override { return real_.environment(name); }
  void let_signals_through(std::span<const int> signals) override { real_.let_signals_through(signals); }
  int wait_for(pid_t child) override { return real_.wait_for(child); }
  bool is_executable(const std::string& path) override { return real_.is_executable(path); }
  bool is_root() override { return real_.is_root(); }
  unsigned user() override { return real_.user(); }
  unsigned group() override { return real_.group(); }

 private:
  [[nodiscard]] bool cut_short() const noexcept { return fault_ == Fault::short_way && calls_ == at_; }
  static std::size_t halved(std::size_t size) noexcept { return size > 1 ? size / 2 : size; }

  template <typename Call>
  auto counted(Call call) -> decltype(call()) {
    ++calls_;
    if (fault_ == Fault::fails && calls_ == at_) return -EIO;
    if (fault_ == Fault::interrupted && calls_ == at_) return -EINTR;
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
