#include "trace_file.hpp"

#include <fcntl.h>

#include <cerrno>
#include <cstring>

#include <fmt/format.h>

#include "command.hpp"

namespace omnipar::cli {

std::optional<os::Descriptor> new_file(const std::string& path, int& status) {
  os::Door& door = os::real_door();
  os::Descriptor file{door, door.open(path, O_WRONLY | O_CREAT | O_EXCL)};
  if (file) return file;
  const bool there = file.get() == -EEXIST;
  tell({{"cannot-write", Severity::error,
         there ? "the file already exists" : fmt::format("cannot write the file: {}", std::strerror(-file.get())), path,
         there ? "choose another name; nothing was changed" : "nothing was written"}});
  status = there ? bad_input : machine_refuses;
  return std::nullopt;
}

void tell_full(const std::string& path, int failure) {
  tell({{"cannot-write", Severity::error, fmt::format("cannot continue writing: {}", std::strerror(-failure)), path,
         "everything written before is complete"}});
}

}  // namespace omnipar::cli
