#include "files/write.hpp"

#include <fcntl.h>

#include <algorithm>
#include <cerrno>
#include <cstring>
#include <vector>

#include <fmt/format.h>

#include "base/shell_word.hpp"
#include "files/read.hpp"
#include "omnipar/identity.hpp"

namespace omnipar::inline abi_0::files {
namespace {

constexpr int anybody_may_write = 0222;

Diagnostic cannot_write(const std::string& path, int result) {
  return {"cannot-write", Severity::error, fmt::format("cannot write the file: {}", std::strerror(-result)), path,
          "the file is unchanged"};
}

Diagnostic write_protected(const std::string& path) {
  return {"write-protected", Severity::error, "the file is write-protected", path,
          fmt::format("to make it writable: chmod u+w {}", base::shell_word(path))};
}

Diagnostic not_a_file(const std::string& path) {
  return {"not-a-file", Severity::error, "this is a folder, pipe or device, not a regular file", path,
          "name a regular file"};
}

Diagnostic leads_nowhere(const std::string& path, const std::string& to) {
  return {"cannot-write", Severity::error,
          fmt::format("it is a link to {}, whose folder does not exist", printable(to)), path,
          "create that folder, or remove the link"};
}

/// Users know their file, but not where its versions are.
Diagnostic cannot_keep_versions(const std::string& path, int result) {
  return {"cannot-write", Severity::error,
          fmt::format("cannot save the previous version, so the file is not changed: {}", std::strerror(-result)), path,
          "the file is unchanged; make your home folder writable, or set XDG_STATE_HOME to a writable folder"};
}

std::string folder_of(const std::string& path) {
  const std::size_t slash = path.rfind('/');
  return slash == std::string::npos ? "." : slash == 0 ? "/" : path.substr(0, slash);
}

/// A new file belongs to the owner of its folder; if this process may not change the owner, it remains ours.
void give_to_owner_of(os::Files& door, const std::string& folder, int fresh) {
  const os::Descriptor open{door, door.open(folder, O_RDONLY | O_DIRECTORY)};
  os::Owner wanted, is;
  if (!open || door.owner(open.get(), wanted) < 0 || door.owner(fresh, is) < 0) return;
  if (wanted.user != is.user) static_cast<void>(door.set_owner(fresh, wanted));
}

int make_folder(os::Files& door, const std::string& folder) {
  const int made = door.make_folder(folder);
  if (made < 0) return made == -EEXIST ? 0 : made;
  const os::Descriptor open{door, door.open(folder, O_RDONLY | O_DIRECTORY | O_NOFOLLOW)};
  if (open) give_to_owner_of(door, folder_of(folder), open.get());
  return 0;
}

int make_folders(os::Files& door, const std::string& folder) {
  for (std::size_t slash = folder.find('/', 1);; slash = folder.find('/', slash + 1)) {
    if (const int result = make_folder(door, folder.substr(0, slash)); result < 0) return result;
    if (slash == std::string::npos) return 0;
  }
}

int sync_folder(os::Files& door, const std::string& folder) {
  const os::Descriptor open{door, door.open(folder, O_RDONLY | O_DIRECTORY)};
  return open ? door.sync(open.get()) : open.get();
}

/// The file that a new one replaces.
struct Former {
  bool is_there = false;
  int bits = 0;
  os::Owner owner{};
};

tl::expected<Former, Diagnostic> former_at(os::Files& door, const std::string& path, const std::string& real) {
  const os::Descriptor file{door, door.open(real, O_RDONLY | O_NONBLOCK)};
  if (file.get() == -ENOENT) return Former{};
  if (!file) return tl::unexpected(cannot_write(path, file.get()));
  if (!door.is_plain_file(file.get())) return tl::unexpected(not_a_file(path));
  Former former{true, door.permissions(file.get()), {}};
  int result = std::min(0, former.bits);
  if (result == 0) result = door.owner(file.get(), former.owner);
  if (result < 0) return tl::unexpected(cannot_write(path, result));
  if ((former.bits & anybody_may_write) == 0) return tl::unexpected(write_protected(path));
  return former;
}

/// Copies owner and permissions of the previous file. Without the right to change the owner, at least the group.
int copy_ownership(os::Files& door, int fresh, const Former& former) {
  os::Owner is;
  if (const int result = door.owner(fresh, is); result < 0) return result;
  if (is != former.owner && door.set_owner(fresh, former.owner) < 0)
    static_cast<void>(door.set_owner(fresh, {is.user, former.owner.group}));
  return door.set_permissions(fresh, former.bits);
}

/// Creates a unique file in the folder with a name that is not a sheet's. Returns its descriptor or a negative error
/// number.
int make_fresh(os::Files& door, const std::string& folder, std::string& path) {
  constexpr int times = 16;
  int made = -EEXIST;
  for (int n = 0; made == -EEXIST && n < times; ++n) {
    path = fmt::format("{}/.omnipar-{:016x}", folder, door.random());
    made = door.open(path, O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW);
  }
  return made;
}

constexpr int everybody_reads = 0644;

/// Creates a new file beside the real one and returns its path. A failed one is removed.
tl::expected<std::string, int> write_beside(os::Files& door, const std::string& real, const std::string& text,
                                            const Former& former, Readers readers) {
  std::string fresh;
  const os::Descriptor file{door, make_fresh(door, folder_of(real), fresh)};
  if (!file) return tl::unexpected(file.get());
  int result = former.is_there ? copy_ownership(door, file.get(), former) : 0;
  if (!former.is_there) give_to_owner_of(door, folder_of(real), file.get());
  if (result == 0 && readers == Readers::everybody) result = door.set_permissions(file.get(), everybody_reads);
  if (result == 0) result = os::write_all(door, file.get(), std::as_bytes(std::span{text}));
  if (result == 0) result = door.sync(file.get());
  if (result == 0) return fresh;
  (void)door.remove(fresh);
  return tl::unexpected(result);
}

/// The existing versions of a file, oldest first.
struct Versions {
  std::vector<std::string> former;
  std::vector<std::string> undone;
};

constexpr std::string_view undone_head = "undone-";

Versions versions_in(os::Files& door, const std::string& folder) {
  // A longer name is not one of ours.
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

/// Six digits, so that names sort in numerical order.
std::string name_after(const std::vector<std::string>& names, std::string_view head) {
  const unsigned long last = names.empty() ? 0 : std::stoul(names.back().substr(head.size()));
  return fmt::format("{}{:06}", head, last + 1);
}

void keep_newest(os::Files& door, const std::string& folder, const std::vector<std::string>& names) {
  for (std::size_t i = 0; i + versions_kept < names.size(); ++i) (void)door.remove(folder + "/" + names[i]);
}

/// Other Omnipar processes hold a lock for a few milliseconds; a lock held longer is an error.
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

/// The end of a path after following its links, even if nothing exists there yet.
std::string resolved(os::Files& door, std::string path) {
  constexpr int most_links = 40;
  for (int n = 0; n < most_links; ++n) {
    if (std::string real = door.real_path(path); !real.empty()) return real;
    const std::string target = door.link_target(path);
    if (target.empty()) return path;
    path = target.starts_with('/') ? target : fmt::format("{}/{}", folder_of(path), target);
  }
  return path;
}

/// The version before the first one.
const std::string no_file = "# There was no file.\n";

/// The real path of a writable file, and its previous contents; creates its folder.
struct Place {
  std::string real;
  Former former;
};

tl::expected<Place, Diagnostic> place_for(os::Files& door, const std::string& path) {
  Place place{resolved(door, path), {}};
  const auto former = former_at(door, path, place.real);
  if (!former) return tl::unexpected(former.error());
  place.former = *former;
  const std::string folder = folder_of(place.real);
  if (place.real != path && !former->is_there && door.real_path(folder).empty())
    return tl::unexpected(leads_nowhere(path, place.real));
  if (const int made = make_folders(door, folder); made < 0) return tl::unexpected(cannot_write(path, made));
  return place;
}

}  // namespace

tl::expected<os::Descriptor, Diagnostics> hold(os::Files& door, const std::string& path, const std::string& versions) {
  if (const int made = make_folders(door, versions); made < 0)
    return tl::unexpected(Diagnostics{cannot_keep_versions(path, made)});
  os::Descriptor file{door, door.open(versions + "/lock", O_RDWR | O_CREAT | O_NOFOLLOW | O_NONBLOCK)};
  if (!file) return tl::unexpected(Diagnostics{cannot_keep_versions(path, file.get())});
  give_to_owner_of(door, versions, file.get());
  const int locked = lock_in_time(door, file.get());
  if (locked == -EWOULDBLOCK)
    return tl::unexpected(Diagnostics{{"busy-file", Severity::error, "another Omnipar process is changing this file",
                                       path, "try again in a moment"}});
  if (locked < 0) return tl::unexpected(Diagnostics{cannot_keep_versions(path, locked)});
  return file;
}

std::optional<Diagnostic> write_whole(os::Files& door, const std::string& path, const std::string& text,
                                      Readers readers) {
  const auto place = place_for(door, path);
  if (!place) return place.error();
  const auto fresh = write_beside(door, place->real, text, place->former, readers);
  if (!fresh) return cannot_write(path, fresh.error());
  if (const int renamed = door.rename(*fresh, place->real); renamed < 0) {
    (void)door.remove(*fresh);
    return cannot_write(path, renamed);
  }
  // The new file is in place; a folder that cannot be synced is accepted.
  (void)sync_folder(door, folder_of(place->real));
  return std::nullopt;
}

tl::expected<bool, Diagnostics> change_file(os::Files& door, const std::string& path, const std::string& versions,
                                            const Change& change) {
  const auto held = hold(door, path, versions);
  if (!held) return tl::unexpected(held.error());
  return change_held(door, path, versions, change);
}

tl::expected<bool, Diagnostics> change_held(os::Files& door, const std::string& path, const std::string& versions,
                                            const Change& change) {
  const auto old = read_text(door, path);
  const bool there = old.has_value();
  if (!there && old.error().id != "no-file") return tl::unexpected(Diagnostics{old.error()});
  const auto fresh = change(there ? *old : "");
  if (!fresh) return tl::unexpected(fresh.error());
  if (there && *fresh == *old) return false;
  const std::string version = versions + "/" + name_after(versions_in(door, versions).former, "");
  if (auto failure = write_whole(door, version, there ? *old : no_file))
    return tl::unexpected(Diagnostics{std::move(*failure)});
  if (auto failure = write_whole(door, path, *fresh)) return tl::unexpected(Diagnostics{std::move(*failure)});
  keep_newest(door, versions, versions_in(door, versions).former);
  return true;
}

std::vector<std::string> former_versions(os::Files& door, const std::string& versions) {
  std::vector<std::string> all = versions_in(door, versions).former;
  std::ranges::reverse(all);
  for (std::string& one : all) one = fmt::format("{}/{}", versions, one);
  return all;
}

std::optional<Diagnostic> refuses_change(os::Files& door, const std::string& path, const std::string& versions) {
  const auto held = hold(door, path, versions);
  if (!held) return held.error().front();
  const auto place = place_for(door, path);
  if (!place) return place.error();
  const auto probe = write_beside(door, place->real, "", {}, Readers::as_before);
  if (!probe) return cannot_write(path, probe.error());
  (void)door.remove(*probe);
  return std::nullopt;
}

namespace {

std::optional<Diagnostic> put_back(os::Files& door, const std::string& path, const std::string& former) {
  if (former != no_file) return write_whole(door, path, former);
  const std::string real = resolved(door, path);
  if (const int removed = door.remove(real); removed < 0) return cannot_write(path, removed);
  (void)sync_folder(door, folder_of(real));
  return std::nullopt;
}

}  // namespace

tl::expected<std::string, Diagnostics> undo(os::Files& door, const std::string& path, const std::string& versions) {
  const auto held = hold(door, path, versions);
  if (!held) return tl::unexpected(held.error());
  return undo_held(door, path, versions);
}

tl::expected<std::string, Diagnostics> undo_held(os::Files& door, const std::string& path,
                                                 const std::string& versions) {
  const auto now = read_text(door, path);
  if (!now && now.error().id != "no-file") return tl::unexpected(Diagnostics{now.error()});
  Versions there = versions_in(door, versions);
  for (; !there.former.empty(); there.former.pop_back()) {
    const std::string version = versions + "/" + there.former.back();
    const auto former = read_text(door, version);
    if (!former) return tl::unexpected(Diagnostics{former.error()});
    // A version equal to the file is left over from an interrupted change.
    if (now ? *former == *now : *former == no_file) {
      (void)door.remove(version);
      continue;
    }
    const std::string undone = versions + "/" + name_after(there.undone, undone_head);
    if (now)
      if (auto failure = write_whole(door, undone, *now)) return tl::unexpected(Diagnostics{std::move(*failure)});
    if (auto failure = put_back(door, path, *former)) return tl::unexpected(Diagnostics{std::move(*failure)});
    (void)door.remove(version);
    keep_newest(door, versions, versions_in(door, versions).undone);
    return undone;
  }
  return tl::unexpected(Diagnostics{{"nothing-to-undo", Severity::error, "this file has no previous version", path,
                                     "Omnipar saves versions from its first change on"}});
}

}  // namespace omnipar::inline abi_0::files
