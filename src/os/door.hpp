// The one door to the system: every kernel call, file and clock of Omnipar goes through here, so that
// tests can replace it. (libevdev and libudev call the system themselves; host/ wraps them in
// interfaces of its own.) Code that needs only a part of it depends on that part.
//
// Calls return what the system call returns, or minus the error number. Interrupted calls are
// resumed internally. Must be used from one thread.
#pragma once

#include <sys/types.h>

#include <cerrno>
#include <csignal>
#include <cstddef>
#include <cstdint>
#include <functional>
#include <poll.h>
#include <span>
#include <string>
#include <vector>

#include "omnipar/time.hpp"

namespace omnipar::inline abi_0::os {

/// Descriptors and time, needed almost everywhere.
class Basics {
 public:
  virtual ~Basics() = default;

  /// Descriptors are closed in started programs.
  virtual int open(const std::string& path, int flags) = 0;
  virtual void close(int descriptor) = 0;
  virtual ssize_t read(int descriptor, std::span<std::byte> into) = 0;
  virtual ssize_t write(int descriptor, std::span<const std::byte> bytes) = 0;
  virtual int control(int descriptor, unsigned long request, void* argument) = 0;
  virtual int control(int descriptor, unsigned long request, unsigned long argument) = 0;
  /// Locks an open file for this process until it is closed; -EWOULDBLOCK if another process holds the lock.
  virtual int lock(int descriptor) = 0;
  virtual Time now() = 0;
  virtual void sleep(Duration time) = 0;
};

/// Files, folders and the environment.
/// The owner of a file.
struct Owner {
  unsigned user = 0;
  unsigned group = 0;
  friend bool operator==(const Owner&, const Owner&) = default;
};

class Files : public Basics {
 public:
  /// False for folders, pipes and devices.
  virtual bool is_plain_file(int descriptor) = 0;
  /// Names in a folder, sorted; empty if there is no such folder.
  virtual std::vector<std::string> names_in(const std::string& folder) = 0;
  virtual int make_folder(const std::string& path) = 0;
  virtual int rename(const std::string& from, const std::string& to) = 0;
  virtual int remove(const std::string& path) = 0;
  /// Truncates an open file.
  virtual int truncate(int descriptor, std::uint64_t size) = 0;
  /// Returns once written data has reached the disk; for folders: the names in it.
  virtual int sync(int descriptor) = 0;
  /// The permission bits of an open file.
  virtual int permissions(int descriptor) = 0;
  virtual int set_permissions(int descriptor, int bits) = 0;
  virtual int owner(int descriptor, Owner& owner) = 0;
  virtual int set_owner(int descriptor, Owner owner) = 0;
  /// The target of a symbolic link; empty if it is not one.
  virtual std::string link_target(const std::string& path) = 0;
  /// An unpredictable random number.
  virtual std::uint64_t random() = 0;
  /// The end of a path after following all links; empty if nothing exists there.
  virtual std::string real_path(const std::string& path) = 0;
  /// An environment variable; empty if it is not set.
  virtual std::string environment(const char* name) = 0;
};

/// Waiting for many things at once.
class Waiting {
 public:
  virtual ~Waiting() = default;

  /// Waits until something is ready, at most until `until` if that is not null. 0 at the time limit.
  virtual int wait(std::span<pollfd> descriptors, const Time* until) = 0;
  /// The same for many descriptors of which few are ready at a time: a waiter is a descriptor that holds them. Closed
  /// ones are removed.
  virtual int make_waiter() = 0;
  /// `once`: edge-triggered; the caller must read everything that is available.
  virtual int wait_also_for(int waiter, int descriptor, std::uint64_t tag, bool once) = 0;
  /// The tags of those that are ready, as many as fit; 0 at the time limit.
  virtual int wait_at(int waiter, std::span<std::uint64_t> tags, const Time* until) = 0;
  /// A descriptor that becomes readable at the time that is set; never without one.
  virtual int make_timer() = 0;
  virtual int set_timer(int timer, const Time* due) = 0;
  /// Signals that become readable on a descriptor instead of ending the program; those that were not blocked before are
  /// added to `blocked`. And the reverse.
  virtual int catch_signals(std::span<const int> signals, std::vector<int>& blocked) = 0;
  virtual void let_signals_through(std::span<const int> signals) = 0;
};

/// Other processes, and messages to them.
class Processes {
 public:
  virtual ~Processes() = default;

  virtual int pair_of_sockets(int (&ends)[2]) = 0;
  /// A descriptor that reserves this name, listed in /proc/net/unix while open; -EADDRINUSE if it is taken.
  virtual int hold_name(const std::string& name) = 0;
  /// Sends one message, with a descriptor if `descriptor` is not negative.
  virtual ssize_t send(int socket, std::span<const std::byte> message, int descriptor) = 0;
  /// Receives one message; 0 when the other end is closed. `descriptor` is -1 if none was included.
  virtual ssize_t receive(int socket, std::span<std::byte> into, int& descriptor) = 0;
  virtual pid_t fork() = 0;
  /// Waits for a child process to end and returns its status as waitpid does.
  virtual int wait_for(pid_t child) = 0;
  /// Runs a program to its end and returns its exit status; 127 if it cannot be started. Its output is
  /// discarded.
  virtual int run(const std::vector<std::string>& command) = 0;
  /// Starts a program with our streams, no other descriptor, and no blocked signal. Returns its process, or minus
  /// the error number. `before` is called in the new process first; if it fails with minus an error number, the
  /// program is not started.
  virtual pid_t start(const std::vector<std::string>& command, const std::function<int()>& before) = 0;
  /// Processes that our children leave behind become our own children.
  virtual int adopt_orphans() = 0;
  /// A child process that has ended, and its status as from waitpid; 0 if none has ended, -ECHILD if there is none.
  virtual pid_t collect(int& status) = 0;
  virtual int signal(pid_t process, int number) = 0;
  virtual bool is_executable(const std::string& path) = 0;
  /// Real-time priority for this process alone, not for those that it starts.
  virtual int be_urgent() = 0;
};

/// This process's identity, and what it shares with others.
class Rights {
 public:
  virtual ~Rights() = default;

  virtual bool is_root() = 0;
  virtual unsigned user() = 0;
  virtual unsigned group() = 0;
  /// Moves this process out of shared namespaces, and mounts; both like the system calls of that name.
  /// Empty arguments are passed as null.
  virtual int unshare(int what) = 0;
  /// Joins the namespaces of another process: its user namespace first, if it differs, then its mounts.
  virtual int enter_namespaces_of(pid_t process) = 0;
  virtual int mount(const std::string& from, const std::string& to, const std::string& type, unsigned long flags,
                    const std::string& more) = 0;
};

class Door : public Files, public Waiting, public Processes, public Rights {};

/// The real system.
[[nodiscard]] Door& real_door();

/// Writes all of `bytes`, in any number of pieces; 0, or minus the error number.
inline int write_all(Basics& door, int descriptor, std::span<const std::byte> bytes) {
  while (!bytes.empty()) {
    const ssize_t written = door.write(descriptor, bytes);
    if (written < 0) return static_cast<int>(written);
    if (written == 0) return -EIO;
    bytes = bytes.subspan(static_cast<std::size_t>(written));
  }
  return 0;
}

/// A descriptor that is closed when it goes out of scope.
class Descriptor {
 public:
  Descriptor() = default;
  Descriptor(Basics& door, int number) noexcept : door_(&door), number_(number) {}
  Descriptor(Descriptor&& other) noexcept : door_(other.door_), number_(other.release()) {}
  Descriptor& operator=(Descriptor&& other) noexcept {
    if (this != &other) {
      reset();
      door_ = other.door_;
      number_ = other.release();
    }
    return *this;
  }
  ~Descriptor() { reset(); }
  [[nodiscard]] int get() const noexcept { return number_; }
  [[nodiscard]] explicit operator bool() const noexcept { return number_ >= 0; }
  int release() noexcept {
    const int number = number_;
    number_ = -1;
    return number;
  }
  void reset() noexcept {
    if (number_ >= 0) door_->close(number_);
    number_ = -1;
  }

 private:
  Basics* door_ = nullptr;
  int number_ = -1;
};

/// Replaces closed standard streams, so that no device gets their numbers. Writing to a closed pipe fails instead of
/// ending the process. Returns false if stdout was closed.
[[nodiscard]] bool open_standard_streams() noexcept;

}  // namespace omnipar::inline abi_0::os
