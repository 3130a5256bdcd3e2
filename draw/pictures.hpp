// The pictures that Omnipar makes: what was measured of a stick or an axis, and the way of a value through its stages.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "draw/sheet.hpp"
#include "omnipar/calibrating.hpp"

namespace omnipar::draw {

/// By the end of a file's name; nothing for another one than ".svg" or ".png".
[[nodiscard]] std::optional<Format> format_of(std::string_view path);

/// The raw cloud with centre, gate and dead zone; the cloud behind it; how far the edge is off in each direction,
/// before and after; and where the hand was last. `dead_zone`: as a part of a full push.
[[nodiscard]] std::string stick_picture(const std::string& title, const StickReadings& readings,
                                        const StickCalibration& kept, double dead_zone, Format format);

/// The readings in their order, with rest and ends; and the response, with the marks that it was led to.
[[nodiscard]] std::string axis_picture(const std::string& title, const AxisReadings& readings,
                                       const AxisCalibration& kept, double dead_zone, Format format);

/// What becomes of a push of each length, and of the one where the hand is now.
struct Curve {
  std::string title;                               ///< what it is the way to
  std::vector<std::string> stages;                 ///< one below the other
  std::vector<std::pair<double, double>> ways{};   ///< by length: what comes in and what goes out
  std::optional<std::pair<double, double>> now{};  ///< where the hand is
};
/// At most four of them have room.
[[nodiscard]] std::string curves_picture(const std::string& title, const std::vector<Curve>& curves, Format format);

}  // namespace omnipar::draw
