// The pictures that Omnipar makes: what was measured of a stick, an axis or a gun, the way of a value through its
// stages, and the paths of pointers.
// They are drawn by a library of its own, which is loaded when there is something to be drawn.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "omnipar/calibrating.hpp"
#include "omnipar/gun_fit.hpp"

namespace omnipar::draw {

enum class Format { svg, png };

/// By the end of a file's name; nothing for another one than ".svg" or ".png".
[[nodiscard]] inline std::optional<Format> format_of(std::string_view path) {
  if (path.ends_with(".svg")) return Format::svg;
  if (path.ends_with(".png")) return Format::png;
  return std::nullopt;
}

/// A response curve, with the current position.
struct Curve {
  std::string title;                               ///< what it is the way to
  std::vector<std::string> stages;                 ///< one below the other
  std::vector<std::pair<double, double>> ways{};   ///< by length: what comes in and what goes out
  std::optional<std::pair<double, double>> now{};  ///< the current position
};

/// Where a pointer of the machine was, frame by frame.
struct PointerPath {
  struct Place {
    AreaPoint at;
    bool on = true;  ///< on the game's picture
  };
  std::string title;
  double shape = 4.0 / 3;  ///< of the picture: its width by its height
  std::vector<Place> places{};
  std::vector<Place> shots{};  ///< where it was when the trigger was pulled
};

/// What the library offers; each gives the contents of a file, empty if that failed. `dead_zone`: as a part of a full
/// push.
struct Pictures {
  /// The raw and the calibrated positions with centre, gate and dead zone; the error in each direction before and
  /// after; and the current position.
  std::string (*stick)(const std::string& title, const StickReadings& readings, const StickCalibration& kept,
                       double dead_zone, Format format);
  /// The readings in their order, with rest and ends; and the response, with the marks that it was led to.
  std::string (*axis)(const std::string& title, const AxisReadings& readings, const AxisCalibration& kept,
                      double dead_zone, Format format);
  /// At most four curves have room.
  std::string (*curves)(const std::string& title, const std::vector<Curve>& curves, Format format);
  /// The targets on the screen, and how far beside each the fit is.
  std::string (*gun)(const std::string& title, const std::vector<Shot>& shots, const GunFit& fit, PixelSize screen,
                     Format format);
  /// At most four pointers have room.
  std::string (*path)(const std::string& title, const std::vector<PointerPath>& paths, Format format);
};

}  // namespace omnipar::draw

/// The only exported symbol; built together with its caller.
extern "C" [[gnu::visibility("default")]] const omnipar::draw::Pictures* omnipar_pictures() noexcept;
