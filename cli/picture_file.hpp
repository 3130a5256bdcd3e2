// Picture files.
#pragma once

#include <functional>
#include <optional>
#include <string>

#include "draw/pictures.hpp"
#include "omnipar/diagnostic.hpp"

namespace omnipar::cli {

/// Called before the work: the error in the name of a picture file, or that nothing can be drawn
/// here (`bad-picture`, `cannot-draw`); nothing for an empty name.
[[nodiscard]] std::optional<Diagnostic> refuses_picture(const std::string& path);

/// Draws a picture and writes it to a file. If nothing was drawn, prints the hint. Returns the exit status.
[[nodiscard]] int draw_picture(const std::string& path, const std::string& hint,
                               const std::function<std::string(const draw::Pictures&, draw::Format)>& drawn);

}  // namespace omnipar::cli
