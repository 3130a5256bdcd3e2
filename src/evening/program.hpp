// The program that is played: started, followed to its end with every process that it starts, asked to end,
// and ended by force.
//
//   none --start--> runs --it ends, and all that it left behind--> over
//                   runs --ask--> asked --in time--> over
//                                 asked --insist--> over
#pragma once

#include <sys/types.h>

#include <functional>
#include <string>
#include <vector>

#include <tl/expected.hpp>

#include "omnipar/diagnostic.hpp"
#include "os/door.hpp"

namespace omnipar::inline abi_0::evening {

class Program {
 public:
  explicit Program(os::Door& door) noexcept : door_(door) {}

  /// The file that a command name denotes, found along PATH as a shell does. Fails with `no-such-program` or
  /// `no-program` (found, but not executable).
  [[nodiscard]] static tl::expected<std::string, Diagnostic> find(os::Door& door, const std::string& word);

  /// Starts it; 0, or minus the error number. `before` is called in the new process first.
  int start(const std::vector<std::string>& command, const std::function<int()>& before);
  [[nodiscard]] bool started() const noexcept { return process_ > 0; }

  /// Must be called when a child process has ended.
  void collect();
  /// True once the program itself has ended.
  [[nodiscard]] bool ended() const noexcept { return started() && ended_; }
  /// Its exit status; 128 + the signal that killed it.
  [[nodiscard]] int status() const noexcept { return status_; }
  /// The names of its processes that are still running. `spared` is a child process that does not belong to it.
  [[nodiscard]] std::vector<std::string> left(pid_t spared) const;

  /// The program, or a process that it left behind; -1 if none is running.
  [[nodiscard]] pid_t process(pid_t spared) const;

  /// Asks it, or the processes that it left behind, to end.
  void ask(pid_t spared);
  /// Ends it and all its processes by force.
  void insist(pid_t spared);

 private:
  [[nodiscard]] std::vector<pid_t> children_of(pid_t process) const;
  [[nodiscard]] std::vector<pid_t> own_children(pid_t spared) const;
  [[nodiscard]] std::string name_of(pid_t process) const;
  void kill_tree(pid_t process);

  os::Door& door_;
  pid_t process_ = -1;
  bool ended_ = false;
  int status_ = 0;
};

}  // namespace omnipar::inline abi_0::evening
