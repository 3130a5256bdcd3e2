// The contents of a unit's raw reports, for people.
#pragma once

#include <cstdint>
#include <map>
#include <string>
#include <vector>

#include "omnipar/catalogue.hpp"
#include "omnipar/description.hpp"

namespace omnipar::inline abi_0::inspect {

/// The last report of each report id, with the id in front if they are numbered.
using LastReports = std::map<std::uint8_t, std::vector<std::uint8_t>>;

/// A raw node line by line: its descriptor as text, its controls with the codes that the kernel gives them and their
/// roles, from its sheet or by default, and the bytes of its last reports with their contents.
[[nodiscard]] std::vector<std::string> raw_lines(const Catalogue& catalogue, const Description& node,
                                                 const LastReports& last);

/// The same as a JSON object.
[[nodiscard]] std::string raw_json(const Catalogue& catalogue, const Description& node, const LastReports& last);

}  // namespace omnipar::inline abi_0::inspect
