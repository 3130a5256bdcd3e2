// The messages of the gun guide.
#include <array>
#include <cmath>

#include <fmt/format.h>

#include "omnipar/aiming.hpp"
#include "shape/projection.hpp"

namespace omnipar::inline abi_0 {

namespace {

/// "top left", "the middle of the right edge" …
std::string place_words(AreaPoint at) {
  constexpr double third = 1.0 / 3;
  const int column = at.x < third ? 0 : at.x > 1 - third ? 2 : 1, row = at.y < third ? 0 : at.y > 1 - third ? 2 : 1;
  constexpr std::array<std::array<std::string_view, 3>, 3> names{
      {{"top left", "the middle of the top edge", "top right"},
       {"the middle of the left edge", "near the centre", "the middle of the right edge"},
       {"bottom left", "the middle of the bottom edge", "bottom right"}}};
  return std::string{names.at(static_cast<std::size_t>(row)).at(static_cast<std::size_t>(column))};
}

std::string target_words(const Aiming& aiming) {
  const auto target = aiming.target();
  if (!target) return "";
  const PixelSize size = seen_size(aiming.options().screen);
  const AreaBox& within = aiming.options().within;
  const AreaPoint inside{(target->x - within.left) / within.width, (target->y - within.top) / within.height};
  return fmt::format("{} ({:.0f} % from the left, {:.0f} % from the top: pixel {:.0f}, {:.0f})", place_words(inside),
                     100 * target->x, 100 * target->y, target->x * size.width, target->y * size.height);
}

std::string question(const AimingEvent& event, const Aiming& aiming) {
  switch (event.step) {
    case AimingStep::who:
      return "Several guns are connected. Fire the one to calibrate.";
    case AimingStep::steady:
      return fmt::format("\"{}\": aim at the centre of the screen, hold still for a second, then pull the trigger.",
                         aiming.unit());
    case AimingStep::around:
      return "Move slowly along all four edges of the screen and into each corner, then pull the trigger.";
    case AimingStep::shot:
      return fmt::format("Shot {} of {}: {}.", event.number, aiming.count(), target_words(aiming));
    case AimingStep::across:
      return fmt::format(
          "\"{}\": turn it slowly from the left end to the right end, without moving it up or down, then pull the "
          "trigger.",
          aiming.unit());
    case AimingStep::down:
      return "Now turn it slowly from the top to the bottom, without moving it sideways, then pull the trigger.";
    default:
      return "Pull the trigger to save. Hold it for two seconds to shoot again.";
  }
}

/// Alternatives to another shot.
std::string or_keep(const Aiming& aiming) {
  if (!aiming.fit()) return "";
  const double bound = aiming.fit()->aim.bound;
  return fmt::format(
      " Or hold the trigger for two seconds to save the fit as it is, with an error of up to {:.0f} pixels ({:.1f} % "
      "of the "
      "width).",
      bound * seen_size(aiming.options().screen).width, 100 * bound);
}

std::string refusal(const AimingEvent& event, const Aiming& aiming) {
  switch (event.why) {
    case AimingRefusal::silent:
      return fmt::format(
          "\"{}\" has not reported a position. Make sure that it is switched on and sees the screen. Move it a little, "
          "then pull again.",
          event.unit);
    case AimingRefusal::missed:
      return fmt::format("Shot {}: the gun did not see the screen. Try again, from further back if necessary.",
                         event.number);
    case AimingRefusal::other_gun:
      return fmt::format("That was \"{}\", so the shot does not count. Put it aside for now.", event.unit);
    case AimingRefusal::moving:
      return fmt::format(
          "Shot {}: the gun was still moving. Aim, hold still for a moment, then pull the trigger. Try again:",
          event.number);
    case AimingRefusal::bad_shot:
      return fmt::format("Shot {} is far off compared with the others. Repeat it.{}", event.number, or_keep(aiming));
    case AimingRefusal::doubtful:
      return fmt::format("One of the shots is off, and it is not clear which. Another shot may show it.{}",
                         or_keep(aiming));
    case AimingRefusal::equal:
      return fmt::format("Shot {} has the same position as a shot at another target. Repeat it:", event.number);
    case AimingRefusal::in_line:
      return "All shots are on one line, so one axis is unknown. Does the gun report both axes? Start again from the "
             "first shot.";
    case AimingRefusal::cramped:
      return "The gun reported nearly the same position for all shots. Check that it sees the whole screen, and check "
             "its settings. Start again from the first shot.";
    case AimingRefusal::no_sense:
      return "The shots fit no screen; perhaps two targets were mixed up. Start again from the first shot.";
    case AimingRefusal::wobble:
      return "Both axes moved, so it is not clear which is which. Try again, along one line.";
    case AimingRefusal::not_swept:
      return "It hardly moved. Try again, from one end to the other.";
    case AimingRefusal::same_axis:
      return "That moved the axis for left and right. Try again, up and down.";
    default:
      return "";
  }
}

std::string joined(const std::vector<std::string>& notes) {
  std::string all;
  for (const std::string& note : notes) all += (all.empty() ? "" : "; ") + note;
  return all;
}

}  // namespace

std::string to_text(const AimingEvent& event, const Aiming& aiming) {
  switch (event.kind) {
    case AimingEvent::Kind::asks:
      return question(event, aiming);
    case AimingEvent::Kind::rejects:
      return refusal(event, aiming);
    case AimingEvent::Kind::tested:
      return "Pointing test: " + joined(event.notes) + ".";
    case AimingEvent::Kind::accepts:
      return event.notes.empty() ? "" : fmt::format("Shot {}: {}.", event.number, joined(event.notes));
    case AimingEvent::Kind::fits: {
      std::string all;
      if (aiming.fit())
        for (const std::string& line : fit_text(*aiming.fit(), aiming.options().screen))
          all += (all.empty() ? "" : " ") + line;
      return all;
    }
    default:
      return "";
  }
}

std::string bound_text(const GunFit& fit, const Screen& screen) {
  const double width = seen_size(screen).width;
  return fmt::format(
      "95 % error bound: {:.1f} pixels ({:.2f} % of the width) anywhere on the screen; aim scatter: about {:.1f} "
      "pixels.{}",
      fit.aim.bound * width, 100 * fit.aim.bound, fit.scatter * width,
      fit.bad_shot || fit.doubtful ? " One of them is far off." : "");
}

std::vector<std::string> fit_text(const GunFit& fit, const Screen& screen) {
  const double width = seen_size(screen).width;
  if (fit.aim.shots == 0) return {"Calibrated by sweeping: the ends of both axes are the edges of the screen."};
  std::vector<std::string> lines{fmt::format("Calibrated with {} shots ({}).", fit.aim.shots, word_of(fit.aim.model))};
  if (!fit.error_known) {
    lines.push_back("The remaining error cannot be estimated from fewer than 5 shots.");
    return lines;
  }
  std::size_t worst = 0;
  for (std::size_t i = 0; i < fit.off.size(); ++i)
    if (shape::length(fit.off[i].x, fit.off[i].y) > shape::length(fit.off[worst].x, fit.off[worst].y)) worst = i;
  lines.push_back(fmt::format("Error at the targets: {:.1f} pixels on average, {:.1f} at most (shot {}).",
                              fit.aim.residual * width, shape::length(fit.off[worst].x, fit.off[worst].y) * width,
                              worst + 1));
  lines.push_back(bound_text(fit, screen));
  return lines;
}

}  // namespace omnipar::inline abi_0
