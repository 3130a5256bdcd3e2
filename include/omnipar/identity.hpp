// Identity: which unit in the rig a connected unit is, and the roles of its codes.
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

/// Returns true for nodes with the buttons of a gamepad or joystick, except Omnipar's own virtual devices.
[[nodiscard]] bool is_controller(const Description& description) noexcept;

/// Returns true for controllers and for nodes of models with a sheet, such as an encoder that reports as a keyboard or
/// a gun that reports as a mouse.
[[nodiscard]] bool is_playable(const Catalogue& catalogue, const Description& description) noexcept;

/// How reliably a unit is identified, in increasing order.
enum class MatchConfidence {
  no,      ///< another model, or another serial number
  maybe,   ///< the same model in another socket, without other evidence: the user must confirm it
  socket,  ///< the same model in the same socket
  serial,  ///< the same model, and a serial number that is unique in the rig
  both,    ///< serial number and socket
};

/// A unit in the rig, and how reliably it matches.
struct Match {
  const RigUnit* unit = nullptr;
  MatchConfidence confidence = MatchConfidence::no;
};

/// Returns the evidence for a match: "by its serial number", "by its socket".
[[nodiscard]] std::string_view confidence_text(MatchConfidence confidence) noexcept;

/// Returns all units in the rig of this model and part, the most reliable match first. Units with another serial number
/// are included with `no`. A serial number that two units in the rig share is ignored. Results point into `rig`.
[[nodiscard]] std::vector<Match> matches(const Rig& rig, const Description& description, std::string_view part = "");

/// Returns the matching unit in the rig with at least the confidence `socket`, or nullptr. Units named in `present` are
/// already taken. The result points into `rig`.
[[nodiscard]] const RigUnit* find_unit(const Rig& rig, const Description& description,
                                       std::span<const std::string> present = {}, std::string_view part = "");

/// Returns the name the unit reports, as `printable` text, with a number if it is not the first of its device: "Quill
/// Receiver (2)".
[[nodiscard]] std::string own_name(const Description& description);

/// Returns a new entry for the rig that identifies `description`. Its name is the reported name, with a number if the
/// rig already has it.
[[nodiscard]] RigUnit new_unit(const Rig& rig, const Description& description, std::string seat,
                               std::string_view part = "");

/// Returns the sheet of the unit's model, or nullptr. A sheet that matches the reported name takes precedence over one
/// that matches only the ids; among equally specific sheets, the last one does. Suffixes added by the kernel (" Mouse",
/// " Keyboard") are ignored. A sheet does not match if an event node has none of its controls, or no axis although the
/// sheet has axes. The result points into `catalogue`.
[[nodiscard]] const UnitSheet* find_unit_sheet(const Catalogue& catalogue, const Description& description) noexcept;
/// Returns the sheet that matches except for its controls, if no other matches; otherwise nullptr.
[[nodiscard]] const UnitSheet* find_unfit_sheet(const Catalogue& catalogue, const Description& description) noexcept;

/// Returns the attachment of a unit with one node. Roles come from the sheet of its model, otherwise from the kernel's
/// gamepad convention (Linux Documentation/input/gamepad.rst). Joysticks, which have no convention, and pads with
/// numbered buttons get roles in the order of their buttons. Calibrations in the rig replace declared ranges. The seat
/// comes from the rig, or is empty. Fails with `not-a-controller`.
[[nodiscard]] tl::expected<Attachment, Diagnostics> recognise(const Catalogue& catalogue, const Rig& rig,
                                                              const Description& description,
                                                              std::span<const std::string> present = {});

/// Returns the attachment of one node of a unit for one part (empty: the whole unit), with roles as above. `main` is
/// the unit's main node. It has no controls if the node has none in that part. Unit and seat are empty.
[[nodiscard]] Attachment attach_node(const Catalogue& catalogue, const Description& main, const Description& node,
                                     std::string_view part = "");

/// Returns the names of a unit's parts, from its sheet or its raw reports, or one empty name if it has none.
[[nodiscard]] std::vector<std::string> unit_parts(const Catalogue& catalogue, const Description& unit);

/// For each part of a raw node, returns the indices of its controls that no other part has. Empty for a unit without
/// parts or sheet.
[[nodiscard]] std::vector<std::vector<std::size_t>> part_controls(const Catalogue& catalogue, const Description& unit);

/// Sets the codes of a raw node from its report descriptor.
void describe_raw(Description& node);

/// Returns the name of a control: the kernel's name of the code, or "hid:0/x" for raw reports.
[[nodiscard]] std::string control_name(const Description& node, Code code);

/// Returns why the unit of this event node should be read through its raw reports, or an empty string: if there is no
/// reason, or if a specific kernel driver handles the unit and no sheet overrides that.
[[nodiscard]] std::string reason_for_raw(const Catalogue& catalogue, const Description& node,
                                         std::span<const std::uint8_t> descriptor);

/// Returns true if the raw node of the same HID device reports everything that this event node does.
[[nodiscard]] bool raw_tells_all(const Catalogue& catalogue, const Description& raw, const Description& node);

/// Applies the calibration of the unit with the attachment's name in the rig.
void calibrate(Attachment& attachment, const Rig& rig);

/// For units with several connections, selects the one chosen in the rig.
void choose_connections(std::vector<UnitNodes>& units, std::span<const Description> nodes, const Rig& rig);

/// Returns a name that is safe for a terminal: control characters and invalid UTF-8 become '?', at most 60 characters,
/// never empty.
[[nodiscard]] std::string printable(std::string_view name);

/// Returns a name in the form used for sheets and files: "Fenwick Reading-Room Pad" becomes "fenwick-reading-room-pad".
/// At most 40 characters, starting with a letter.
[[nodiscard]] std::string plain_word(std::string_view name);

}  // namespace omnipar::inline abi_0
