// Identity: which unit of the rig a description belongs to, and what its codes mean.
#pragma once

#include <optional>
#include <span>
#include <string>

#include "omnipar/attachment.hpp"
#include "omnipar/catalogue.hpp"
#include "omnipar/description.hpp"
#include "omnipar/rig.hpp"

namespace omnipar {

/// True if a hand can play on it: it has a gamepad's or a joystick's buttons, and it is no virtual
/// device of ours.
[[nodiscard]] bool is_controller(const Description& description) noexcept;

/// The rig's unit that a description belongs to, or nothing. The model must be the same; then an
/// equal serial number and an equal socket together are surest, next the serial alone, then, where
/// a serial is missing, the socket alone. A serial that differs is another unit. Units whose names
/// are listed in `present` are taken already. The result points into `rig`.
[[nodiscard]] const RigUnit* find_unit(const Rig& rig, const Description& description,
                                       std::span<const std::string> present = {}) noexcept;

/// A rig entry by which `description` will be known again. A name is made from the unit's own, with a
/// number where the rig has that name already.
[[nodiscard]] RigUnit new_unit(const Rig& rig, const Description& description, std::string seat);

/// The sheet of the unit's model, or nullptr; one that names the unit's name goes before one that fits any.
/// The result points into `catalogue`.
[[nodiscard]] const UnitSheet* find_unit_sheet(const Catalogue& catalogue, const Description& description) noexcept;

/// What each code of the unit means: by its model's sheet, else by the kernel's gamepad convention (Linux
/// Documentation/input/gamepad.rst); joystick-like units, for which there is no convention, get a
/// guess in the order of their buttons. What the rig's calibration measured takes the place of the unit's
/// own ranges. The seat comes from the rig if it knows the unit, else stays
/// empty. Fails with `not-a-controller`.
[[nodiscard]] tl::expected<Attachment, Diagnostics> recognise(const Catalogue& catalogue, const Rig& rig,
                                                              const Description& description,
                                                              std::span<const std::string> present = {});

/// The unit's own name, fit for a terminal: control characters and bad UTF-8 become '?', at most 60
/// characters, never empty.
[[nodiscard]] std::string printable(std::string_view name);

}  // namespace omnipar
