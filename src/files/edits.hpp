// The differences between two sheets as in-place edits of a file's text: comments, order and everything unaffected
// are preserved.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "omnipar/catalogue.hpp"
#include "omnipar/diagnostic.hpp"
#include "omnipar/profile.hpp"
#include "omnipar/rig.hpp"

#include <tl/expected.hpp>

namespace omnipar::inline abi_0::files {

using Text = tl::expected<std::string, Diagnostics>;

/// The value at these keys ("port", "1", "bind", "a") as TOML, or nothing to clear it.
struct Edit {
  std::vector<std::string> keys;
  std::optional<std::string> value{};
};

/// The edits that turn one profile into the other.
[[nodiscard]] std::vector<Edit> edits_between(const Profile& before, const Profile& after);

/// A profile's text with these edits. Fails with `no-file` if there is no text, with the problems of the new
/// text as a profile (references are looked up in the catalogue), and with `cannot-edit`.
[[nodiscard]] Text edited_profile(const std::string& path, const std::string& old, const Catalogue& catalogue,
                                  const std::vector<Edit>& edits);

/// The text of a rig's file with the units and screens of `wanted`: matching entries (see `same_unit`; a
/// screen by its name) are edited, others are appended or removed. Fails with the problems of the old
/// text, and with `cannot-edit` where only a person should edit.
[[nodiscard]] Text rig_text(const std::string& path, const std::string& old, const Rig& wanted);

/// True if both are identified alike: model, part, half, serial number and socket.
[[nodiscard]] bool same_unit(const RigUnit& a, const RigUnit& b);

/// The current entry of a rig for an entry of an earlier rig, whatever its name, seat or socket
/// now. Nothing if it was removed.
[[nodiscard]] const RigUnit* unit_now(const Rig& rig, const RigUnit& earlier);

/// Applies the changes between two rigs to a third: new units, and changed fields of existing ones. Other changes since
/// `before` are preserved.
[[nodiscard]] Rig with_changes(Rig rig, const Rig& before, const Rig& after);

/// Adds a unit to the rig if it is missing, with a number if its name is in use. Returns the unit as it is
/// in the rig.
[[nodiscard]] const RigUnit& put_unit(Rig& rig, const RigUnit& unit);

}  // namespace omnipar::inline abi_0::files
