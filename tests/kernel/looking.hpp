// What tests in the box look up: processes, files, texts.
#pragma once

#include <sys/types.h>

#include <string>
#include <vector>

namespace omnipar::test {

/// The process whose command name is this, or -1.
[[nodiscard]] pid_t process_named(const std::string& name);
/// Kills the keeper of a session: the process that the session has put in its place, or -1.
[[nodiscard]] pid_t keeper_after_a_kill();
/// The names of what a folder holds; none if it cannot be read.
[[nodiscard]] std::vector<std::string> names_in(const std::string& folder);
/// The whole of a (small) file; empty if it cannot be read.
[[nodiscard]] std::string contents(const std::string& path);
/// How often a text has this in it.
[[nodiscard]] int count(const std::string& text, const std::string& what);
/// The memory of a process: what is its own, or all that it uses at the moment. Counted page by page, for the kernel's
/// quick sums may be late by some dozen pages.
struct MemoryUsed {
  long own_kib = 0;
  long all_kib = 0;
};
[[nodiscard]] MemoryUsed memory_of(pid_t process);

}  // namespace omnipar::test
