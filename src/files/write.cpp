#include "files/write.hpp"

#include <fcntl.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <vector>

#include <fmt/format.h>

#include "files/read.hpp"

namespace omnipar::files {
namespace {

constexpr int anybody_may_write = 0222;

Diagnostic cannot_write(const std::string& path, int result) {
  return {"cannot-write", Severity::error, fmt::format("it cannot be written: {}", std::strerror(-result)), path,
          "nothing was changed"};
}

Diagnostic write_protected(const std::string& path) {
  return {"write-protected", Severity::error, "the file is write-protected", path,
          fmt::format("chmod u+w {} lets it be changed", path)};
}

/// People know their file, and not where its versions are.
Diagnostic cannot_keep_versions(const std::string& path, int result) {
  return {"cannot-write", Severity::error,
          fmt::format("it cannot be changed, because its former versions cannot be kept: {}", std::strerror(-result)),
          path, "nothing was changed; make your home folder writable, or set XDG_STATE_HOME to a folder that is"};
}

std::string folder_of(const std::string& path) {
  const std::size_t slash = path.rfind('/');
  return slash == std::string::npos ? "." : slash == 0 ? "/" : path.substr(0, slash);
}

int make_folders(os::Files& door, const std::string& folder) {
  for (std::size_t slash = folder.find('/', 1);; slash = folder.find('/', slash + 1)) {
    const int result = door.make_folder(folder.substr(0, slash));
    if (result < 0 && result != -EEXIST) return result;
    if (slash == std::string::npos) return 0;
  }
}

int sync_folder(os::Files& door, const std::string& folder) {
  const os::Descriptor open{door, door.open(folder, O_RDONLY | O_DIRECTORY)};
  return open ? door.sync(open.get()) : open.get();
}

/// The permission bits of a file; -ENOENT if it is not there.
int permissions_of(os::Files& door, const std::string& path) {
  const os::Descriptor file{door, door.open(path, O_RDONLY | O_NONBLOCK)};
  return file ? door.permissions(file.get()) : file.get();
}

int fill(os::Files& door, const std::string& path, const std::string& text, int bits) {
  const os::Descriptor file{door, door.open(path, O_WRONLY | O_CREAT | O_TRUNC)};
  if (!file) return file.get();
  int result = bits < 0 ? 0 : door.set_permissions(file.get(), bits);
  if (result == 0) result = os::write_all(door, file.get(), std::as_bytes(std::span{text}));
  return result == 0 ? door.sync(file.get()) : result;
}

/// What versions of a file there are, oldest first.
struct Versions {
  std::vector<std::string> former;
  std::vector<std::string> undone;
};

constexpr std::string_view undone_head = "undone-";

Versions versions_in(os::Files& door, const std::string& folder) {
  // A name that is longer is none of ours.
  constexpr std::size_t longest = 9;
  const auto is_number = [](std::string_view name) {
    return !name.empty() && name.size() <= longest &&
           std::ranges::all_of(name, [](char c) { return c >= '0' && c <= '9'; });
  };
  Versions versions;
  for (const std::string& name : door.names_in(folder)) {
    if (is_number(name)) versions.former.push_back(name);
    if (name.starts_with(undone_head) && is_number(std::string_view{name}.substr(undone_head.size())))
      versions.undone.push_back(name);
  }
  return versions;
}

/// Six digits, so that names sort as numbers do.
std::string name_after(const std::vector<std::string>& names, std::string_view head) {
  const unsigned long last = names.empty() ? 0 : std::stoul(names.back().substr(head.size()));
  return fmt::format("{}{:06}", head, last + 1);
}

void keep_newest(os::Files& door, const std::string& folder, const std::vector<std::string>& names) {
  for (std::size_t i = 0; i + versions_kept < names.size(); ++i) (void)door.remove(folder + "/" + names[i]);
}

/// Others of us hold a lock for some milliseconds; one that is held for longer is left to whoever has it.
int lock_in_time(os::Files& door, int file) {
  constexpr Duration a_little = std::chrono::milliseconds{20};
  constexpr int times = 100;
  int locked = door.lock(file);
  for (int n = 0; locked == -EWOULDBLOCK && n < times; ++n) {
    door.sleep(a_little);
    locked = door.lock(file);
  }
  return locked;
}

/// The file's lock; held as long as the descriptor is open.
tl::expected<os::Descriptor, Diagnostics> lock(os::Files& door, const std::string& path, const std::string& versions) {
  if (const int made = make_folders(door, versions); made < 0)
    return tl::unexpected(Diagnostics{cannot_keep_versions(path, made)});
  os::Descriptor file{door, door.open(versions + "/lock", O_RDWR | O_CREAT)};
  if (!file) return tl::unexpected(Diagnostics{cannot_keep_versions(path, file.get())});
  const int locked = lock_in_time(door, file.get());
  if (locked == -EWOULDBLOCK)
    return tl::unexpected(Diagnostics{
        {"busy-file", Severity::error, "another Omnipar is changing this file", path, "try again in a moment"}});
  if (locked < 0) return tl::unexpected(Diagnostics{cannot_keep_versions(path, locked)});
  return file;
}

std::string resolved(os::Files& door, const std::string& path) {
  const std::string real = door.real_path(path);
  return real.empty() ? path : real;
}

}  // namespace

std::optional<Diagnostic> write_whole(os::Files& door, const std::string& path, const std::string& text) {
  const std::string real = resolved(door, path);
  const std::string folder = folder_of(real);
  const int bits = permissions_of(door, real);
  if (bits < 0 && bits != -ENOENT) return cannot_write(path, bits);
  if (bits >= 0 && (bits & anybody_may_write) == 0) return write_protected(path);
  if (const int made = make_folders(door, folder); made < 0) return cannot_write(path, made);
  const std::string fresh = real + ".new";
  int result = fill(door, fresh, text, bits);
  if (result == 0) result = door.rename(fresh, real);
  if (result < 0) {
    (void)door.remove(fresh);
    return cannot_write(path, result);
  }
  // The new file is in place; if the folder cannot be synced, that is all there is to be had.
  (void)sync_folder(door, folder);
  return std::nullopt;
}

tl::expected<bool, Diagnostics> change_file(os::Files& door, const std::string& path, const std::string& versions,
                                            const Change& change) {
  const auto locked = lock(door, path, versions);
  if (!locked) return tl::unexpected(locked.error());
  const auto old = read_text(door, path);
  const bool there = old.has_value();
  if (!there && old.error().id != "no-file") return tl::unexpected(Diagnostics{old.error()});
  const auto fresh = change(there ? *old : "");
  if (!fresh) return tl::unexpected(fresh.error());
  if (there && *fresh == *old) return false;
  if (there) {
    const std::string version = versions + "/" + name_after(versions_in(door, versions).former, "");
    if (auto failure = write_whole(door, version, *old)) return tl::unexpected(Diagnostics{std::move(*failure)});
  }
  if (auto failure = write_whole(door, path, *fresh)) return tl::unexpected(Diagnostics{std::move(*failure)});
  keep_newest(door, versions, versions_in(door, versions).former);
  return true;
}

std::optional<Diagnostic> refuses_change(os::Files& door, const std::string& path, const std::string& versions) {
  const auto locked = lock(door, path, versions);
  if (!locked) return locked.error().front();
  const std::string real = resolved(door, path);
  const int bits = permissions_of(door, real);
  if (bits < 0 && bits != -ENOENT) return cannot_write(path, bits);
  if (bits >= 0 && (bits & anybody_may_write) == 0) return write_protected(path);
  if (const int made = make_folders(door, folder_of(real)); made < 0) return cannot_write(path, made);
  const std::string probe = real + ".new";
  const int result = fill(door, probe, "", -1);
  (void)door.remove(probe);
  return result < 0 ? std::optional{cannot_write(path, result)} : std::nullopt;
}

tl::expected<std::string, Diagnostics> undo(os::Files& door, const std::string& path, const std::string& versions) {
  const auto locked = lock(door, path, versions);
  if (!locked) return tl::unexpected(locked.error());
  const auto now = read_text(door, path);
  if (!now && now.error().id != "no-file") return tl::unexpected(Diagnostics{now.error()});
  Versions there = versions_in(door, versions);
  for (; !there.former.empty(); there.former.pop_back()) {
    const std::string version = versions + "/" + there.former.back();
    const auto former = read_text(door, version);
    if (!former) return tl::unexpected(Diagnostics{former.error()});
    // A version that equals the file is left from a change that was cut short.
    if (now && *former == *now) {
      (void)door.remove(version);
      continue;
    }
    const std::string undone = versions + "/" + name_after(there.undone, undone_head);
    if (now)
      if (auto failure = write_whole(door, undone, *now)) return tl::unexpected(Diagnostics{std::move(*failure)});
    if (auto failure = write_whole(door, path, *former)) return tl::unexpected(Diagnostics{std::move(*failure)});
    (void)door.remove(version);
    keep_newest(door, versions, versions_in(door, versions).undone);
    return undone;
  }
  return tl::unexpected(Diagnostics{{"nothing-to-undo", Severity::error, "there is no former version of this file",
                                     path, "versions are kept from the first change by Omnipar on"}});
}

}  // namespace omnipar::files
