// Edits TOML text in place: comments, order and every unaffected line are preserved.
#pragma once

#include <span>
#include <string>

#include <tl/expected.hpp>

#include "text/value.hpp"

namespace omnipar::inline abi_0::text {

/// A path of keys to a value, such as port, 1, bind, a. The keys are bare; "#2" is the third entry of a list.
using Path = std::span<const std::string>;

/// The text with `value` (TOML, on one line) at `path`: replacing an existing value, otherwise on a
/// new line after the table's last, with a header if the table is new. Fails with the text's own
/// problems, with `syntax` if the value is invalid, and with `cannot-edit` where only a person should.
[[nodiscard]] tl::expected<std::string, Diagnostics> set_value(const Source& source, Path path,
                                                               const std::string& value);

/// The text without the value at `path`; unchanged if there is none. Fails as `set_value` does.
[[nodiscard]] tl::expected<std::string, Diagnostics> clear_value(const Source& source, Path path);

}  // namespace omnipar::inline abi_0::text
