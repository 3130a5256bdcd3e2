#include "files/read.hpp"

#include <fcntl.h>

#include <array>
#include <cerrno>
#include <cstring>

#include <fmt/format.h>

namespace omnipar::files {

tl::expected<std::string, Diagnostic> read_text(os::Door& door, const std::string& path) {
  constexpr std::size_t largest = std::size_t{1} << 20;
  const auto fail = [&path](const char* id, std::string message, const char* hint) {
    return tl::unexpected(Diagnostic{id, Severity::error, std::move(message), path, hint});
  };
  const int number = door.open(path, O_RDONLY | O_NONBLOCK);
  if (number == -ENOENT || number == -ENOTDIR) return fail("no-file", "there is no such file", "check the name");
  if (number < 0)
    return fail("unreadable", fmt::format("it cannot be read: {}", std::strerror(-number)), "check its permissions");
  const os::Descriptor file{door, number};
  if (!door.is_plain_file(number))
    return fail("not-a-file", "this is a folder, a pipe or a device, not a file", "name a plain file");
  std::string text;
  std::array<std::byte, 16384> piece{};
  for (;;) {
    const ssize_t got = door.read(number, piece);
    if (got < 0)
      return fail("unreadable", fmt::format("it cannot be read: {}", std::strerror(static_cast<int>(-got))), "");
    if (got == 0) return text;
    text.append(reinterpret_cast<const char*>(piece.data()), static_cast<std::size_t>(got));
    if (text.size() > largest) return fail("file-too-large", "the file is larger than 1 MiB", "is it the right file?");
  }
}

}  // namespace omnipar::files
