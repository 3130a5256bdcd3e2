// How a value changes stage by stage, by the stages that the compiler lays out.
#include <algorithm>
#include <array>
#include <cmath>

#include <fmt/format.h>

#include "inspect/why.hpp"
#include "omnipar/role.hpp"
#include "plan/stage_path.hpp"
#include "shape/projection.hpp"

namespace omnipar::inline abi_0::inspect {
namespace {

using shape::Point;

class Journey {
 public:
  Journey(const Link& link, RoleKind from, Point at) : link_(link), from_(from), at_(at), on_(at.x != 0 || at.y != 0) {}

  std::vector<StageValue> run() {
    const bool by_contact = from_ == RoleKind::button || from_ == RoleKind::dpad;
    by_contact ? say(link_.source, contact()) : say_position(link_.source);
    if (from_ == RoleKind::pointer && link_.game) to_game(*link_.game);
    for (plan::StageUse passage : plan::stages_of(link_.use, from_, link_.kind)) {
      const bool is_open = passage.kind == &stage::dead_zone && !link_.use.settings.find("dead-zone");
      if (is_open && link_.measured_zone) passage.values[0] = *link_.measured_zone;
      pass(passage);
    }
    if (link_.kind == TargetKind::pointer) to_area();
    if (link_.kind == TargetKind::turns || link_.kind == TargetKind::movement)
      say(link_.target + " of the machine", "adds its counts");
    else if (link_.kind != TargetKind::button && !by_contact && !travels_)
      say(link_.target + " of the machine", native(), native_numbers());
    return std::move(steps_);
  }

  [[nodiscard]] Point at() const { return at_; }

 private:
  void say(std::string stage, std::string value, std::vector<double> numbers = {}) {
    steps_.push_back({std::move(stage), std::move(value), std::move(numbers)});
  }
  void say_position(std::string stage) { say(std::move(stage), position(), numbers()); }

  void pass(const plan::StageUse& passage) {
    const stage::Kind& kind = *passage.kind;
    const stage::Constants constants = kind.prepare(passage.values, from_);
    const std::string words = kind.words(passage.values);
    if (kind.of_aims) return say_position(words);
    if (kind.move != nullptr) {
      at_ = kind.move(constants, at_);
      return say_position(words);
    }
    if (kind.follow != nullptr) {  // as with a held position
      stage::Trail trail;
      trail.at = trail.goal = at_;
      at_ = kind.follow(constants, trail, false);
      return say_position(words);
    }
    if (kind.pass != nullptr) {
      const std::string pressed = directions(kind, constants);
      on_ = !pressed.empty();
      return say(words, on_ ? pressed : "off");
    }
    if (kind.step != nullptr) return say(words, on_ ? moment(kind, constants) : "off");
    travels_ = constants.time != 0 || constants.numbers[0] != 0;
    if (travels_) say(words, kind.in == stage::Flow::contact && !on_ ? "rests" : "moving");
  }

  /// The directions that count as pressed; "on" for a control with a single direction.
  [[nodiscard]] std::string directions(const stage::Kind& threshold, const stage::Constants& constants) const {
    const std::array push{-at_.y, at_.y, -at_.x, at_.x};
    const auto one = stick_direction(link_.use.role);
    std::string names;
    for (std::size_t d = 0; d < push.size(); ++d) {
      const bool is_asked = from_ != RoleKind::stick ? d == 3 : !one || one->direction == d;
      if (!is_asked || !threshold.pass(constants, false, push.at(d))) continue;
      names += (names.empty() ? "" : " and ") + std::string{from_ == RoleKind::stick ? direction_names.at(d) : "on"};
    }
    return names;
  }

  /// When a gate passes a press that starts now.
  static std::string moment(const stage::Kind& kind, const stage::Constants& constants) {
    const stage::Gated first = kind.step(constants, {true, false, false}, stage::Cause::input, 0);
    if (first.out) return "on";
    return "on after " + stage::time_words(static_cast<double>(first.wake));
  }

  /// From the whole screen to the game's picture.
  void to_game(const plan::GamePlace& game) {
    const Point on_screen = shape::on_area(at_);
    const PixelSize size = seen_size(game.screen);
    say(fmt::format("on the screen \"{}\"", game.screen.name),
        fmt::format(" pixel {:.0f}, {:.0f}", on_screen.x * size.width, on_screen.y * size.height),
        {std::round(on_screen.x * size.width), std::round(on_screen.y * size.height)});
    at_ = shape::to_game(game.area)(on_screen.x, on_screen.y);
    say_position("in the game's picture");
  }

  /// The visible part of the game, in the machine's range.
  void to_area() {
    const double end = link_.game ? 1 - 2 * link_.game->area.cut : 1;
    const stage::Values edge = stage::values_of(stage::edge, link_.use);
    double margin = 2 * edge[0] + shape::aim_rounding;
    if (from_ == RoleKind::stick) {
      const Point square = shape::squared(at_);
      const double reach = end + 2 * edge[1];
      at_ = {square.x * reach, square.y * reach};
      margin = shape::aim_rounding;
    }
    is_beside_ = std::fabs(at_.x) > end + margin || std::fabs(at_.y) > end + margin;
    at_ = {std::clamp(at_.x, -end, end), std::clamp(at_.y, -end, end)};
  }

  [[nodiscard]] std::string contact() const { return on_ ? "on" : "off"; }

  [[nodiscard]] std::vector<double> numbers() const {
    const auto fine = [](double value) { return std::fabs(value) < 0.0005 ? 0 : std::round(value * 1e6) / 1e6; };
    const bool pair = from_ == RoleKind::stick || from_ == RoleKind::pointer || from_ == RoleKind::movement;
    return pair ? std::vector{fine(at_.x), fine(at_.y)} : std::vector{fine(at_.x)};
  }

  [[nodiscard]] std::string position() const {
    std::string words;
    for (const double number : numbers()) words += fmt::format("{}{:6.3f}", words.empty() ? "" : " ", number);
    return words;
  }

  [[nodiscard]] std::vector<double> native_numbers() const {
    const auto whole = [this](double value) { return static_cast<double>(shape::native(link_.native, value)); };
    if (link_.kind == TargetKind::stick) return {whole(at_.x), whole(at_.y)};
    if (link_.kind != TargetKind::pointer) return {whole(at_.x)};
    const Point on_area = stage::from_fixed(stage::to_fixed(shape::on_area(at_)));  // in the engine's units
    return {whole(on_area.x), whole(on_area.y)};
  }

  [[nodiscard]] std::string native() const {
    std::string words;
    for (const double number : native_numbers()) words += fmt::format("{}{:6.0f}", words.empty() ? "" : " ", number);
    return words + (link_.kind == TargetKind::pointer && is_beside_ ? "  off-screen" : "");
  }

  const Link& link_;
  RoleKind from_;
  Point at_;
  bool on_;
  bool travels_ = false;
  bool is_beside_ = false;  ///< outside the visible part of the game
  std::vector<StageValue> steps_;
};

}  // namespace

namespace {

RoleKind kind_of(const Link& link) {
  return stick_direction(link.source) ? RoleKind::stick : role_kind(link.source).value_or(RoleKind::button);
}

}  // namespace

std::optional<std::pair<double, double>> shaped_push(const Link& link, double x, double y) {
  if (link.port == 0 || link.source.empty()) return std::nullopt;
  const RoleKind from = kind_of(link);
  if (from != RoleKind::stick && from != RoleKind::one_sided && from != RoleKind::two_sided) return std::nullopt;
  Journey journey{link, from, {x, y}};
  journey.run();
  return std::pair{journey.at().x, journey.at().y};
}

std::vector<StageValue> stage_values(const Link& link, double x, double y) {
  if (link.port == 0 || link.source.empty()) return {};
  return Journey{link, kind_of(link), {x, y}}.run();
}

}  // namespace omnipar::inline abi_0::inspect
