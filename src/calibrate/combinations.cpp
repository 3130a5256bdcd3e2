#include "calibrate/combinations.hpp"

#include <algorithm>
#include <array>
#include <iterator>

#include <fmt/format.h>

#include "base/code_names.hpp"
#include "omnipar/role.hpp"

namespace omnipar::inline abi_0::combinations {
namespace {

using Codes = std::vector<Code>;

/// Two keys within this time are one press, or faster than a person can press them.
constexpr Duration at_once = std::chrono::milliseconds{4};

bool has(const Codes& codes, Code code) { return std::ranges::find(codes, code) != codes.end(); }

Codes without(const Codes& all, const Codes& some) {
  Codes rest;
  std::ranges::copy_if(all, std::back_inserter(rest), [&](Code code) { return !has(some, code); });
  return rest;
}

Codes in_both(const Codes& one, const Codes& other) { return without(one, without(one, other)); }

std::string name_in(const std::vector<Button>& buttons, Code code) {
  const auto at = std::ranges::find(buttons, code, &Button::code);
  return at == buttons.end() ? base::code_name(code) : fmt::format("'{}'", at->name);
}

std::string names_in(const std::vector<Button>& buttons, const Codes& codes) {
  std::string all;
  for (std::size_t i = 0; i < codes.size(); ++i)
    all += (i == 0 ? "" : i + 1 == codes.size() ? " and " : ", ") + name_in(buttons, codes[i]);
  return all;
}

}  // namespace

CombinationTest::CombinationTest(std::vector<Button> buttons, std::function<void(const std::string&)> say)
    : buttons_(std::move(buttons)), say_(std::move(say)) {
  plan_trials();
}

/// The diagonals of a lever with each button, then each button and its neighbour with each other button: the
/// combinations that games need, in a dozen steps rather than in hundreds.
void CombinationTest::plan_trials() {
  const auto direction = [this](std::string_view name) -> const Button* {
    const auto at = std::ranges::find(buttons_, fmt::format("dpad-{}", name), &Button::role);
    return at == buttons_.end() ? nullptr : &*at;
  };
  Codes others;
  constexpr std::array not_in_a_fight = {"coin", "start", "select", "home"};
  for (const Button& button : buttons_)
    if (!button.role.starts_with("dpad-") && std::ranges::find(not_in_a_fight, button.role) == not_in_a_fight.end())
      others.push_back(button.code);
  for (const std::size_t vertical : {0U, 1U})
    for (const std::size_t across : {2U, 3U}) {
      const Button* one = direction(direction_names[vertical]);
      const Button* other = direction(direction_names[across]);
      if (one != nullptr && other != nullptr && !others.empty()) trials_.push_back({{one->code, other->code}, others});
    }
  for (std::size_t i = 0; i + 1 < others.size() && others.size() > 2; ++i) {
    const Codes held{others[i], others[i + 1]};
    trials_.push_back({held, without(others, held)});
  }
}

std::string CombinationTest::names_of(const Codes& codes) const { return names_in(buttons_, codes); }
std::string CombinationTest::name_of(Code code) const { return name_in(buttons_, code); }

bool CombinationTest::is_held() const {
  return std::ranges::all_of(trials_[trial_].held, [this](Code code) { return has(down_, code); });
}

void CombinationTest::begin() {
  if (!done()) ask(trials_[trial_].pressed);
}

void CombinationTest::ask(const Codes& pressed) {
  const bool all = trial_ > 0 && pressed == trials_[trial_].pressed;  // the first step names them
  say_(fmt::format("{} of {}: hold {}, and press {}{} while holding them. Then release everything.", trial_ + 1,
                   trials_.size(), names_of(trials_[trial_].held), all ? "each other button" : names_of(pressed),
                   pressed.size() > 1 ? ", one at a time" : ""));
}

void CombinationTest::note_press(Code code, Time time) {
  if (has(trials_[trial_].held, code)) return;
  if (!was_held_) return;
  if (!came_.empty() && last_press_ != code && time - last_press_time_ < at_once)
    for (const Code one : {last_press_, code})
      if (!has(together_, one)) together_.push_back(one);
  if (!has(came_, code)) came_.push_back(code);
  last_press_ = code;
  last_press_time_ = time;
}

void CombinationTest::feed(const Report& report) {
  for (const Change& change : report.changes) {
    const bool is_key =
        change.code.type == ev_key || std::ranges::find(buttons_, change.code, &Button::code) != buttons_.end();
    if (done() || !is_key || change.value > 1) continue;
    std::erase(down_, change.code);
    if (change.value == 1) {
      down_.push_back(change.code);
      was_held_ = was_held_ || is_held();
      note_press(change.code, report.time);
    } else if (down_.empty()) {
      judge();
    }
  }
}

/// Everything is released: evaluate the step.
void CombinationTest::judge() {
  const Trial& trial = trials_[trial_];
  if (!was_held_) {
    if (not_held_before_) say_("Skipped.");
    if (not_held_before_) return next_trial();
    say_(fmt::format("{} were not held together. Try again; after that, this step is skipped.", names_of(trial.held)));
    not_held_before_ = true;
    return ask(trial.pressed);
  }
  const Codes missing = without(trial.pressed, came_);
  if (missing.empty() && together_.empty()) return next_trial();
  if (!again_) {
    missing_before_ = missing;
    together_before_ = together_;
    again_ = true;
    if (!missing.empty()) say_(fmt::format("{} did not arrive. Try again to confirm.", names_of(missing)));
    if (!together_.empty())
      say_(fmt::format("{} arrived at the same moment. Try again to confirm.", names_of(together_)));
    Codes asked = missing;
    for (const Code code : together_)
      if (has(trial.pressed, code) && !has(asked, code)) asked.push_back(code);
    came_.clear();
    together_.clear();
    was_held_ = false;
    return ask(asked.empty() ? trial.pressed : asked);
  }
  const Combination combination{trial.held, in_both(missing_before_, without(trial.pressed, came_)),
                                in_both(together_before_, together_)};
  if (!combination.blocked.empty() || !combination.ghosts.empty()) found_.push_back(combination);
  for (const std::string& line : words_for({combination}, buttons_)) say_("Found: " + line + ".");
  next_trial();
}

void CombinationTest::next_trial() {
  ++trial_;
  came_.clear();
  together_.clear();
  missing_before_.clear();
  together_before_.clear();
  was_held_ = again_ = not_held_before_ = false;
  if (!done()) ask(trials_[trial_].pressed);
}

std::vector<std::string> words_for(const std::vector<Combination>& found, const std::vector<Button>& buttons) {
  std::vector<std::string> lines;
  for (const Combination& one : found) {
    const std::string with = fmt::format("with {} held, ", names_in(buttons, one.held));
    if (!one.blocked.empty())
      lines.push_back(fmt::format("{}{} {} not arrive", with, names_in(buttons, one.blocked),
                                  one.blocked.size() == 1 ? "does" : "do"));
    if (!one.ghosts.empty())
      lines.push_back(fmt::format("{}{} arrive although only one was pressed", with, names_in(buttons, one.ghosts)));
  }
  return lines;
}

}  // namespace omnipar::inline abi_0::combinations
