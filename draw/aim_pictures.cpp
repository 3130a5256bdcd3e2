#include "draw/aim_pictures.hpp"

#include <algorithm>
#include <cmath>

#include <fmt/format.h>

#include "draw/sheet.hpp"

namespace omnipar::draw {
namespace {

constexpr Colour shot_colour{0.78, 0.12, 0.14};

/// The largest rectangle of this aspect ratio within an area of the sheet.
Spot fitting(Spot room, double shape) {
  return room.x / room.y > shape ? Spot{room.y * shape, room.y} : Spot{room.x, room.x / shape};
}

/// The screen with its targets and the magnified error at each.
void targets(Sheet& sheet, const std::vector<Shot>& shots, const GunFit& fit, PixelSize screen) {
  const double shape = screen.width / screen.height;
  const Spot size = fitting({780, 560}, shape);
  Plot plot{sheet, {70, 130}, size, {0, screen.width}, {0, screen.height}};
  plot.frame("The screen, in pixels", {0, screen.width / 2, screen.width}, {0, screen.height / 2, screen.height});
  double most = 0;
  for (const AreaPoint& off : fit.off) most = std::max(most, std::hypot(off.x, off.y));
  double longer = 1;
  while (fit.error_known && most > 0 && longer < 1000 && most * longer * 10 < 0.5) longer *= 10;
  for (std::size_t i = 0; i < shots.size(); ++i) {
    const Spot at{shots[i].target.x * screen.width, shots[i].target.y * screen.height};
    const Spot on_sheet = plot.at(at);
    sheet.ring(on_sheet, after, 12);
    sheet.cross(on_sheet, after, 9);
    sheet.words({on_sheet.x + 16, on_sheet.y - 8}, fmt::format("{}", i + 1), 14, faint);
    if (!fit.error_known || i >= fit.off.size()) continue;
    const Spot to{on_sheet.x + fit.off[i].x * size.x * longer, on_sheet.y + fit.off[i].y * size.x * longer};
    sheet.line({on_sheet, to}, before, 3.5);
    sheet.ring(to, before, 4);
  }
  const double below = 130 + size.y + 52;
  sheet.ring({84, below - 5}, after, 7);
  sheet.words({104, below}, "target", 14);
  if (!fit.error_known) return sheet.words({190, below}, "no error estimate with fewer than 5 shots", 14, before);
  sheet.line({{190, below - 5}, {220, below - 5}}, before, 4);
  sheet.words({232, below}, fmt::format("error of the shot, magnified {:g} times", longer), 14);
}

/// The numbers beside it.
void numbers(Sheet& sheet, const std::vector<Shot>& shots, const GunFit& fit, PixelSize screen) {
  double y = 150;
  const auto say = [&](const std::string& text, Colour colour = ink, bool bold = false, double size = 15) {
    sheet.words({890, y}, text, size, colour, bold);
    y += size + 11;
  };
  say(fmt::format("{} shots, {}", fit.aim.shots, word_of(fit.aim.model)), ink, true, 17);
  if (fit.error_known) {
    say(fmt::format("error at the targets: {:.1f} pixels", fit.aim.residual * screen.width));
    say(fmt::format("95 % error bound: {:.1f} pixels", fit.aim.bound * screen.width));
    say(fmt::format("({:.2f} % of the width)", 100 * fit.aim.bound), faint, false, 13);
    say(fmt::format("aim scatter: about {:.1f} pixels", fit.scatter * screen.width), faint, false, 13);
  } else {
    say("error unknown", before);
  }
  y += 14;
  say("shot      right    down    reports", faint, true, 14);
  for (std::size_t i = 0; i < shots.size(); ++i) {
    const bool known = fit.error_known && i < fit.off.size();
    sheet.words({890, y}, fmt::format("{}", i + 1), 15);
    const auto number = [&](double x, double value) {
      sheet.words_to({x, y}, known ? fmt::format("{:+.1f}", value * screen.width) : "-", 15, ink);
    };
    number(995, known ? fit.off[i].x : 0);
    number(1065, known ? fit.off[i].y : 0);
    sheet.words_to({1150, y}, fmt::format("{}", shots[i].reports), 15, faint);
    y += 26;
  }
}

}  // namespace

std::string draw_gun(const std::string& title, const std::vector<Shot>& shots, const GunFit& fit, PixelSize screen,
                     Format format) {
  Sheet sheet{format};
  sheet.words({70, 48}, title, 24, ink, true);
  sheet.words({70, 76}, "Remaining error at each target", 15, faint);
  targets(sheet, shots, fit, screen);
  numbers(sheet, shots, fit, screen);
  return sheet.finish();
}

std::string draw_path(const std::string& title, const std::vector<PointerPath>& paths, Format format) {
  Sheet sheet{format};
  sheet.words({70, 48}, title, 24, ink, true);
  sheet.words({70, 76}, "Pointer paths and shots on the game's picture", 15, faint);
  const auto count = static_cast<double>(std::max<std::size_t>(1, paths.size()));
  const double room = (Sheet::width - 60) / count;
  double left = 70;
  for (const PointerPath& path : paths) {
    const Spot size = fitting({room - 70, 520}, path.shape);
    Plot plot{sheet, {left, 130}, size, {0, 1}, {0, 1}};
    plot.frame(path.title, {0, 0.25, 0.5, 0.75, 1}, {0, 0.25, 0.5, 0.75, 1});
    std::vector<Spot> run;
    const auto draw = [&] {
      if (run.size() > 1) plot.line(run, after, 1.6);
      run.clear();
    };
    for (const PointerPath::Place& place : path.places) {
      if (!place.on) {
        draw();
        continue;
      }
      run.push_back({place.at.x, place.at.y});
    }
    draw();
    if (!path.places.empty() && path.places.back().on)
      sheet.ring(plot.at({path.places.back().at.x, path.places.back().at.y}), after, 7);
    std::size_t number = 0;
    for (const PointerPath::Place& shot : path.shots) {
      const Spot at = plot.at({shot.at.x, shot.at.y});
      shot.on ? sheet.cross(at, shot_colour, 8) : sheet.ring(at, before, 6);
      sheet.words({at.x + 9, at.y - 7}, fmt::format("{}", ++number), 13, shot.on ? shot_colour : before);
    }
    left += room;
  }
  const double y = 720;
  sheet.line({{70, y - 5}, {100, y - 5}}, after, 3);
  sheet.words({112, y}, "path on the game's picture", 14);
  sheet.cross({376, y - 5}, shot_colour, 7);
  sheet.words({392, y}, "shot", 14);
  sheet.ring({460, y - 5}, before, 6);
  sheet.words({476, y}, "off-screen shot, at its last position", 14);
  return sheet.finish();
}

}  // namespace omnipar::draw
