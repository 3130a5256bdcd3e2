// Omnipar's pictures: calibrations of sticks, axes and guns, the path of a value through its
// stages, and the paths of pointers.
// They are drawn by a separate library, which is loaded on demand.
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

/// By the end of a file's name; nothing for others than ".svg" and ".png".
[[nodiscard]] inline std::optional<Format> format_of(std::string_view path) {
  if (path.ends_with(".svg")) return Format::svg;
  if (path.ends_with(".png")) return Format::png;
  return std::nullopt;
}

/// A response curve, with the current position.
struct Curve {
  std::string title;                               ///< the name of its destination
  std::vector<std::string> stages;                 ///< one below the other
  std::vector<std::pair<double, double>> ways{};   ///< input and output, by length
  std::optional<std::pair<double, double>> now{};  ///< the current position
};

/// The path of a machine's pointer, frame by frame.
struct PointerPath {
  struct Place {
    AreaPoint at;
    bool on = true;  ///< on the game's picture
  };
  std::string title;
  double shape = 4.0 / 3;  ///< the aspect ratio of the picture
  std::vector<Place> places{};
  std::vector<Place> shots{};  ///< its positions at trigger pulls
};

/// The library's functions; each returns the contents of a file, empty on failure. `dead_zone`: as a fraction of a full
/// push.
struct Pictures {
  /// The raw and the calibrated positions with centre, gate and dead zone; the error in each direction before and
  /// after; and the current position.
  std::string (*stick)(const std::string& title, const StickReadings& readings, const StickCalibration& kept,
                       double dead_zone, Format format);
  /// The readings in their order, with rest and ends; and the response, with its marks.
  std::string (*axis)(const std::string& title, const AxisReadings& readings, const AxisCalibration& kept,
                      double dead_zone, Format format);
  /// At most four curves fit.
  std::string (*curves)(const std::string& title, const std::vector<Curve>& curves, Format format);
  /// The targets on the screen, and the error of the fit at each.
  std::string (*gun)(const std::string& title, const std::vector<Shot>& shots, const GunFit& fit, PixelSize screen,
                     Format format);
  /// At most four pointers fit.
  std::string (*path)(const std::string& title, const std::vector<PointerPath>& paths, Format format);
};

}  // namespace omnipar::draw

/// The only exported symbol; built together with its caller.
extern "C" [[gnu::visibility("default")]] const omnipar::draw::Pictures* omnipar_pictures() noexcept;
