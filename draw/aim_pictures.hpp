// The pictures of guns and pointers.
#pragma once

#include <string>
#include <vector>

#include "draw/pictures.hpp"

namespace omnipar::draw {

[[nodiscard]] std::string draw_gun(const std::string& title, const std::vector<Shot>& shots, const GunFit& fit,
                                   PixelSize screen, Format format);
[[nodiscard]] std::string draw_path(const std::string& title, const std::vector<PointerPath>& paths, Format format);

}  // namespace omnipar::draw
