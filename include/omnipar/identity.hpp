// Identity: which unit of the rig a unit is, and what its codes mean.
#pragma once

#include <optional>
#include <span>
#include <string>
#include <vector>

#include "omnipar/attachment.hpp"
#include "omnipar/catalogue.hpp"
#include "omnipar/description.hpp"
#include "omnipar/rig.hpp"
#include "omnipar/unit.hpp"

namespace omnipar::inline abi_0 {

/// True if a hand can play on it: it has a gamepad's or a joystick's buttons, and it is not a virtual
/// device of ours.
[[nodiscard]] bool is_controller(const Description& description) noexcept;

/// True for controllers, and for all other nodes of models that there is a sheet of: an encoder that looks like
/// a keyboard, a gun that looks like a mouse.
[[nodiscard]] bool is_playable(const Catalogue& catalogue, const Description& description) noexcept;

/// How surely a unit is one of the rig's; the surest last.
enum class MatchConfidence {
  no,      ///< another model, or another serial number
  maybe,   ///< the same model, but plugged in elsewhere, and nothing else to tell it by: somebody must be asked
  socket,  ///< the same model in the same socket
  serial,  ///< the same model and serial number, which no other unit of the rig has
  both,    ///< serial number and socket
};

/// A rig's unit and how surely this is it.
struct Match {
  const RigUnit* unit = nullptr;
  MatchConfidence confidence = MatchConfidence::no;
};

/// "the serial number", "the socket": by what a match is known.
[[nodiscard]] std::string_view confidence_words(MatchConfidence confidence) noexcept;

/// All of the rig's units of this model and part, the surest first; those of which a differing serial number says
/// that they are others come with `no`. They point into `rig`. A serial number that two units of the rig share says
/// nothing.
[[nodiscard]] std::vector<Match> matches(const Rig& rig, const Description& description, std::string_view part = "");

/// The rig's unit that this one is, as surely as by its socket, or nothing. Units whose names are listed in
/// `present` are taken already. The result points into `rig`.
[[nodiscard]] const RigUnit* find_unit(const Rig& rig, const Description& description,
                                       std::span<const std::string> present = {}, std::string_view part = "");

/// The unit's own name, fit for a terminal, with a number if it is not the first of its device: "Quill Receiver (2)".
[[nodiscard]] std::string own_name(const Description& description);

/// A rig entry by which `description` will be known again. Its name is the unit's own, with another
/// number where the rig has that name already.
[[nodiscard]] RigUnit new_unit(const Rig& rig, const Description& description, std::string seat,
                               std::string_view part = "");

/// The sheet of the unit's model, or nullptr; one that names the unit's name goes before one that fits any of its
/// numbers, and of two that are equally exact the last is taken. A node's name may end as the kernel has it (" Mouse",
/// " Keyboard") where the sheet's does not. A sheet of whose controls an event node has none, or no axis where the
/// sheet has axes, is not the node's. The result points into `catalogue`.
[[nodiscard]] const UnitSheet* find_unit_sheet(const Catalogue& catalogue, const Description& description) noexcept;
/// The sheet that would be taken but for its controls, if there is no other; else nullptr.
[[nodiscard]] const UnitSheet* find_unfit_sheet(const Catalogue& catalogue, const Description& description) noexcept;

/// What each code of a unit of one node means: by its model's sheet, else by the kernel's gamepad convention
/// (Linux Documentation/input/gamepad.rst); joysticks, for which there is no convention, and pads whose buttons the
/// kernel has only numbered get a guess in the order of their buttons. What the rig's calibration measured takes the
/// place of the unit's own ranges. The seat comes from the rig if it knows the unit, else stays empty. Fails with
/// `not-a-controller`.
[[nodiscard]] tl::expected<Attachment, Diagnostics> recognise(const Catalogue& catalogue, const Rig& rig,
                                                              const Description& description,
                                                              std::span<const std::string> present = {});

/// What the codes of one node of a unit mean for one part of it (empty: for the whole), as above. `main`
/// describes the unit's main node. Without controls if the node has none in that part. Unit and seat stay empty.
[[nodiscard]] Attachment attach_node(const Catalogue& catalogue, const Description& main, const Description& node,
                                     std::string_view part = "");

/// The names of a unit's parts, by its sheet, else by what its raw reports fall into; one empty name if it is used as
/// a whole.
[[nodiscard]] std::vector<std::string> unit_parts(const Catalogue& catalogue, const Description& unit);

/// For each part of a raw node its controls that are in no other, by their places in the list of controls; none for a
/// unit without parts and without a sheet.
[[nodiscard]] std::vector<std::vector<std::size_t>> part_controls(const Catalogue& catalogue, const Description& unit);

/// Gives a raw node the codes of the controls of its report descriptor; it is all of its interface then.
void describe_raw(Description& node);

/// What a control of a node is called: the kernel's name of the code, or "hid:0/x" for one of raw reports.
[[nodiscard]] std::string control_name(const Description& node, Code code);

/// Why the unit of this event node should be read from its raw reports, of this descriptor; empty if there is no
/// reason, or if the node's codes show that a driver of its own sees to the unit, and no sheet says otherwise.
[[nodiscard]] std::string reason_for_raw(const Catalogue& catalogue, const Description& node,
                                         std::span<const std::uint8_t> descriptor);

/// True if this event node says nothing but what the raw node of the same HID device says, too.
[[nodiscard]] bool raw_tells_all(const Catalogue& catalogue, const Description& raw, const Description& node);

/// Puts what was measured on the rig's unit of the attachment's name in the place of what the unit says of itself.
void calibrate(Attachment& attachment, const Rig& rig);

/// Takes, for units that can be reached by several ways, the one that the rig asks for.
void choose_ways(std::vector<UnitNodes>& units, std::span<const Description> nodes, const Rig& rig);

/// The unit's own name, fit for a terminal: control characters and bad UTF-8 become '?', at most 60
/// characters, never empty.
[[nodiscard]] std::string printable(std::string_view name);

/// A name as the names of sheets and files are: "Fenwick Reading-Room Pad" becomes "fenwick-reading-room-pad". At most
/// 40 characters, begins with a letter.
[[nodiscard]] std::string plain_word(std::string_view name);

}  // namespace omnipar::inline abi_0
