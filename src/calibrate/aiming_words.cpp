// What the guide of guns says to people.
#include <array>
#include <cmath>

#include <fmt/format.h>

#include "omnipar/aiming.hpp"
#include "shape/projection.hpp"

namespace omnipar::inline abi_0 {

namespace {

/// "upper left", "the middle of the right edge" …
std::string place_words(AreaPoint at) {
  constexpr double third = 1.0 / 3;
  const int column = at.x < third ? 0 : at.x > 1 - third ? 2 : 1, row = at.y < third ? 0 : at.y > 1 - third ? 2 : 1;
  constexpr std::array<std::array<std::string_view, 3>, 3> names{
      {{"upper left", "the middle of the upper edge", "upper right"},
       {"the middle of the left edge", "near the middle", "the middle of the right edge"},
       {"lower left", "the middle of the lower edge", "lower right"}}};
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
      return "Several guns are here. Fire the one that is to be fitted.";
    case AimingStep::steady:
      return fmt::format("\"{}\": aim at the middle of the screen, hold still for a second, then pull the trigger.",
                         aiming.unit());
    case AimingStep::around:
      return "Go slowly along all four edges of the screen, into each corner, then pull the trigger.";
    case AimingStep::shot:
      return fmt::format("Shot {} of {}: {}.", event.number, aiming.count(), target_words(aiming));
    case AimingStep::across:
      return fmt::format(
          "\"{}\": from the left end turn it slowly to the right end, without moving it up or down; then pull the "
          "trigger.",
          aiming.unit());
    case AimingStep::down:
      return "Now from the top turn it slowly to the bottom, without moving it sideways; then pull the trigger.";
    default:
      return "Pull the trigger to keep this; hold it for two seconds to shoot again.";
  }
}

/// What can be done instead of another shot.
std::string or_keep(const Aiming& aiming) {
  if (!aiming.fit()) return "";
  const double bound = aiming.fit()->aim.bound;
  return fmt::format(
      " Or hold the trigger for two seconds to keep the fit as it is: off by up to {:.0f} pixels ({:.1f} % of the "
      "width).",
      bound * seen_size(aiming.options().screen).width, 100 * bound);
}

std::string refusal(const AimingEvent& event, const Aiming& aiming) {
  switch (event.why) {
    case AimingRefusal::silent:
      return fmt::format(
          "\"{}\" has not said where it points: is it switched on, and does it see the screen? Move it a little, then "
          "pull again.",
          event.unit);
    case AimingRefusal::missed:
      return fmt::format("Shot {}: the gun did not see the screen there. Once more, from further back if need be.",
                         event.number);
    case AimingRefusal::other_gun:
      return fmt::format("That was \"{}\". This shot does not count; lay it aside meanwhile.", event.unit);
    case AimingRefusal::moving:
      return fmt::format(
          "Shot {}: the gun was still moving. Aim, hold still for a moment, then pull the trigger. Again:",
          event.number);
    case AimingRefusal::bad_shot:
      return fmt::format("Shot {} is far off compared with the others. Shoot it again.{}", event.number,
                         or_keep(aiming));
    case AimingRefusal::doubtful:
      return fmt::format("One of the shots is off, and it is not clear which one. One more shot may tell.{}",
                         or_keep(aiming));
    case AimingRefusal::equal:
      return fmt::format("Shot {} has the same place as one at another target. Shoot it again:", event.number);
    case AimingRefusal::in_line:
      return "All shots are in one line, so one axis is unknown: does the gun report both? From the first shot again.";
    case AimingRefusal::cramped:
      return "To the gun all shots are nearly the same place: does it see the whole screen? Check its distance and its "
             "own settings. From the first shot again.";
    case AimingRefusal::no_sense:
      return "These shots fit no view of a screen; perhaps two targets were mixed up. From the first shot again.";
    case AimingRefusal::wobble:
      return "Both axes moved, so it is not clear which is which. Once more, along one line.";
    case AimingRefusal::not_swept:
      return "It hardly moved. Once more, from one end to the other.";
    case AimingRefusal::same_axis:
      return "That moved the axis that left and right had moved. Once more, up and down.";
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
    case AimingEvent::Kind::refuses:
      return refusal(event, aiming);
    case AimingEvent::Kind::tested:
      return "Pointing test: " + joined(event.notes) + ".";
    case AimingEvent::Kind::takes:
      return event.notes.empty() ? "" : fmt::format("Shot {}: {}.", event.number, joined(event.notes));
    case AimingEvent::Kind::fits: {
      std::string all;
      if (aiming.fit())
        for (const std::string& line : fit_words(*aiming.fit(), aiming.options().screen))
          all += (all.empty() ? "" : " ") + line;
      return all;
    }
    default:
      return "";
  }
}

std::string bound_words(const GunFit& fit, const Screen& screen) {
  const double width = seen_size(screen).width;
  return fmt::format(
      "In 95 of 100 fits like this one it is nowhere off by more than {:.1f} pixels ({:.2f} % of the width); the aim "
      "scatters by about {:.1f} pixels.{}",
      fit.aim.bound * width, 100 * fit.aim.bound, fit.scatter * width,
      fit.bad_shot || fit.doubtful ? " One of them is far off." : "");
}

std::vector<std::string> fit_words(const GunFit& fit, const Screen& screen) {
  const double width = seen_size(screen).width;
  if (fit.aim.shots == 0) return {"Swept: the ends of both axes are the edges of the screen."};
  std::vector<std::string> lines{fmt::format("Fitted by {} shots ({}).", fit.aim.shots, word_of(fit.aim.model))};
  if (!fit.error_known) {
    lines.push_back("With fewer than 5 shots the error that is left cannot be known.");
    return lines;
  }
  std::size_t worst = 0;
  for (std::size_t i = 0; i < fit.off.size(); ++i)
    if (shape::length(fit.off[i].x, fit.off[i].y) > shape::length(fit.off[worst].x, fit.off[worst].y)) worst = i;
  lines.push_back(fmt::format("At the targets {:.1f} pixels are left on average, {:.1f} at most (shot {}).",
                              fit.aim.residual * width, shape::length(fit.off[worst].x, fit.off[worst].y) * width,
                              worst + 1));
  lines.push_back(bound_words(fit, screen));
  return lines;
}

}  // namespace omnipar::inline abi_0
