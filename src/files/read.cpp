#include "files/read.hpp"

#include <fcntl.h>

#include <algorithm>
#include <array>
#include <cerrno>
#include <cstring>
#include <utility>

#include <fmt/format.h>

namespace omnipar::inline abi_0::files {

namespace {

Diagnostic failure(const std::string& path, const char* id, std::string message, const char* hint) {
  return {id, Severity::error, std::move(message), path, hint};
}

Diagnostic unreadable(const std::string& path, ssize_t result, const char* hint) {
  return {"unreadable", Severity::error, fmt::format("cannot read it: {}", std::strerror(static_cast<int>(-result))),
          path, hint};
}

/// An open plain file.
tl::expected<os::Descriptor, Diagnostic> open_plain(os::Files& door, const std::string& path) {
  os::Descriptor file{door, door.open(path, O_RDONLY | O_NONBLOCK)};
  if (file.get() == -ENOENT || file.get() == -ENOTDIR)
    return tl::unexpected(failure(path, "no-file", "no such file", "check the name"));
  if (!file) return tl::unexpected(unreadable(path, file.get(), "check its permissions"));
  if (!door.is_plain_file(file.get()))
    return tl::unexpected(
        failure(path, "not-a-file", "this is a folder, pipe or device, not a regular file", "name a regular file"));
  return file;
}

constexpr std::size_t piece_size = 16384;

}  // namespace

tl::expected<std::string, Diagnostic> read_text(os::Files& door, const std::string& path) {
  constexpr std::size_t largest = std::size_t{1} << 20;
  const auto file = open_plain(door, path);
  if (!file) return tl::unexpected(file.error());
  std::string text;
  std::array<std::byte, piece_size> piece{};
  for (;;) {
    const ssize_t got = door.read(file->get(), piece);
    if (got < 0) return tl::unexpected(unreadable(path, got, ""));
    if (got == 0) return text;
    text.append(reinterpret_cast<const char*>(piece.data()), static_cast<std::size_t>(got));
    if (text.size() > largest)
      return tl::unexpected(failure(path, "file-too-large", "the file is larger than 1 MiB", "is it the right file?"));
  }
}

LineReader::LineReader(os::Files& door, std::string path) : door_(door), path_(std::move(path)) {
  auto file = open_plain(door, path_);
  if (file)
    file_ = std::move(*file);
  else
    refused_ = std::move(file.error());
}

/// Reads the next chunk; false at the end of the file.
tl::expected<bool, Diagnostic> LineReader::fill() {
  text_.erase(0, std::exchange(from_, 0));
  const std::size_t had = text_.size();
  text_.resize(had + piece_size);
  const ssize_t got = door_.read(file_.get(), std::as_writable_bytes(std::span{text_}).subspan(had));
  text_.resize(had + static_cast<std::size_t>(std::max<ssize_t>(0, got)));
  if (got < 0) return tl::unexpected(unreadable(path_, got, ""));
  return got > 0;
}

tl::expected<std::optional<std::string_view>, Diagnostic> LineReader::next() {
  constexpr std::size_t longest = std::size_t{64} << 10;
  if (refused_) return tl::unexpected(*refused_);
  for (std::size_t searched = from_;;) {
    const std::size_t end = text_.find('\n', searched);
    if (end != std::string::npos || (over_ && from_ < text_.size())) {
      const std::string_view line = std::string_view{text_}.substr(from_, std::min(end, text_.size()) - from_);
      from_ = std::min(end, text_.size() - 1) + 1;
      return line;
    }
    if (over_) return std::nullopt;
    if (text_.size() - from_ > longest)
      return tl::unexpected(failure(path_, "line-too-long", "a line is longer than 64 KiB", "is it the right file?"));
    searched = text_.size() - from_;
    auto more = fill();
    if (!more) return tl::unexpected(more.error());
    over_ = !*more;
  }
}

}  // namespace omnipar::inline abi_0::files
