// The rig's file, changed in place: nothing in it is touched that need not be.
#pragma once

#include <functional>
#include <string>

#include <tl/expected.hpp>

#include "omnipar/omnipar.hpp"
#include "sources.hpp"

namespace omnipar::cli {

using Text = tl::expected<std::string, Diagnostics>;

/// The file's text with the seats, ways and sockets of `wanted`, and its new units behind the others. Fails with
/// `cannot-edit` where only a person should.
[[nodiscard]] Text rig_text(const std::string& path, const std::string& old, const Rig& wanted);

/// The keys of a unit of the file by its name; fails with `unknown-unit`.
[[nodiscard]] tl::expected<std::vector<std::string>, Diagnostics> unit_keys(const std::string& path,
                                                                            const std::string& old,
                                                                            const std::string& name);

/// Changes the rig's file; says what went wrong. The exit status.
[[nodiscard]] int change_rig(const Sources& sources,
                             const std::function<Text(const std::string& path, const std::string& old)>& change);

}  // namespace omnipar::cli
