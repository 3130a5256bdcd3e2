// What people are told while something is learned.
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
      return fmt::format("Not taken: {} and {} were down together. Press one alone.", event.role, event.other_role);
    case LearnRefusal::wobble:
      return fmt::format("Not taken: {} went {} of its way, but {} went {} with it. Once more, straight.", event.role,
                         percent(event.seen), event.other_role, percent(event.other));
    case LearnRefusal::too_short:
      return fmt::format("Not taken: {} went only {} of its way. Once more, to the end.", event.role,
                         percent(event.seen));
    case LearnRefusal::wrong_kind:
      return fmt::format(
          "Not taken: {} cannot be \"{}\". {}", event.role, wanted,
          event.question < learning.questions().size() ? to_text(learning.questions()[event.question]) : "");
    case LearnRefusal::half_of_it:
      return fmt::format("Not taken: {} went one way only. First up, then right, in one go.", event.role);
    case LearnRefusal::used:
      if (event.by_itself)
        return fmt::format("{} is \"{}\" already. Hold it to move it here, or press another.", event.role,
                           event.target);
      return fmt::format(
          "{} is \"{}\" already. Press it once more to use it for both, hold it to move it here, or press another.",
          event.role, event.target);
    case LearnRefusal::repeated:
      return event.by_itself ? fmt::format("{} came too quickly to be meant for both: press it once more.", event.role)
                             : fmt::format("{} came twice; the second one is not taken.", event.role);
    case LearnRefusal::too_soon:
      return fmt::format("{} came before the question could be read, and is not taken.", event.role);
    case LearnRefusal::too_brief:
      return fmt::format("{} moved for an instant only, as noise does. If it was you: once more, and hold it a little.",
                         event.role);
    case LearnRefusal::both_ways:
      return fmt::format("Not taken: {} went to both sides. Once more, to one side alone.", event.role);
    case LearnRefusal::left_out:
      return fmt::format("{} is left out, because it was not at rest. Move it back to its rest first.", event.role);
    case LearnRefusal::other_unit:
      return fmt::format("Not taken: {} is on \"{}\", which is not the unit that is learned.", event.role, event.unit);
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
  return all + "    press: the next one; hold: take it";
}

/// Whoever leaves has answered something; it is not thrown away by one wrong choice.
bool is_leaving(const Learning& learning) {
  return !learning.menu().empty() && learning.menu().front() == LearnChoice::stay;
}

std::string offer_words(const LearnEvent& event, const Learning& learning) {
  const LearnOffer* offer = learning.offered();
  if (offer == nullptr || offer->name != event.target) return "";
  std::string all = offer->words;
  for (std::size_t i = 0; i < offer->choices.size(); ++i)
    all += i == offer->marked ? fmt::format("  [{}]", offer->choices[i]) : fmt::format("  {}", offer->choices[i]);
  return all + "    press: the next one; hold: take it";
}

std::string skipped_words(const LearnEvent& event, const Learning& learning) {
  if (event.by_itself) return "No control is left: nothing more is asked for.";
  const Question& question = learning.questions()[event.question];
  if (learning.answers()[event.question].state != Answer::State::as_before)
    return fmt::format("{}: stays empty.", question.name);
  std::string all;
  for (const std::string& role : learning.sources(event.question)) all += (all.empty() ? "" : ", ") + role;
  return fmt::format("{}: stays as it is, {}.", question.name, all.empty() ? "empty" : all);
}

std::string lost_words(const LearnEvent& event, const Learning& learning) {
  std::string lost;
  for (const std::string& role : learning.questions()[event.question].now)
    if (learning.is_lost(event.question, role)) lost += (lost.empty() ? "" : ", ") + role;
  const auto left = learning.sources(event.question);
  return fmt::format("{} was not asked for, and has lost {}{}.", name_of(event, learning), lost,
                     left.empty() ? "; it has nothing now" : "");
}

std::string choice_words(LearnChoice choice) {
  switch (choice) {
    case LearnChoice::back:
      return "Back.";
    case LearnChoice::again:
      return "Once more.";
    default:
      return "";  // what follows says it
  }
}

std::string oddity_words(const LearnEvent& event) {
  if (event.odd == "unknown")
    return fmt::format("{} was not known until now, and is away from its rest: it counts from there on.", event.role);
  if (event.odd == "stays") return fmt::format("{} stays where it is: it is taken to rest there.", event.role);
  if (event.odd == "shakes") return fmt::format("{} shakes by itself: only a full push of it is heard.", event.role);
  if (event.odd == "jumps")
    return fmt::format("{} jumps for instants, as noise does: what is held a little longer is heard.", event.role);
  if (event.odd == "stuck")
    return fmt::format("{} is down, or away from its rest: it is left out until that ends.", event.role);
  std::string all = fmt::format("{} {}, and is heard all the same.", event.role, event.odd);
  if (event.odd == "bounces")
    all += fmt::format(" {{ use = \"{}\", debounce = 15 }} in its binding makes it one press.", event.role);
  return all;
}

std::string taken_words(const LearnEvent& event, const Learning& learning) {
  return fmt::format("{}: {}{}{}{}{}", name_of(event, learning), event.role,
                     event.detail.empty() ? "" : ", " + event.detail,
                     event.other_role.empty() ? "" : fmt::format(" ({} comes with it)", event.other_role),
                     event.by_itself ? ", the other side of the same axis" : "",
                     event.target.empty() ? "" : fmt::format(", which stays \"{}\", too", event.target));
}

std::string ends_words(const Learning& learning) {
  const auto open = std::ranges::count(learning.answers(), Answer::State::open, &Answer::state);
  const std::string all =
      open == 0 ? "All is asked."
                : fmt::format("{} of {} were not asked for; hold a button and take \"the rest\" for them.", open,
                              learning.answers().size());
  return all + " Press a control to see what it does now; hold one to keep the map.";
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
      return "go on";
    case LearnChoice::again:
      return "again";
    case LearnChoice::keep:
      return "keep";
    case LearnChoice::leave:
      break;
  }
  return "leave";
}

std::string to_text(const Question& question) {
  if (!question.words.empty()) return question.words;
  switch (question.kind) {
    case TargetKind::stick:
      return fmt::format("Sweep the stick that shall be \"{}\": first up, then right, then round.", question.name);
    case TargetKind::two_sided:
      return fmt::format("Turn what shall be \"{}\": first to the right, to its end.", question.name);
    case TargetKind::one_sided:
      return fmt::format("Press the trigger, pedal or button that shall be \"{}\".", question.name);
    case TargetKind::turns:
      return fmt::format("Turn the spinner that shall be \"{}\".", question.name);
    case TargetKind::movement:
      return fmt::format("Move the mouse or trackball that shall be \"{}\".", question.name);
    case TargetKind::pointer:
      return fmt::format("Aim with what shall be \"{}\", from one edge to the other; or sweep a stick.", question.name);
    default:
      return fmt::format("Press what shall be \"{}\".", question.name);
  }
}

std::string to_text(const LearnEvent& event, const Learning& learning) {
  using Kind = LearnEvent::Kind;
  switch (event.kind) {
    case Kind::meets:
      return fmt::format("\"{}\" answers. Hold any button of it for back, skip and more; hold it on to end.",
                         event.unit);
    case Kind::asks:
      return fmt::format("{} of {}: {}", event.question + 1, learning.questions().size(),
                         to_text(learning.questions()[event.question]));
    case Kind::waits:
      return event.detail == "unclear"
                 ? fmt::format("{} has not moved before: leave it alone for a moment.", event.role)
                 : fmt::format("{} is still down: release it.", event.role);
    case Kind::hears:
      return fmt::format("  {} …", event.role);
    case Kind::takes:
      return taken_words(event, learning);
    case Kind::skips:
      return skipped_words(event, learning);
    case Kind::refuses:
      return refusal_words(event, learning);
    case Kind::opens:
      return (is_leaving(learning) ? "What was learned would be lost. " : "") + menu_words(learning);
    case Kind::offers:
      return offer_words(event, learning);
    case Kind::decides:
      return "";  // what follows says it
    case Kind::loses:
      return lost_words(event, learning);
    case Kind::chooses:
      return choice_words(event.choice);
    case Kind::tries:
      return event.target.empty() ? fmt::format("{} does nothing.", event.role)
                                  : fmt::format("{} is \"{}\".", event.role, event.target);
    case Kind::ends_asking:
      return ends_words(learning);
    case Kind::leaves_out:
    case Kind::notices:
      return oddity_words(event);
    case Kind::takes_back:
      return fmt::format("That was the plug of \"{}\", and no answer: {} is asked again.", event.unit,
                         learning.questions()[event.question].name);
    case Kind::pauses:
      return fmt::format("\"{}\" has left. It goes on when it is back.", event.unit);
    case Kind::goes_on:
      return fmt::format("\"{}\" is back.", event.unit);
    case Kind::ends:
      return event.detail.empty() ? "" : "Two controls were held for 2 s: that ends it.";
  }
  return "";
}

}  // namespace omnipar::inline abi_0
