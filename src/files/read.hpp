// Reading text files: whole ones, and long ones line by line.
#pragma once

#include <optional>
#include <string>

#include <tl/expected.hpp>

#include "omnipar/diagnostic.hpp"
#include "os/door.hpp"

namespace omnipar::inline abi_0::files {

/// The text of a regular file of at most 1 MiB. Fails with `no-file`, `not-a-file` (a folder, a pipe, a
/// device), `file-too-large` or `unreadable`.
[[nodiscard]] tl::expected<std::string, Diagnostic> read_text(os::Files& door, const std::string& path);

/// Reads a regular file of any length line by line, in constant memory.
class LineReader {
 public:
  LineReader(os::Files& door, std::string path);
  /// The next line without its line ending, valid until the next call, or nothing at the end. Fails as `read_text`
  /// does, and with `line-too-long` (over 64 KiB).
  [[nodiscard]] tl::expected<std::optional<std::string_view>, Diagnostic> next();

 private:
  [[nodiscard]] tl::expected<bool, Diagnostic> fill();

  os::Files& door_;
  std::string path_;
  os::Descriptor file_;
  std::optional<Diagnostic> refused_;
  std::string text_;
  std::size_t from_ = 0;
  bool over_ = false;
};

}  // namespace omnipar::inline abi_0::files
