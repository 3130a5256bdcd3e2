// The file of a profile, changed in place: nothing in it is touched that need not be, and nothing that would bring a
// mistake in is written.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "omnipar/omnipar.hpp"
#include "os/door.hpp"
#include "sources.hpp"

#include <tl/expected.hpp>

namespace omnipar::cli {

/// One target of a port: its value as TOML, or nothing for its default sources. Without a target: the port that it is
/// like.
struct BindingEdit {
  int port = 1;
  std::string target;
  std::optional<std::string> value{};
};

/// The edits that make the bindings of one profile those of the other, which has the same ports.
[[nodiscard]] std::vector<BindingEdit> edits_between(const Profile& before, const Profile& after);

/// Makes them in the file of that path, which must be there; true if that changed anything. What the profile asks for
/// is looked up in this catalogue. Fails with `no-file`, with what would be wrong with the new text, and as
/// `change_file` does; then the file is as it was.
[[nodiscard]] tl::expected<bool, Diagnostics> edit_profile(os::Door& door, const std::string& path,
                                                           const Catalogue& catalogue,
                                                           const std::vector<BindingEdit>& edits);
/// Writes a profile that was not there. Fails with `name-twice`, and as above.
[[nodiscard]] std::optional<Diagnostics> write_new_profile(os::Door& door, const std::string& path,
                                                           const Profile& profile);

/// Says what is wrong; the exit status that goes with it.
[[nodiscard]] int refuse_file(const Diagnostics& problems);

}  // namespace omnipar::cli
