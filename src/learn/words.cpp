// Messages of a learning session.
#include <algorithm>

#include <fmt/format.h>

#include "omnipar/learning.hpp"

namespace omnipar::inline abi_0 {
namespace {

std::string percent(double part) { return fmt::format("{:.0f} %", 100 * part); }

const std::string& name_of(const LearnEvent& event, const Learning& learning) {
  static const std::string nothing;
  return event.question < learning.questions().size() ? learning.questions()[event.question].name : nothing;
}

std::string refusal_words(const LearnEvent& event, const Learning& learning) {
  const std::string& wanted = name_of(event, learning);
  switch (event.why) {
    case LearnRefusal::two_at_once:
      return fmt::format("Rejected: {} and {} were held together. Press only one.", event.role, event.other_role);
    case LearnRefusal::wobble:
      return fmt::format("Rejected: {} moved {}, but {} moved {} with it. Try again, in a straight line.", event.role,
                         percent(event.seen), event.other_role, percent(event.other));
    case LearnRefusal::too_short:
      return fmt::format("Rejected: {} moved only {}. Try again, all the way.", event.role, percent(event.seen));
    case LearnRefusal::wrong_kind:
      return fmt::format(
          "Rejected: {} cannot be \"{}\". {}", event.role, wanted,
          event.question < learning.questions().size() ? to_text(learning.questions()[event.question]) : "");
    case LearnRefusal::half_of_it:
      return fmt::format("Rejected: {} moved in only one direction. Move it up, then right, in one motion.",
                         event.role);
    case LearnRefusal::used:
      if (event.by_itself)
        return fmt::format("{} is already \"{}\". Hold it to move it here, or press another control.", event.role,
                           event.target);
      return fmt::format(
          "{} is already \"{}\". Press it again to use it for both, hold it to move it here, or press another control.",
          event.role, event.target);
    case LearnRefusal::repeated:
      return event.by_itself ? fmt::format("{} came too quickly. To use it for both, press it again.", event.role)
                             : fmt::format("{} was pressed twice; the second press is ignored.", event.role);
    case LearnRefusal::too_soon:
      return fmt::format("{} was pressed before the question could be read; the press is ignored.", event.role);
    case LearnRefusal::too_brief:
      return fmt::format("{} moved only for an instant, like noise. To use it, press it again and hold it briefly.",
                         event.role);
    case LearnRefusal::both_ways:
      return fmt::format("Rejected: {} moved to both sides. Try again, to one side only.", event.role);
    case LearnRefusal::left_out:
      return fmt::format("{} is ignored because it was not at rest. Release it first.", event.role);
    case LearnRefusal::other_unit:
      return fmt::format("Rejected: {} is on \"{}\", which is not the unit being learned.", event.role, event.unit);
    case LearnRefusal::none:
      break;
  }
  return "";
}

std::string menu_words(const Learning& learning) {
  std::string all = "Menu:";
  for (std::size_t i = 0; i < learning.menu().size(); ++i)
    all += i == learning.marked() ? fmt::format("  [{}]", word_of(learning.menu()[i]))
                                  : fmt::format("  {}", word_of(learning.menu()[i]));
  return all + "    press = next, hold = select";
}

/// Answers are not discarded by a single wrong choice.
bool is_leaving(const Learning& learning) {
  return !learning.menu().empty() && learning.menu().front() == LearnChoice::stay;
}

std::string offer_words(const LearnEvent& event, const Learning& learning) {
  const LearnOffer* offer = learning.offered();
  if (offer == nullptr || offer->name != event.target) return "";
  std::string all = offer->words;
  for (std::size_t i = 0; i < offer->choices.size(); ++i)
    all += i == offer->marked ? fmt::format("  [{}]", offer->choices[i]) : fmt::format("  {}", offer->choices[i]);
  return all + "    press = next, hold = select";
}

std::string skipped_words(const LearnEvent& event, const Learning& learning) {
  if (event.by_itself) return "There are no more controls to assign.";
  const Question& question = learning.questions()[event.question];
  if (learning.answers()[event.question].state != Answer::State::as_before)
    return fmt::format("{}: unassigned.", question.name);
  std::string all;
  for (const std::string& role : learning.sources(event.question)) all += (all.empty() ? "" : ", ") + role;
  return fmt::format("{}: unchanged, {}.", question.name, all.empty() ? "unassigned" : all);
}

std::string lost_words(const LearnEvent& event, const Learning& learning) {
  std::string lost;
  for (const std::string& role : learning.questions()[event.question].now)
    if (learning.is_lost(event.question, role)) lost += (lost.empty() ? "" : ", ") + role;
  const auto left = learning.sources(event.question);
  return fmt::format("{} was not asked for and has lost {}{}.", name_of(event, learning), lost,
                     left.empty() ? "; it is now unassigned" : "");
}

std::string choice_words(LearnChoice choice) {
  switch (choice) {
    case LearnChoice::back:
      return "Back.";
    case LearnChoice::again:
      return "Again.";
    default:
      return "";  // the next message says it
  }
}

std::string oddity_words(const LearnEvent& event) {
  if (event.odd == "unknown")
    return fmt::format("{} first reported a position away from rest, so it counts from there.", event.role);
  if (event.odd == "stays") return fmt::format("{} stays in place, so that is used as its rest position.", event.role);
  if (event.odd == "shakes") return fmt::format("{} is noisy: only a full push counts.", event.role);
  if (event.odd == "jumps") return fmt::format("{} jumps like noise: hold it slightly longer.", event.role);
  if (event.odd == "stuck")
    return fmt::format("{} is held or away from rest: it is ignored until released.", event.role);
  std::string all = fmt::format("{} {}, but is used anyway.", event.role, event.odd);
  if (event.odd == "bounces")
    all += fmt::format(" To debounce it, use {{ use = \"{}\", debounce = 15 }} in its binding.", event.role);
  return all;
}

std::string taken_words(const LearnEvent& event, const Learning& learning) {
  return fmt::format("{}: {}{}{}{}{}", name_of(event, learning), event.role,
                     event.detail.empty() ? "" : ", " + event.detail,
                     event.other_role.empty() ? "" : fmt::format(" (sends {} as well)", event.other_role),
                     event.by_itself ? ", the other side of the same axis" : "",
                     event.target.empty() ? "" : fmt::format(", also used for \"{}\"", event.target));
}

std::string ends_words(const Learning& learning) {
  const auto open = std::ranges::count(learning.answers(), Answer::State::open, &Answer::state);
  const std::string all =
      open == 0 ? "Done."
                : fmt::format("{} of {} were not asked for. For those, hold a button and select \"the rest\".", open,
                              learning.answers().size());
  return all + " Press a control to see its binding, or hold one to save.";
}

}  // namespace

std::string_view word_of(LearnChoice choice) noexcept {
  switch (choice) {
    case LearnChoice::back:
      return "back";
    case LearnChoice::skip:
      return "skip";
    case LearnChoice::clear:
      return "empty";
    case LearnChoice::remaining:
      return "the rest";
    case LearnChoice::stay:
      return "continue";
    case LearnChoice::again:
      return "again";
    case LearnChoice::keep:
      return "save";
    case LearnChoice::leave:
      break;
  }
  return "quit";
}

std::string to_text(const Question& question) {
  if (!question.words.empty()) return question.words;
  switch (question.kind) {
    case TargetKind::stick:
      return fmt::format("Move the stick for \"{}\": up, then right, then in a circle.", question.name);
    case TargetKind::two_sided:
      return fmt::format("Turn the control for \"{}\" all the way to the right.", question.name);
    case TargetKind::one_sided:
      return fmt::format("Press the trigger, pedal or button for \"{}\".", question.name);
    case TargetKind::turns:
      return fmt::format("Turn the spinner for \"{}\".", question.name);
    case TargetKind::movement:
      return fmt::format("Move the mouse or trackball for \"{}\".", question.name);
    case TargetKind::pointer:
      return fmt::format("For \"{}\", aim from one edge of the screen to the other, or move a stick.", question.name);
    default:
      return fmt::format("Press the control for \"{}\".", question.name);
  }
}

std::string to_text(const LearnEvent& event, const Learning& learning) {
  using Kind = LearnEvent::Kind;
  switch (event.kind) {
    case Kind::meets:
      return fmt::format("Using \"{}\". Hold any button on it for the menu; keep holding to end.", event.unit);
    case Kind::asks:
      return fmt::format("{} of {}: {}", event.question + 1, learning.questions().size(),
                         to_text(learning.questions()[event.question]));
    case Kind::waits:
      return event.detail == "unclear"
                 ? fmt::format("{} has not moved before. Leave it alone for a moment.", event.role)
                 : fmt::format("{} is still held: release it.", event.role);
    case Kind::echoes:
      return fmt::format("  {} …", event.role);
    case Kind::accepts:
      return taken_words(event, learning);
    case Kind::skips:
      return skipped_words(event, learning);
    case Kind::rejects:
      return refusal_words(event, learning);
    case Kind::opens:
      return (is_leaving(learning) ? "Discard the session?  " : "") + menu_words(learning);
    case Kind::offers:
      return offer_words(event, learning);
    case Kind::decides:
      return "";  // the next message says it
    case Kind::loses:
      return lost_words(event, learning);
    case Kind::chooses:
      return choice_words(event.choice);
    case Kind::tries:
      return event.target.empty() ? fmt::format("{} is not assigned.", event.role)
                                  : fmt::format("{} is \"{}\".", event.role, event.target);
    case Kind::ends_asking:
      return ends_words(learning);
    case Kind::leaves_out:
    case Kind::notices:
      return oddity_words(event);
    case Kind::takes_back:
      return fmt::format("\"{}\" was unplugged, so that was not an answer: {} is asked again.", event.unit,
                         learning.questions()[event.question].name);
    case Kind::pauses:
      return fmt::format("\"{}\" was disconnected. Reconnect it to continue.", event.unit);
    case Kind::resumes:
      return fmt::format("\"{}\" is back.", event.unit);
    case Kind::ends:
      return event.detail.empty() ? "" : "Two controls were held for 2 s. The session ends.";
  }
  return "";
}

}  // namespace omnipar::inline abi_0
