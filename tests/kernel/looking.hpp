// Queries for tests in the box: processes, files, texts.
#pragma once

#include <sys/types.h>

#include <string>
#include <vector>

namespace omnipar::test {

/// The process with this command name, or -1.
[[nodiscard]] pid_t process_named(const std::string& name);
/// Kills a session's keeper. Returns the process that the session has started in its place, or -1.
[[nodiscard]] pid_t keeper_after_a_kill();
/// The names of a folder's entries; none if it cannot be read.
[[nodiscard]] std::vector<std::string> names_in(const std::string& folder);
/// The whole of a (small) file; empty if it cannot be read.
[[nodiscard]] std::string contents(const std::string& path);
/// The number of occurrences in a text.
[[nodiscard]] int count(const std::string& text, const std::string& what);
/// A process's private memory, or all that it uses at the moment. Counted page by page, because the kernel's quick
/// totals may lag by some dozen pages.
struct MemoryUsed {
  long own_kib = 0;
  long all_kib = 0;
};
[[nodiscard]] MemoryUsed memory_of(pid_t process);

}  // namespace omnipar::test
