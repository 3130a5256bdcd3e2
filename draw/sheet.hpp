// A sheet of paper to draw on: plots with their axes, clouds, lines and words, as SVG or PNG.
#pragma once

#include <memory>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "draw/pictures.hpp"

namespace omnipar::draw {

struct Spot {
  double x = 0;
  double y = 0;
};

struct Colour {
  double red = 0, green = 0, blue = 0, opacity = 1;
};
inline constexpr Colour ink{0.13, 0.13, 0.16}, faint{0.45, 0.46, 0.50}, grid{0.90, 0.90, 0.92},
    before{0.80, 0.36, 0.04}, after{0.05, 0.33, 0.66}, cloud{0.25, 0.27, 0.32, 0.35}, zone{0.05, 0.33, 0.66, 0.14};

/// 1280 by 800 points.
class Sheet {
 public:
  static constexpr double width = 1280, height = 800;
  explicit Sheet(Format format);
  ~Sheet();
  Sheet(const Sheet&) = delete;
  Sheet& operator=(const Sheet&) = delete;

  void words(Spot at, std::string_view text, double size = 15, Colour colour = ink, bool bold = false);
  /// The right end of texts.
  void words_to(Spot at, std::string_view text, double size = 13, Colour colour = faint);
  void line(const std::vector<Spot>& spots, Colour colour, double thick = 1.5, bool dashed = false);
  void area(const std::vector<Spot>& spots, Colour colour);
  void dots(const std::vector<Spot>& spots, Colour colour, double size = 1.6);
  void cross(Spot at, Colour colour, double size = 7);
  void ring(Spot at, Colour colour, double size = 6);

  /// The file's contents; nothing can be drawn afterwards. Empty on failure.
  [[nodiscard]] std::string finish();

 private:
  class Impl;
  std::unique_ptr<Impl> impl_;
};

/// A frame on the sheet with its own numbers.
class Plot {
 public:
  struct Range {
    double low = 0, high = 1;
  };
  /// The frame's upper left corner and size, and the values at its edges: `down` from its upper edge to its lower.
  Plot(Sheet& sheet, Spot corner, Spot size, Range across, Range down);

  /// Draws the frame, with lines and numbers at these positions.
  void frame(const std::string& title, const std::vector<double>& across, const std::vector<double>& down,
             const char* number = "{:g}");
  [[nodiscard]] Spot at(Spot place) const;
  [[nodiscard]] std::vector<Spot> at(const std::vector<Spot>& places) const;
  /// Points outside are left out.
  void line(const std::vector<Spot>& places, Colour colour, double thick = 1.8, bool dashed = false);
  void dots(const std::vector<Spot>& places, Colour colour, double size = 1.6);

 private:
  Sheet& sheet_;
  Spot corner_;
  Spot size_;
  Range across_;
  Range down_;
};

/// A point on a circle, in degrees from right towards down.
[[nodiscard]] Spot on_circle(Spot middle, Spot radius, double degrees);

}  // namespace omnipar::draw
