// Finding a sheet by name, with an error that helps.
#pragma once

#include "omnipar/catalogue.hpp"

namespace omnipar::inline abi_0::catalogue {

/// The machine's sheet, or an `unknown-system` error that names the nearest or lists all.
[[nodiscard]] tl::expected<const SystemSheet*, Diagnostic> find_system(const Catalogue& catalogue,
                                                                       std::string_view name);

/// The screen of that name, or the only one: fails with `no-screen` and `unknown-screen`.
[[nodiscard]] tl::expected<const Screen*, Diagnostic> find_screen(const std::vector<Screen>& screens,
                                                                  std::string_view name);

/// "a, b and c".
[[nodiscard]] std::string listed(const std::vector<std::string_view>& names);

/// "did you mean 'x'?" if a name is close enough, otherwise "there are: …".
[[nodiscard]] std::string suggestion(std::string_view misspelt, const std::vector<std::string_view>& names);

}  // namespace omnipar::inline abi_0::catalogue
