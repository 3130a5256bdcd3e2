// Files of pictures.
#pragma once

#include <optional>
#include <string>

#include "omnipar/diagnostic.hpp"

namespace omnipar::cli {

/// Better said before than behind the work: what is wrong with the name of a picture's file; nothing for an empty one.
[[nodiscard]] std::optional<Diagnostic> refuses_picture(const std::string& path);

/// Writes it whole and says so; without bytes there was nothing to be drawn, and the hint says why. The exit status.
[[nodiscard]] int write_picture(const std::string& path, const std::string& bytes, const std::string& hint);

}  // namespace omnipar::cli
