// The guide's messages.
#include <array>

#include <fmt/format.h>

#include "base/list.hpp"
#include "omnipar/calibrating.hpp"
#include "omnipar/role.hpp"

namespace omnipar::inline abi_0 {
namespace {

using Kind = CalibrateEvent::Kind;

constexpr std::array<std::string_view, 4> pushes{"up", "right", "down", "left"};

std::string directions(const std::vector<std::size_t>& which) {
  std::vector<std::string> names;
  for (const std::size_t d : which) names.emplace_back(sweep_directions.at(d));
  return some_listed(names, 8);
}

std::string mark_words(const std::string& role, int number) {
  const auto kind = role_kind(role);
  if (kind == RoleKind::one_sided) return "halfway down";
  if (role == "paddle") return "to its middle";
  return number == 0 ? "halfway to the left" : "halfway to the right";
}

std::string asking(const CalibrateEvent& event) {
  const std::string& role = event.role;
  const auto kind = role_kind(role).value_or(RoleKind::two_sided);
  switch (event.step) {
    case CalibrateStep::rest:
      return fmt::format("{}: release it and wait two seconds.", role);
    case CalibrateStep::sweep:
      if (kind == RoleKind::stick)
        return fmt::format("{}: move it slowly around its edge at least twice, then release it.", role);
      if (kind == RoleKind::one_sided)
        return fmt::format("{}: press it slowly all the way, hold it for a moment, and release it. Do this twice.",
                           role);
      return fmt::format(
          "{}: turn it slowly to one end and release it, then to the other end and release it. Do this twice.", role);
    case CalibrateStep::release:
      return fmt::format("{}: release it.", role);
    case CalibrateStep::push:
      return fmt::format("{}: push it straight {} as far as it goes and hold it.", role,
                         pushes.at(static_cast<std::size_t>(event.number)));
    case CalibrateStep::mark:
      return fmt::format("{}: move it {} and hold it for a moment.", role, mark_words(role, event.number));
    case CalibrateStep::done:
      break;
  }
  return "";
}

}  // namespace

std::string to_text(const SweepFault& fault) {
  switch (fault.why) {
    case SweepRefusal::none:
      return "";
    case SweepRefusal::too_few:
      return "too short: try again, slowly";
    case SweepRefusal::moves_at_rest:
      return "it moved or jitters too much: put the unit down and release the control";
    case SweepRefusal::too_fast:
      return "too fast: try again, slowly";
    case SweepRefusal::not_around:
      if (fault.directions.size() == sweep_directions.size()) return "move it all the way around";
      return fmt::format("not reached yet: {}", directions(fault.directions));
    case SweepRefusal::not_at_edge:
      return fmt::format("not far enough: move it around again, as far as it goes, towards: {}",
                         directions(fault.directions));
    case SweepRefusal::pushes_differ:
      return "the pushes are inconsistent: start again with the first";
    case SweepRefusal::no_way:
      return "it hardly moved: push it to both ends";
    case SweepRefusal::wrong_control:
      return fmt::format("that was {}", fault.role);
    case SweepRefusal::stopped:
      return "not enough yet: continue, then release it";
    case SweepRefusal::not_moved:
      return "it has not moved: move it, then release it";
    case SweepRefusal::not_released:
      return "it is still moving or held: release it";
    case SweepRefusal::not_far:
      return "push it further and hold it";
    case SweepRefusal::not_steady:
      return "hold it still for a moment";
  }
  return "";
}

std::string to_text(const CalibrateEvent& event) {
  switch (event.kind) {
    case Kind::asks:
      return asking(event);
    case Kind::waits:
    case Kind::rejects:
      return fmt::format("{}: {}.", event.role, to_text(event.fault));
    case Kind::measures: {
      std::string words = fmt::format("{}: measured.", event.role);
      for (const std::string& note : event.notes) words += fmt::format(" Note: {}.", note);
      return words;
    }
    case Kind::skips:
      if (event.fault.why != SweepRefusal::none)
        return fmt::format("{}: skipped and unchanged, because of the same problem again: {}.", event.role,
                           to_text(event.fault));
      return fmt::format("{}: skipped and unchanged.", event.role);
    case Kind::pauses:
      return "The unit was disconnected. Waiting for it to reconnect.";
    case Kind::resumes:
      return fmt::format("It is back. Start again with {}.", event.role);
    case Kind::ends_asking:
      return "Done. Press a button to save, or hold one for two seconds to measure the last control again.";
    case Kind::ends:
      return "";
  }
  return "";
}

}  // namespace omnipar::inline abi_0
