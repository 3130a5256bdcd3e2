#include "draw/pictures.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include <fmt/format.h>

#include "base/list.hpp"
#include "draw/aim_pictures.hpp"
#include "draw/sheet.hpp"
#include "shape/measured.hpp"

namespace omnipar::draw {
namespace {

constexpr Spot raw_corner{70, 100}, raw_size{560, 560};

/// The position without a calibration: by the declared range alone.
Spot plain(const RawPoint& raw, const StickReadings& readings) {
  const auto side = [](double value, DeclaredRange range) {
    const double rest = (static_cast<double>(range.minimum) + range.maximum + 1) / 2;
    return (value - rest) / std::max(1.0, value < rest ? rest - range.minimum : range.maximum - rest);
  };
  return {side(raw.x, readings.declared_x), side(raw.y, readings.declared_y)};
}

std::vector<double> between(DeclaredRange range) {
  std::vector<double> all;
  for (int i = 0; i <= 4; ++i)
    all.push_back(std::round(range.minimum + (double(range.maximum) - range.minimum) * i / 4));
  return all;
}

void raw_cloud(Sheet& sheet, const StickReadings& readings, const StickCalibration& kept, double dead_zone) {
  Plot plot{sheet,
            raw_corner,
            raw_size,
            {double(readings.declared_x.minimum), double(readings.declared_x.maximum)},
            {double(readings.declared_y.minimum), double(readings.declared_y.maximum)}};
  plot.frame("Raw values of the unit", between(readings.declared_x), between(readings.declared_y));
  std::vector<Spot> cloud_spots, edge, dead;
  for (const RawPoint& raw : readings.sweep) cloud_spots.push_back({raw.x, raw.y});
  plot.dots(cloud_spots, cloud);
  for (const RawPoint& corner : kept.edge) edge.push_back({corner.x, corner.y});
  edge.push_back(edge.front());
  plot.line(edge, after, 2.2);
  for (int degrees = 0; degrees <= 360; degrees += 6)
    dead.push_back(
        on_circle({kept.rest.x, kept.rest.y}, {kept.width.x * dead_zone, kept.width.y * dead_zone}, degrees));
  sheet.area(plot.at(dead), zone);
  plot.line(dead, after, 1);
  sheet.cross(plot.at({kept.rest.x, kept.rest.y}), after);
  for (const RawPoint& push : readings.pushes) sheet.ring(plot.at({push.x, push.y}), ink, 5);
}

void cloud_after(Sheet& sheet, const StickReadings& readings, const shape::StickMap& map) {
  constexpr double side = 1.15;
  Plot plot{sheet, {730, 100}, {250, 250}, {-side, side}, {-side, side}};
  plot.frame("After", {-1, 0, 1}, {-1, 0, 1});
  std::vector<Spot> circle, spots;
  for (int degrees = 0; degrees <= 360; degrees += 4) circle.push_back(on_circle({0, 0}, {1, 1}, degrees));
  plot.line(circle, faint, 1);
  for (const RawPoint& raw : readings.sweep) {
    const shape::Point at = shape::position(map, raw.x, raw.y);
    spots.push_back({at.x, at.y});
  }
  plot.dots(spots, {after.red, after.green, after.blue, 0.35}, 1.3);
  Plot old{sheet, {1010, 100}, {250, 250}, {-side, side}, {-side, side}};
  old.frame("Before", {-1, 0, 1}, {-1, 0, 1});
  old.line(circle, faint, 1);
  std::vector<Spot> plain_spots;
  for (const RawPoint& raw : readings.sweep) plain_spots.push_back(plain(raw, readings));
  old.dots(plain_spots, {before.red, before.green, before.blue, 0.35}, 1.3);
  if (readings.sweep.empty()) return;
  const RawPoint& last = readings.sweep.back();
  const shape::Point at = shape::position(map, last.x, last.y);
  sheet.ring(plot.at({at.x, at.y}), ink, 5);
}

/// The reach in each direction: 1 is ideal.
void by_direction(Sheet& sheet, const StickReadings& readings, const shape::StickMap& map) {
  constexpr std::size_t sectors = 36;
  std::array<std::vector<double>, sectors> ways_after, ways_before;
  for (const RawPoint& raw : readings.sweep) {
    const shape::Point place = shape::by_hand(map, raw.x, raw.y);
    if (place == shape::Point{}) continue;
    const double turn = std::atan2(place.y, place.x) * 180 / 3.14159265358979 + 360;
    const std::size_t sector = static_cast<std::size_t>(std::lround(turn / 360 * sectors)) % sectors;
    const Spot old = plain(raw, readings);
    ways_after.at(sector).push_back(shape::part_of_way(map, place));
    ways_before.at(sector).push_back(std::hypot(old.x, old.y));
  }
  const auto reach = [](std::vector<double> ways) {  // of most readings there, because one may be a spike
    if (ways.empty()) return 0.5;
    std::ranges::sort(ways);
    return std::clamp(ways[ways.size() * 3 / 4], 0.5, 1.3);
  };
  Plot plot{sheet, {730, 440}, {530, 220}, {0, 360}, {1.3, 0.5}};
  plot.frame("Full push by direction", {0, 90, 180, 270, 360}, {0.6, 0.8, 1, 1.2});
  plot.line({{0, 1}, {360, 1}}, faint, 1.5);
  std::vector<Spot> line_after, line_before;
  for (std::size_t s = 0; s <= sectors; ++s) {
    const double degrees = 360.0 * static_cast<double>(s) / sectors;
    line_after.push_back({degrees, reach(ways_after.at(s % sectors))});
    line_before.push_back({degrees, reach(ways_before.at(s % sectors))});
  }
  plot.line(line_before, before, 2, true);
  plot.line(line_after, after, 2.4);
  sheet.words({735, 693}, "right", 12, faint);
  sheet.words({850, 693}, "down", 12, faint);
  sheet.words({983, 693}, "left", 12, faint);
  sheet.words({1118, 693}, "up", 12, faint);
}

void legend(Sheet& sheet, const std::vector<std::pair<std::string, Colour>>& entries, double y) {
  double x = raw_corner.x;
  for (const auto& [text, colour] : entries) {
    sheet.line({{x, y}, {x + 26, y}}, colour, 4);
    sheet.words({x + 34, y}, text, 14);
    x += 60 + 8.6 * static_cast<double>(text.size());
  }
}

std::string stick_picture(const std::string& title, const StickReadings& readings, const StickCalibration& kept,
                          double dead_zone, Format format) {
  const auto map = shape::stick_map(kept);
  if (!map) return "";
  Sheet sheet{format};
  sheet.words({raw_corner.x, 34}, title, 22, ink, true);
  sheet.words(
      {raw_corner.x, 62},
      fmt::format("{} gate, rotated by {:.1f} degrees; rests at {:.1f} {:.1f}; noise {:g}; error {:.1f} % of {}",
                  word_of(kept.gate), kept.turned, kept.rest.x, kept.rest.y, kept.measured.noise,
                  100 * kept.measured.error, quantity(static_cast<std::size_t>(kept.measured.count), "reading")),
      14, faint);
  raw_cloud(sheet, readings, kept, dead_zone);
  cloud_after(sheet, readings, *map);
  by_direction(sheet, readings, *map);
  std::vector<std::pair<std::string, Colour>> entries{{"readings", cloud},
                                                      {"fitted gate and dead zone; calibrated", after},
                                                      {"before, from the declared range", before}};
  if (!readings.pushes.empty()) entries.emplace_back("rings: pushes", ink);
  legend(sheet, entries, 745);
  return sheet.finish();
}

std::string axis_picture(const std::string& title, const AxisReadings& readings, const AxisCalibration& kept,
                         double dead_zone, Format format) {
  Sheet sheet{format};
  sheet.words({raw_corner.x, 34}, title, 22, ink, true);
  sheet.words({raw_corner.x, 62},
              fmt::format("rests at {}, reaches {} to {}; noise {:g}", kept.rest, kept.minimum, kept.maximum,
                          kept.measured.noise),
              14, faint);
  const double count = std::max<double>(1, static_cast<double>(readings.sweep.size()));
  const DeclaredRange range = readings.declared;
  Plot time{sheet, raw_corner, raw_size, {0, count * 0.004}, {double(range.maximum), double(range.minimum)}};
  std::vector<double> seconds;
  for (double second = 0; second <= count * 0.004; second += std::max(1.0, std::ceil(count * 0.004 / 6)))
    seconds.push_back(second);
  time.frame("Raw values over time, in seconds", seconds, between(range));
  std::vector<Spot> spots;
  for (std::size_t i = 0; i < readings.sweep.size(); ++i)
    spots.push_back({static_cast<double>(i) * 0.004, readings.sweep[i]});
  time.dots(spots, cloud);
  for (const double level : {double(kept.minimum), double(kept.rest), double(kept.maximum)})
    time.line({{0, level}, {count * 0.004, level}}, after, level == kept.rest ? 2.4 : 1.6);
  Control control;
  control.type = readings.type;
  control.minimum = kept.minimum;
  control.maximum = kept.maximum;
  control.rest = kept.rest;
  const auto map = shape::axis_map(kept, control);
  const double least = readings.type == ControlType::one_sided ? 0 : -1;
  Plot response{sheet, {730, 100}, {530, 560}, {double(range.minimum), double(range.maximum)}, {1.05, least - 0.05}};
  response.frame("Calibrated response", between(range),
                 least < 0 ? std::vector<double>{-1, -0.5, 0, 0.5, 1} : std::vector<double>{0, 0.25, 0.5, 0.75, 1});
  const auto part = [&](double raw) {
    if (map) return shape::position(*map, raw);
    const auto scale = shape::scale_of(kept.minimum, kept.maximum, kept.rest);
    const double value = shape::normalised(scale, static_cast<std::int32_t>(std::lround(raw)));
    return readings.type == ControlType::one_sided ? std::fabs(value) : value;
  };
  std::vector<Spot> curve, declared;
  for (int i = 0; i <= 300; ++i) {
    const double raw = range.minimum + (double(range.maximum) - range.minimum) * i / 300;
    curve.push_back({raw, shape::shaped({part(raw), 0}, shape::DeadZone{dead_zone}).x});
    declared.push_back({raw, least + (1 - least) * i / 300});
  }
  response.line(declared, before, 2, true);
  response.line(curve, after, 2.4);
  for (const RawMark& mark : kept.marks) sheet.ring(response.at({mark.raw, mark.part}), before);
  if (!readings.sweep.empty()) sheet.cross(response.at({readings.sweep.back(), part(readings.sweep.back())}), ink);
  legend(sheet, {{"readings", cloud}, {"calibrated", after}, {"before, from the declared range", before}}, 745);
  return sheet.finish();
}

std::string curves_picture(const std::string& title, const std::vector<Curve>& curves, Format format) {
  Sheet sheet{format};
  sheet.words({raw_corner.x, 34}, title, 22, ink, true);
  sheet.words({raw_corner.x, 62}, "output for each input; the ring is the current position", 14, faint);
  const std::size_t shown = std::min<std::size_t>(curves.size(), 4);
  const bool one = shown == 1;
  for (std::size_t i = 0; i < shown; ++i) {
    const Curve& curve = curves[i];
    const double x = 90 + (i % 2 == 0 ? 0 : 620), y = 110 + (i / 2 == 0 ? 0 : 350);
    const Spot size = one ? Spot{600, 600} : shown == 2 ? Spot{380, 560} : Spot{300, 270};
    const double least = std::ranges::any_of(curve.ways, [](const auto& way) { return way.second < -0.01; }) ? -1 : 0;
    double most = 1;  // the corners of a square are further away
    for (const auto& [in, out] : curve.ways) most = std::max(most, out);
    Plot plot{sheet, {x, y}, size, {0, 1}, {1.02 * most, least}};
    plot.frame(curve.title, {0, 0.25, 0.5, 0.75, 1},
               least < 0 ? std::vector<double>{-1, 0, 1} : std::vector<double>{0, 0.25, 0.5, 0.75, 1});
    plot.line({{0, 0}, {1, 1}}, faint, 1, true);
    std::vector<Spot> ways;
    for (const auto& [in, out] : curve.ways) ways.push_back({in, out});
    plot.line(ways, after, 2.6);
    if (curve.now) {
      const auto& [in, out] = *curve.now;
      plot.line({{in, least}, {in, out}, {0, out}}, before, 1.5, true);
      sheet.ring(plot.at({in, out}), before);
      sheet.words({x + size.x + 16, y + size.y - 12}, fmt::format("{:.2f} gives {:.2f}", in, out), 14, before, true);
    }
    for (std::size_t s = 0; s < curve.stages.size(); ++s)
      sheet.words({x + size.x + 16, y + 10 + 22 * static_cast<double>(s)}, curve.stages[s], 13);
  }
  if (curves.size() > shown)
    sheet.words({raw_corner.x, 780}, fmt::format("{} more not shown", curves.size() - shown), 13, faint);
  return sheet.finish();
}

}  // namespace
}  // namespace omnipar::draw

const omnipar::draw::Pictures* omnipar_pictures() noexcept {
  static constexpr omnipar::draw::Pictures all{omnipar::draw::stick_picture, omnipar::draw::axis_picture,
                                               omnipar::draw::curves_picture, omnipar::draw::draw_gun,
                                               omnipar::draw::draw_path};
  return &all;
}
