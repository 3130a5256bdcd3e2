// What a unit's raw reports hold, for people.
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

/// A raw node line by line: its descriptor in words, its controls with what the kernel keeps of them and what they are
/// by its sheet or by themselves, and the bytes of its last reports with what each holds.
[[nodiscard]] std::vector<std::string> raw_lines(const Catalogue& catalogue, const Description& node,
                                                 const LastReports& last);

/// The same as a JSON object.
[[nodiscard]] std::string raw_json(const Catalogue& catalogue, const Description& node, const LastReports& last);

}  // namespace omnipar::inline abi_0::inspect
