// What differs between two sheets, as edits of a file's text in place: comments, order and whatever need not be
// touched stay.
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

/// What makes the one profile the other.
[[nodiscard]] std::vector<Edit> edits_between(const Profile& before, const Profile& after);

/// A profile's text with these edits. Fails with `no-file` if there is no text, with what would be wrong with the new
/// one as a profile (what it asks for is looked up in the catalogue), and with `cannot-edit`.
[[nodiscard]] Text edited_profile(const std::string& path, const std::string& old, const Catalogue& catalogue,
                                  const std::vector<Edit>& edits);

/// The text of a rig's file with the units and screens of `wanted`: those that are the same (see `same_unit`; a
/// screen by its name) are edited, others are added behind them or taken out. Fails with what is wrong with the old
/// text, and with `cannot-edit` where only a person should.
[[nodiscard]] Text rig_text(const std::string& path, const std::string& old, const Rig& wanted);

/// True if both are recognised by the same: model, part, half, serial number and socket.
[[nodiscard]] bool same_unit(const RigUnit& a, const RigUnit& b);

/// The unit of a rig that an entry of an earlier rig is now: whatever it is called, and wherever it sits or is plugged
/// in by now. Nothing if it is gone.
[[nodiscard]] const RigUnit* unit_now(const Rig& rig, const RigUnit& earlier);

/// Applies the changes between two rigs to a third: new units, and changed fields of existing ones. Other changes since
/// `before` are preserved.
[[nodiscard]] Rig with_changes(Rig rig, const Rig& before, const Rig& after);

/// Puts a unit in the rig, if it is not there: under another number if another unit has its name. The unit as it is
/// there.
[[nodiscard]] const RigUnit& put_unit(Rig& rig, const RigUnit& unit);

}  // namespace omnipar::inline abi_0::files
