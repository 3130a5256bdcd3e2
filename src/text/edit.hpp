// Edits of TOML texts in place: comments, order and every line that an edit need not touch stay.
#pragma once

#include <span>
#include <string>

#include <tl/expected.hpp>

#include "text/value.hpp"

namespace omnipar::inline abi_0::text {

/// A value by the keys that lead to it, such as port, 1, bind, a. The keys are bare ones; "#2" is the third of a list.
using Path = std::span<const std::string>;

/// The text with `value` (TOML, on one line) at `path`: in the place of the value that is there, else on a
/// line of its own behind the table's last, with a header if the table is new. Fails with the text's own
/// problems, with `syntax` if the value is none, and with `cannot-edit` where only a person should.
[[nodiscard]] tl::expected<std::string, Diagnostics> set_value(const Source& source, Path path,
                                                               const std::string& value);

/// The text without the value at `path`; the same text if it is not there. Fails as `set_value` does.
[[nodiscard]] tl::expected<std::string, Diagnostics> clear_value(const Source& source, Path path);

}  // namespace omnipar::inline abi_0::text
