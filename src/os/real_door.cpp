#include <dirent.h>
#include <fcntl.h>
#include <sched.h>
#include <spawn.h>
#include <sys/epoll.h>
#include <sys/file.h>
#include <sys/ioctl.h>
#include <sys/mount.h>
#include <sys/prctl.h>
#include <sys/random.h>
#include <sys/signalfd.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <sys/timerfd.h>
#include <sys/un.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <climits>
#include <cstddef>
#include <cstdio>
#include <cstdlib>
#include <cstring>
#include <ctime>

#include "os/door.hpp"

namespace omnipar::inline abi_0::os {
namespace {

/// Repeats a call while it is interrupted; returns minus the error number instead of -1.
template <typename Call>
auto uninterrupted(Call call) {
  auto result = call();
  while (result == -1 && errno == EINTR) result = call();
  return result == -1 ? static_cast<decltype(result)>(-errno) : result;
}

timespec to_timespec(Duration time) {
  constexpr std::int64_t million = 1'000'000;
  const std::int64_t us = std::max<std::int64_t>(0, time.count());
  return {static_cast<time_t>(us / million), static_cast<long>(us % million * 1000)};
}

sigset_t set_of(std::span<const int> signals) {
  sigset_t set;
  ::sigemptyset(&set);
  for (const int signal : signals) ::sigaddset(&set, signal);
  return set;
}

class RealDoor final : public Door {
 public:
  int open(const std::string& path, int flags) override {
    constexpr mode_t for_everybody_to_read = 0644;
    return uninterrupted([&] { return ::open(path.c_str(), flags | O_CLOEXEC, for_everybody_to_read); });
  }

  void close(int descriptor) override { ::close(descriptor); }

  ssize_t read(int descriptor, std::span<std::byte> into) override {
    return uninterrupted([&] { return ::read(descriptor, into.data(), into.size()); });
  }

  ssize_t write(int descriptor, std::span<const std::byte> bytes) override {
    return uninterrupted([&] { return ::write(descriptor, bytes.data(), bytes.size()); });
  }

  int control(int descriptor, unsigned long request, void* argument) override {
    return uninterrupted([&] { return ::ioctl(descriptor, request, argument); });
  }

  int control(int descriptor, unsigned long request, unsigned long argument) override {
    return uninterrupted([&] { return ::ioctl(descriptor, request, argument); });
  }

  int wait(std::span<pollfd> descriptors, const Time* until) override {
    return uninterrupted([&] {
      const timespec left = until != nullptr ? to_timespec(*until - now()) : timespec{};
      return ::ppoll(descriptors.data(), descriptors.size(), until != nullptr ? &left : nullptr, nullptr);
    });
  }

  int make_waiter() override {
    return uninterrupted([] { return ::epoll_create1(EPOLL_CLOEXEC); });
  }

  int wait_also_for(int waiter, int descriptor, std::uint64_t tag, bool once) override {
    epoll_event event{};
    event.events = EPOLLIN | (once ? EPOLLET : 0U);
    event.data.u64 = tag;
    return uninterrupted([&] { return ::epoll_ctl(waiter, EPOLL_CTL_ADD, descriptor, &event); });
  }

  int wait_at(int waiter, std::span<std::uint64_t> tags, const Time* until) override {
    std::array<epoll_event, 32> events;
    const int room = static_cast<int>(std::min(events.size(), tags.size()));
    const int count = uninterrupted([&] {
      const timespec left = until != nullptr ? to_timespec(*until - now()) : timespec{};
      return ::epoll_pwait2(waiter, events.data(), room, until != nullptr ? &left : nullptr, nullptr);
    });
    for (int i = 0; i < count; ++i) tags[static_cast<std::size_t>(i)] = events.at(static_cast<std::size_t>(i)).data.u64;
    return count;
  }

  int make_timer() override {
    return uninterrupted([] { return ::timerfd_create(CLOCK_MONOTONIC, TFD_CLOEXEC | TFD_NONBLOCK); });
  }

  int set_timer(int timer, const Time* due) override {
    itimerspec when{};
    // A time of 0 would disarm it.
    if (due != nullptr) when.it_value = to_timespec(std::max(*due, at_us(1)).time_since_epoch());
    return uninterrupted([&] { return ::timerfd_settime(timer, TFD_TIMER_ABSTIME, &when, nullptr); });
  }

  Time now() override {
    timespec time{};
    ::clock_gettime(CLOCK_MONOTONIC, &time);
    return at_us(std::int64_t{time.tv_sec} * 1'000'000 + time.tv_nsec / 1000);
  }

  void sleep(Duration time) override {
    timespec left = to_timespec(time);
    while (::nanosleep(&left, &left) == -1 && errno == EINTR) {
    }
  }

  bool is_plain_file(int descriptor) override {
    struct stat kind {};
    return ::fstat(descriptor, &kind) == 0 && S_ISREG(kind.st_mode);
  }

  std::vector<std::string> names_in(const std::string& folder) override {
    std::vector<std::string> names;
    DIR* open_folder = ::opendir(folder.c_str());
    if (open_folder == nullptr) return names;
    while (const dirent* entry = ::readdir(open_folder))
      if (entry->d_name[0] != '.') names.emplace_back(entry->d_name);
    ::closedir(open_folder);
    std::ranges::sort(names);
    return names;
  }

  int make_folder(const std::string& path) override {
    constexpr mode_t for_everybody_to_enter = 0755;
    return uninterrupted([&] { return ::mkdir(path.c_str(), for_everybody_to_enter); });
  }

  int rename(const std::string& from, const std::string& to) override {
    return uninterrupted([&] { return ::rename(from.c_str(), to.c_str()); });
  }

  int remove(const std::string& path) override {
    return uninterrupted([&] { return ::unlink(path.c_str()); });
  }

  int truncate(int descriptor, std::uint64_t size) override {
    return uninterrupted([&] { return ::ftruncate(descriptor, static_cast<off_t>(size)); });
  }

  int sync(int descriptor) override {
    return uninterrupted([&] { return ::fsync(descriptor); });
  }

  int permissions(int descriptor) override {
    constexpr mode_t bits = 07777;
    struct stat kind {};
    const int result = uninterrupted([&] { return ::fstat(descriptor, &kind); });
    return result < 0 ? result : static_cast<int>(kind.st_mode & bits);
  }

  int set_permissions(int descriptor, int bits) override {
    return uninterrupted([&] { return ::fchmod(descriptor, static_cast<mode_t>(bits)); });
  }

  int owner(int descriptor, Owner& owner) override {
    struct stat kind {};
    const int result = uninterrupted([&] { return ::fstat(descriptor, &kind); });
    if (result == 0) owner = {kind.st_uid, kind.st_gid};
    return result;
  }

  int set_owner(int descriptor, Owner owner) override {
    return uninterrupted([&] { return ::fchown(descriptor, owner.user, owner.group); });
  }

  std::string link_target(const std::string& path) override {
    std::array<char, PATH_MAX> text{};
    const ssize_t length = ::readlink(path.c_str(), text.data(), text.size());
    return length <= 0 ? std::string{} : std::string{text.data(), static_cast<std::size_t>(length)};
  }

  std::uint64_t random() override {
    std::uint64_t number = 0;
    // So few bytes are never cut short; kernels without this call are too old to run on.
    while (::getrandom(&number, sizeof number, 0) < 0 && errno == EINTR) {
    }
    return number;
  }

  int lock(int descriptor) override {
    return uninterrupted([&] { return ::flock(descriptor, LOCK_EX | LOCK_NB); });
  }

  std::string real_path(const std::string& path) override {
    char* const found = ::realpath(path.c_str(), nullptr);
    std::string text = found != nullptr ? found : "";
    std::free(found);
    return text;
  }

  std::string environment(const char* name) override {
    const char* const value = std::getenv(name);
    return value != nullptr ? value : "";
  }

  int pair_of_sockets(int (&ends)[2]) override {
    return uninterrupted([&] { return ::socketpair(AF_UNIX, SOCK_SEQPACKET | SOCK_CLOEXEC, 0, ends); });
  }

  int hold_name(const std::string& name) override {
    sockaddr_un address{};
    address.sun_family = AF_UNIX;
    if (name.size() + 1 > sizeof address.sun_path) return -ENAMETOOLONG;
    std::ranges::copy(name, address.sun_path + 1);  // a leading zero byte: not a file
    const auto size = static_cast<socklen_t>(offsetof(sockaddr_un, sun_path) + 1 + name.size());
    Descriptor socket{*this, uninterrupted([] { return ::socket(AF_UNIX, SOCK_DGRAM | SOCK_CLOEXEC, 0); })};
    if (!socket) return socket.get();
    const int result =
        uninterrupted([&] { return ::bind(socket.get(), reinterpret_cast<const sockaddr*>(&address), size); });
    return result < 0 ? result : socket.release();
  }

  ssize_t send(int socket, std::span<const std::byte> message, int descriptor) override {
    alignas(cmsghdr) char extra[CMSG_SPACE(sizeof(int))] = {};
    iovec piece{const_cast<std::byte*>(message.data()), message.size()};
    msghdr header{};
    header.msg_iov = &piece;
    header.msg_iovlen = 1;
    if (descriptor >= 0) {
      header.msg_control = extra;
      header.msg_controllen = sizeof(extra);
      cmsghdr* rights = CMSG_FIRSTHDR(&header);
      rights->cmsg_level = SOL_SOCKET;
      rights->cmsg_type = SCM_RIGHTS;
      rights->cmsg_len = CMSG_LEN(sizeof(int));
      std::memcpy(CMSG_DATA(rights), &descriptor, sizeof(int));
    }
    return uninterrupted([&] { return ::sendmsg(socket, &header, MSG_NOSIGNAL); });
  }

  ssize_t receive(int socket, std::span<std::byte> into, int& descriptor) override {
    alignas(cmsghdr) char extra[CMSG_SPACE(sizeof(int))] = {};
    iovec piece{into.data(), into.size()};
    msghdr header{};
    header.msg_iov = &piece;
    header.msg_iovlen = 1;
    header.msg_control = extra;
    header.msg_controllen = sizeof(extra);
    descriptor = -1;
    const ssize_t got = uninterrupted([&] { return ::recvmsg(socket, &header, MSG_CMSG_CLOEXEC); });
    const cmsghdr* rights = CMSG_FIRSTHDR(&header);
    if (got > 0 && rights != nullptr && rights->cmsg_type == SCM_RIGHTS)
      std::memcpy(&descriptor, CMSG_DATA(rights), sizeof(int));
    return got;
  }

  pid_t fork() override {
    return uninterrupted([] { return ::fork(); });
  }

  int wait_for(pid_t child) override {
    int status = 0;
    const pid_t ended = uninterrupted([&] { return ::waitpid(child, &status, 0); });
    return ended < 0 ? ended : status;
  }

  int run(const std::vector<std::string>& command) override {
    std::vector<char*> words;
    for (const std::string& word : command) words.push_back(const_cast<char*>(word.c_str()));
    words.push_back(nullptr);
    posix_spawn_file_actions_t actions;
    ::posix_spawn_file_actions_init(&actions);
    for (const int stream : {STDOUT_FILENO, STDERR_FILENO})
      ::posix_spawn_file_actions_addopen(&actions, stream, "/dev/null", O_WRONLY, 0);
    pid_t child = 0;
    const int failure = ::posix_spawnp(&child, words[0], &actions, nullptr, words.data(), environ);
    ::posix_spawn_file_actions_destroy(&actions);
    constexpr int not_started = 127;
    if (failure != 0) return not_started;
    const int status = wait_for(child);
    return status >= 0 && WIFEXITED(status) ? WEXITSTATUS(status) : not_started;
  }

  int catch_signals(std::span<const int> signals, std::vector<int>& blocked) override {
    const sigset_t set = set_of(signals);
    sigset_t before;
    ::pthread_sigmask(SIG_BLOCK, &set, &before);
    for (const int signal : signals)
      if (::sigismember(&before, signal) == 0) blocked.push_back(signal);
    return uninterrupted([&] { return ::signalfd(-1, &set, SFD_CLOEXEC | SFD_NONBLOCK); });
  }

  void let_signals_through(std::span<const int> signals) override {
    const sigset_t set = set_of(signals);
    ::pthread_sigmask(SIG_UNBLOCK, &set, nullptr);
  }

  bool is_root() override { return ::geteuid() == 0; }

  int be_urgent() override {
    const sched_param lowest{.sched_priority = ::sched_get_priority_min(SCHED_FIFO)};
    return uninterrupted([&] { return ::sched_setscheduler(0, SCHED_FIFO | SCHED_RESET_ON_FORK, &lowest); });
  }

  unsigned user() override { return ::geteuid(); }
  unsigned group() override { return ::getegid(); }

  int enter_namespaces_of(pid_t process) override {
    const auto enter = [process](const char* name, int kind, bool only_others) {
      const std::string its = "/proc/" + std::to_string(process) + "/ns/" + name;
      const std::string own = std::string{"/proc/self/ns/"} + name;
      struct stat a {};
      struct stat b {};
      if (::stat(its.c_str(), &a) != 0 || ::stat(own.c_str(), &b) != 0) return -errno;
      if (only_others && a.st_ino == b.st_ino) return 0;
      const int file = ::open(its.c_str(), O_RDONLY | O_CLOEXEC);
      if (file < 0) return -errno;
      const int result = ::setns(file, kind) < 0 ? -errno : 0;
      ::close(file);
      return result;
    };
    const int result = enter("user", CLONE_NEWUSER, true);
    return result < 0 ? result : enter("mnt", CLONE_NEWNS, false);
  }

  int unshare(int what) override {
    return uninterrupted([&] { return ::unshare(what); });
  }

  int mount(const std::string& from, const std::string& to, const std::string& type, unsigned long flags,
            const std::string& more) override {
    const auto word = [](const std::string& text) { return text.empty() ? nullptr : text.c_str(); };
    return uninterrupted([&] { return ::mount(word(from), to.c_str(), word(type), flags, word(more)); });
  }

  pid_t start(const std::vector<std::string>& command, const std::function<int()>& before) override {
    // The child reports a failure through this pipe; a successful exec closes it.
    int ends[2] = {-1, -1};
    if (::pipe2(ends, O_CLOEXEC) < 0) return -errno;
    const pid_t child = fork();
    if (child == 0) become(command, before, ends[1]);
    ::close(ends[1]);
    int failure = child < 0 ? child : 0;
    if (child > 0 && read(ends[0], std::as_writable_bytes(std::span{&failure, 1})) > 0) wait_for(child);
    ::close(ends[0]);
    return failure < 0 ? failure : child;
  }

  int adopt_orphans() override {
    return uninterrupted([] { return ::prctl(PR_SET_CHILD_SUBREAPER, 1, 0, 0, 0); });
  }

  pid_t collect(int& status) override {
    return uninterrupted([&] { return ::waitpid(-1, &status, WNOHANG); });
  }

  int signal(pid_t process, int number) override {
    return uninterrupted([&] { return ::kill(process, number); });
  }

  bool is_executable(const std::string& path) override {
    struct stat kind {};
    return ::stat(path.c_str(), &kind) == 0 && S_ISREG(kind.st_mode) && ::access(path.c_str(), X_OK) == 0;
  }

 private:
  [[noreturn]] void become(const std::vector<std::string>& command, const std::function<int()>& before, int tell) {
    sigset_t none;
    ::sigemptyset(&none);
    ::sigprocmask(SIG_SETMASK, &none, nullptr);
    ::signal(SIGPIPE, SIG_DFL);  // it is ignored here, and would be there
    int failure = before ? before() : 0;
    if (failure == 0) {
      std::vector<char*> words;
      for (const std::string& word : command) words.push_back(const_cast<char*>(word.c_str()));
      words.push_back(nullptr);
      ::execvp(words[0], words.data());
      failure = -errno;
    }
    static_cast<void>(write(tell, std::as_bytes(std::span{&failure, 1})));
    constexpr int not_started = 127;
    ::_exit(not_started);
  }
};

}  // namespace

Door& real_door() {
  static RealDoor door;
  return door;
}

bool open_standard_streams() noexcept {
  ::signal(SIGPIPE, SIG_IGN);  // a closed output pipe makes writes fail instead of ending the process
  bool output = true;
  for (const int stream : {STDIN_FILENO, STDOUT_FILENO, STDERR_FILENO}) {
    if (::fcntl(stream, F_GETFD) >= 0) continue;
    if (stream == STDOUT_FILENO) output = false;
    // The lowest free number is this one.
    static_cast<void>(::open("/dev/null", O_RDWR));
  }
  return output;
}

}  // namespace omnipar::inline abi_0::os
