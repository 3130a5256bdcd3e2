// Writes files completely or not at all, and keeps previous versions.
//
// Each file has a folder of versions: 000001, 000002 … are its previous contents, the newest last;
// undone-000001 … are contents that an undo replaced. At most ten of each.
#pragma once

#include <cstdint>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include <tl/expected.hpp>

#include "omnipar/diagnostic.hpp"
#include "os/door.hpp"

namespace omnipar::inline abi_0::files {

inline constexpr std::size_t versions_kept = 10;

/// Read permissions of the written file: those of the previous file, or for all users regardless of the umask.
enum class Readers : std::uint8_t { as_before, everybody };

/// Replaces the file's contents with `text` and creates missing folders. At every moment, even if the process or the
/// machine stops, the file is the old one or the new one. Links are followed; the file's permissions, owner and group
/// are kept as far as this process may; new files belong to the owner of their folder. Fails with
/// `write-protected`, `not-a-file` or `cannot-write`; then the old file is unchanged.
[[nodiscard]] std::optional<Diagnostic> write_whole(os::Files& door, const std::string& path, const std::string& text,
                                                    Readers readers = Readers::as_before);

/// Returns the new text for the old one (empty without a file), or a diagnostic.
using Change = std::function<tl::expected<std::string, Diagnostics>(const std::string& old)>;

/// Locks a file against other Omnipar processes while the descriptor is open. A process with a rig's lock may take a
/// calibration's, not vice versa. Waits up to 2 s. Fails with `busy-file` and `cannot-write`.
[[nodiscard]] tl::expected<os::Descriptor, Diagnostics> hold(os::Files& door, const std::string& path,
                                                             const std::string& versions);

/// Reads a file under its lock, changes it and writes it whole. The previous contents become its newest version.
/// Without a change nothing is written. Returns true if the file was written. Fails like `read_text` and `write_whole`,
/// with `busy-file`, and with the change's diagnostics.
[[nodiscard]] tl::expected<bool, Diagnostics> change_file(os::Files& door, const std::string& path,
                                                          const std::string& versions, const Change& change);

/// The same for a caller that holds the file's lock.
[[nodiscard]] tl::expected<bool, Diagnostics> change_held(os::Files& door, const std::string& path,
                                                          const std::string& versions, const Change& change);

/// Checks as far as possible whether `change_file` could write the file; fails as that does. Creates missing
/// folders.
[[nodiscard]] std::optional<Diagnostic> refuses_change(os::Files& door, const std::string& path,
                                                       const std::string& versions);

/// Paths of the previous versions, newest first.
[[nodiscard]] std::vector<std::string> former_versions(os::Files& door, const std::string& versions);

/// Restores the newest version; before the first one the file did not exist. The replaced contents are saved
/// beside the versions; returns their path. Fails with `nothing-to-undo` and as above.
[[nodiscard]] tl::expected<std::string, Diagnostics> undo(os::Files& door, const std::string& path,
                                                          const std::string& versions);
/// The same for a caller that holds the file's lock.
[[nodiscard]] tl::expected<std::string, Diagnostics> undo_held(os::Files& door, const std::string& path,
                                                               const std::string& versions);

}  // namespace omnipar::inline abi_0::files
