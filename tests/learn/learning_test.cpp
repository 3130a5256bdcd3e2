// Mapping by pressing yields the intended map with any slips, and the saved map plays accordingly: over all shipped
// units and machines.
#include <catch2/catch.hpp>

#include <map>

#include <fmt/format.h>

#include "engine/byte_dice.hpp"
#include "learn/person.hpp"
#include "support/settings.hpp"
#include "support/shipped_units.hpp"
#include "support/stories.hpp"
#include "support/units.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

std::vector<std::string> roles_of_all(const std::vector<Attachment>& nodes) {
  std::vector<std::string> all;
  for (const Attachment& node : nodes)
    for (std::string& role : roles_of(node)) all.push_back(std::move(role));
  return all;
}

/// The intended source for each question; empty: deliberately none. Every source once; the two directions of one
/// axis are sometimes wanted as a pair.
std::vector<std::string> intended_sources(ByteDice& dice, const std::vector<Question>& questions,
                                          const std::vector<Attachment>& nodes) {
  std::vector<std::string> free = sources_of(nodes), wanted;
  std::string lever;  // most users want all directions from one control
  if (dice.below(3) != 1)
    for (const std::string& source : free)
      if (source.ends_with("-up") && (lever.empty() || dice.below(2) == 1)) lever = source.substr(0, source.size() - 3);
  for (const Question& question : questions) {
    if (!lever.empty() && !question.opposite.empty()) {
      wanted.push_back(lever + "-" + question.name);
      std::erase(free, lever);
      std::erase(free, wanted.back());
      continue;
    }
    std::vector<std::string> fitting;
    for (const std::string& source : free)
      if (feeds(source, question.kind)) fitting.push_back(source);
    std::string intended;
    if (!fitting.empty() && dice.below(8) != 1) intended = fitting[dice.below(fitting.size())];
    std::erase(free, intended);
    // A part of a wanted whole is not wanted separately.
    std::erase_if(free, [&intended](const std::string& other) {
      return !intended.empty() && (other.starts_with(intended + "-") || intended.starts_with(other + "-"));
    });
    wanted.push_back(std::move(intended));
  }
  return wanted;
}

/// A user who makes slips, and reads nothing but the echo.
class Person {
 public:
  Person(ByteDice& dice, Desk& desk, std::vector<std::string> wanted, std::vector<Attachment> nodes)
      : dice_(dice), desk_(desk), wanted_(std::move(wanted)), nodes_(std::move(nodes)) {}

  /// Until the map is saved; false if that does not happen.
  bool finish() {
    for (int turns = 0; turns < 400 && !desk_.learning.over(); ++turns) {
      read();
      if (desk_.learning.over()) return true;
      if (!desk_.learning.menu().empty())
        choose_again();
      else if (goes_back_)
        go_back();
      else if (!desk_.learning.asked())
        keep();
      else if (*desk_.learning.asked() >= ends_before)
        end_early();
      else
        answer();
    }
    return desk_.learning.over();
  }

  /// From this question on everything is left unchanged; the number of questions: none.
  std::size_t ends_before = ~std::size_t{0};
  [[nodiscard]] const std::vector<std::string>& wanted() const { return wanted_; }

  std::map<std::string, std::string> tried;  ///< at an early end: what the trial shows for each control
  int refused = 0;                           ///< rejected presses
  int taken_back = 0;
  int answers = 0;  ///< presses for answers
  int backs = 0;    ///< presses to go back
  int skips = 0;    ///< and to skip
  int ends = 0;

 private:
  void read() {
    for (const LearnEvent& event : desk_.events()) {
      if (event.kind == LearnEvent::Kind::rejects && event.why != LearnRefusal::other_unit) ++refused;
      if (event.kind == LearnEvent::Kind::tries) ++refused;  // once too often, at the end
      if (event.kind == LearnEvent::Kind::accepts && event.role != wanted_[event.question]) goes_back_ = true;
    }
  }

  void go_back() {
    goes_back_ = false;
    ++taken_back;
    desk_.wait(600);
    const int before = desk_.presses;
    const int dearer = desk_.learning.asked() ? 0 : 1;  // at the end 'save' comes first
    choose(LearnChoice::back);
    desk_.presses -= dearer;
    backs += desk_.presses - before;
  }

  /// Each control is tried, and the trial shows what it does.
  void end_early() {
    desk_.learning.choose(LearnChoice::keep);
    desk_.wait(600);
    static_cast<void>(desk_.events());
    for (const std::string& source : sources_of(nodes_)) {
      if (!is_contact(source) || tried.contains(source)) continue;
      desk_.press(source);
      tried[source] = "";
      for (const LearnEvent& event : desk_.events())
        if (event.kind == LearnEvent::Kind::tries) tried[source] = event.target;
    }
  }

  void keep() {
    desk_.wait(600);
    const int before = desk_.presses;
    desk_.hold(button());
    desk_.hold(button());
    ends += desk_.presses - before;
  }

  void answer() {
    if (!moves_ && dice_.below(12) == 1 && moves_over()) return;
    const std::string& wanted = wanted_[*desk_.learning.asked()];
    if (wanted.empty()) return skip();
    const int before = desk_.presses;
    slip(wanted);
    answers += desk_.presses - before;
  }

  /// A control that answered an earlier question is wanted for this one after all; the two answers are exchanged.
  bool moves_over() {
    const std::size_t now = *desk_.learning.asked();
    const auto& questions = desk_.learning.questions();
    for (std::size_t q = 0; q < now; ++q) {
      const bool is_given = desk_.learning.answers()[q].state == Answer::State::given && !wanted_[now].empty();
      const bool both_press = questions[q].kind == TargetKind::button && questions[now].kind == TargetKind::button;
      const bool is_pair = !questions[q].opposite.empty() && !questions[now].opposite.empty();
      if (!is_given || !both_press || is_pair || dice_.below(3) != 1) continue;
      moves_ = true;
      desk_.wait(600);
      desk_.press(wanted_[q]);
      desk_.wait(600);
      if (desk_.learning.asked() != now) {  // a slip had assigned it before: now it serves both
        ++answers;
        return true;
      }
      desk_.hold(wanted_[q]);
      std::swap(wanted_[q], wanted_[now]);
      refused += 2;  // the message says that another target has it
      answers += 2;
      return true;
    }
    return false;
  }

  /// From the menu, with the unit itself; sometimes with a key.
  void skip() {
    if (button().empty() || dice_.below(3) == 1) return desk_.learning.choose(LearnChoice::skip);
    choose(LearnChoice::skip);
  }

  /// Leaves a menu that was opened by mistake.
  void choose_again() {
    for (int i = 0; i < 6 && desk_.learning.menu()[desk_.learning.marked()] != LearnChoice::again; ++i)
      desk_.press(button());
    desk_.hold(button());
  }

  /// By the menu, with one button.
  void choose(LearnChoice choice) {
    desk_.hold(button());
    while (!desk_.learning.menu().empty() && desk_.learning.menu()[desk_.learning.marked()] != choice)
      desk_.press(button());
    if (!desk_.learning.menu().empty()) desk_.hold(button());
  }

  void slip(const std::string& wanted) {
    desk_.bounce_ms = 0;
    switch (dice_.below(14)) {
      case 1:  // twice, too fast
        desk_.press(wanted, 60);
        if (is_contact(wanted)) desk_.press(wanted, 60);
        return;
      case 2:  // both axes
        wobble(wanted);
        return;
      case 3:
        desk_.bounce_ms = 2 + 2 * static_cast<std::int64_t>(dice_.below(7));
        desk_.press(wanted);
        return;
      case 4:  // another unit's
        desk_.press("south", 120, 101);
        --answers;
        return;
      case 5:  // the next one goes down before the last one is up
        overlap(wanted);
        return;
      case 6:  // a completely different control
        desk_.press(other_than(wanted));
        return;
      case 7:
        desk_.disconnect(1);
        desk_.wait(500);
        desk_.put("unit", nodes_, false, 1);
        return;
      case 8:  // barely
        if (const auto move = desk_.find(wanted, 1, 0.45); move && !is_contact(wanted) && move->out.size() == 1) {
          desk_.say(move->node, move->out[0]);
          desk_.wait(100);
          desk_.say(move->node, move->back);
          desk_.wait(60);
        }
        return;
      default:
        desk_.press(wanted, 80 + static_cast<std::int64_t>(dice_.below(60)) * 10);
        desk_.wait(static_cast<std::int64_t>(dice_.below(40)) * 50);
    }
  }

  void wobble(const std::string& wanted) {
    const auto direction = stick_direction(wanted);
    if (!direction) return desk_.press(wanted);
    const std::string side = direction->stick + (direction->direction < 2 ? "-left" : "-up");
    const auto one = desk_.find(wanted), other = desk_.find(side, 1, 0.8);
    if (!one || !other) return;
    ++desk_.presses;
    desk_.say(other->node, other->out[0]);
    desk_.say(one->node, one->out[0]);
    desk_.wait(100);
    desk_.say(one->node, one->back);
    desk_.say(other->node, other->back);
    desk_.wait(60);
  }

  void overlap(const std::string& wanted) {
    const std::string second = other_than(wanted);
    const auto one = desk_.find(wanted), other = desk_.find(second);
    if (!one || !other || !is_contact(wanted) || !is_contact(second)) return desk_.press(wanted);
    ++desk_.presses;
    desk_.say(one->node, one->out.back());
    desk_.wait(60);
    desk_.say(other->node, other->out.back());
    desk_.wait(60);
    desk_.say(one->node, one->back);
    desk_.wait(60);
    desk_.say(other->node, other->back);
    desk_.wait(60);
  }

  [[nodiscard]] bool is_contact(const std::string& source) const {
    for (const Attachment& node : nodes_)
      for (const Control& control : node.controls)
        if (control.role == source) return control.type == ControlType::button;
    return false;
  }
  [[nodiscard]] std::string button() const {
    for (const std::string& source : sources_of(nodes_))
      if (is_contact(source)) return source;
    return "";
  }
  [[nodiscard]] std::string other_than(const std::string& wanted) {
    const std::vector<std::string> all = sources_of(nodes_);
    const std::string& other = all[dice_.below(all.size())];
    const bool is_part = other.starts_with(wanted) || wanted.starts_with(other);
    return is_part || !is_contact(other) ? wanted : other;
  }

  ByteDice& dice_;
  Desk& desk_;
  std::vector<std::string> wanted_;
  std::vector<Attachment> nodes_;
  bool goes_back_ = false;
  bool moves_ = false;
};

const Catalogue& shelf() {
  static const Catalogue catalogue = built_in_catalogue();
  return catalogue;
}

std::vector<Question> asked_of(const Profile& profile, const ShippedUnit& unit) {
  std::vector<std::string> left_out;
  return answerable(questions_for(shelf(), profile, 1), roles_of_all(unit.nodes), left_out);
}

/// Buttons of the unit that are not needed, to be stuck from the start.
std::vector<Attachment> with_a_stuck_button(std::vector<Attachment> nodes, const std::vector<std::string>& wanted) {
  for (Attachment& node : nodes)
    for (const Control& control : node.controls)
      if (control.type == ControlType::button && std::ranges::find(wanted, control.role) == wanted.end() &&
          control.role != nodes.front().controls.front().role) {
        node.state.push_back({control.code, 1});
        return nodes;
      }
  return nodes;
}

/// A d-pad that sends buttons together with its hat.
std::vector<Attachment> with_buttons_beside_hats(std::vector<Attachment> nodes) {
  for (Attachment& node : nodes) {
    const bool has_hat = std::ranges::any_of(node.controls, [](const Control& control) {
      return control.type == ControlType::hat && control.role == "dpad";
    });
    std::uint16_t number = 0x220;
    for (const char* way : {"dpad-up", "dpad-down", "dpad-left", "dpad-right"})
      if (has_hat) node.controls.push_back({key(number++), ControlType::button, way});
  }
  return nodes;
}

/// The value of each of the plan's targets in the next sample.
std::vector<double> sampled(const Engine& engine, Reader& reader) {
  std::vector<double> values;
  reader.next_frame();
  for (std::size_t t = 0; t < engine.plan().targets().size(); ++t)
    values.push_back(reader.value({static_cast<std::uint16_t>(t)}));
  return values;
}

/// The targets of port 1 whose values differ from before.
std::vector<std::string> moved_by(const Engine& engine, const std::vector<double>& before,
                                  const std::vector<double>& now) {
  std::vector<std::string> moved;
  const PortInfo* port = engine.plan().port(1);
  for (std::size_t t = port->first_target; t < std::size_t{port->first_target} + port->target_count; ++t) {
    std::string name{engine.plan().targets()[t].name};
    if (before[t] == now[t]) continue;
    for (const std::string_view half : {"-x", "-y", "-on"})
      if (name.ends_with(half)) name = name.substr(0, name.size() - half.size());
    if (std::ranges::find(moved, name) == moved.end()) moved.push_back(name);
  }
  return moved;
}

/// The targets of port 1 that this source moves.
std::vector<std::string> pressed_on(const Plan& plan, const ShippedUnit& unit, const std::string& source) {
  Engine engine{plan};
  Reader reader{engine};
  Desk desk{{}};
  desk.put("unit", unit.nodes, true);
  std::vector<UnitId> ids;
  for (Attachment node : unit.nodes) {
    node.seat = std::string{plan.port(1)->seat};
    ids.push_back(engine.attach(node).value());
  }
  const auto move = desk.find(source);
  if (!move) return {};
  std::int64_t time = 0;
  const std::vector<double> before = sampled(engine, reader);
  for (const std::vector<Change>& changes : move->out)
    engine.feed(ids.at(static_cast<std::size_t>(move->node - 1)), {at_us(time += 1000), changes});
  return moved_by(engine, before, sampled(engine, reader));
}

/// With triggers that rest at the opposite end from their sheets.
std::vector<Attachment> at_their_ends(std::vector<Attachment> nodes) {
  for (Attachment& node : nodes)
    for (const Control& control : node.controls)
      if (control.type == ControlType::one_sided)
        node.state.push_back({control.code, control.rest == control.minimum ? control.maximum : control.minimum});
  return nodes;
}

/// The map in the file moves what was intended and nothing else.
std::optional<std::string> judge_play(const Profile& learned, const std::vector<Question>& questions,
                                      const std::vector<std::string>& wanted, const ShippedUnit& unit) {
  const Sheets read = read_sheets("learned.toml", to_toml(learned));
  if (!read.problems.empty()) return read.problems.front().message;
  const auto plan = compile(shelf(), read.profiles.at(0));
  if (!plan) return plan.error().front().message;
  for (const std::string& source : sources_of(unit.nodes)) {
    const std::vector<std::string> moved = pressed_on(*plan, unit, source);
    for (std::size_t q = 0; q < questions.size(); ++q) {
      // Sweeping a whole passes its directions, and a direction is part of its whole.
      const bool is_part = wanted[q].starts_with(source + "-") || source.starts_with(wanted[q] + "-");
      const bool is_meant = wanted[q] == source;
      const bool is_moved = std::ranges::find(moved, questions[q].name) != moved.end();
      if (is_moved != is_meant && !(is_part && !wanted[q].empty()))
        return fmt::format("{} {} \"{}\"", source, is_moved ? "moves" : "does not move", questions[q].name);
    }
  }
  return std::nullopt;
}

/// What the trial showed for a control is what it moves in the saved map, and no control is assigned twice.
std::optional<std::string> judge_trial(const Profile& learned, const Learning& learning,
                                       const std::map<std::string, std::string>& tried, const ShippedUnit& unit,
                                       bool adds) {
  const auto plan = compile(shelf(), learned);
  if (!plan) return plan.error().front().message;
  for (const auto& [source, shown] : tried) {
    const std::vector<std::string> moved = pressed_on(*plan, unit, source);
    std::string names;
    for (const Question& question : learning.questions())
      if (std::ranges::find(moved, question.name) != moved.end())
        names += (names.empty() ? "" : " and ") + question.name;
    if (names != shown) return fmt::format("{} moves \"{}\", and the trial says \"{}\"", source, names, shown);
    for (const Answer& answer : learning.answers()) {
      const auto is_it = [&name = source](const LearnedSource& one) { return one.role == name; };
      if (!adds && std::ranges::any_of(answer.sources, is_it) && moved.size() > 1)
        return source + " is given away twice: " + names;
    }
  }
  return std::nullopt;
}

/// Properties of real units and rooms beyond their sheets.
void make_real(Desk& desk, ByteDice& dice) {
  desk.drift = dice.below(3) == 1 ? 0.05 : 0;
  desk.is_hasty = dice.below(3) == 1;
  if (dice.below(5) == 1) desk.shake(1, 0.06);
  if (dice.below(5) == 1) desk.shake(101, dice.below(2) == 1 ? 0.2 : 0.5);
}

std::optional<std::string> judge_pair(const ShippedUnit& shipped, const std::string& system, ByteDice& dice) {
  ShippedUnit unit = shipped;
  if (dice.below(4) == 1) unit.nodes = with_buttons_beside_hats(unit.nodes);
  const Profile profile = propose(shelf(), system).value();
  const std::vector<Question> questions = asked_of(profile, unit);
  const std::vector<std::string> meant = intended_sources(dice, questions, unit.nodes);
  const std::string what = unit.name + " on " + system + ": ";
  const bool has_stuck = dice.below(4) == 1;
  const std::vector<Attachment> nodes = has_stuck ? with_a_stuck_button(unit.nodes, meant) : unit.nodes;
  LearnOptions options;
  options.adds = dice.below(5) == 1;
  options.in_use = roles_in_use(shelf(), profile, 1, questions);
  Desk desk{questions, options};
  const bool has_turned = dice.below(4) == 1;
  desk.put("unit", has_turned ? at_their_ends(nodes) : nodes, true);
  if (has_turned) desk.turn_triggers();
  desk.put("another", {seated(plain_pad(), "seat-2")}, false, 101);
  make_real(desk, dice);
  Person person{dice, desk, meant, nodes};
  if (dice.below(4) == 1) person.ends_before = dice.below(questions.size() + 1);
  const bool has_button = std::ranges::any_of(nodes, [](const Attachment& node) {
    return std::ranges::find(node.controls, ControlType::button, &Control::type) != node.controls.end();
  });
  if (!has_button) return std::nullopt;  // no shipped unit does that
  if (!person.finish()) return what + "it does not end: " + desk.log;
  if (!desk.learning.kept()) return what + "it is not kept";
  const Profile learned = with_answers(shelf(), profile, 1, desk.learning, options.adds);
  if (person.tried.empty() == false && !has_turned)
    if (auto wrong = judge_trial(learned, desk.learning, person.tried, unit, options.adds)) return what + *wrong;
  const std::vector<std::string>& wanted = person.wanted();
  int controls = 0;
  for (std::size_t q = 0; q < questions.size(); ++q) {
    const Answer& answer = desk.learning.answers()[q];
    const std::string got = answer.sources.empty() ? "" : answer.sources[0].role;
    if (answer.state == Answer::State::open && !person.tried.empty()) continue;
    if (got != wanted[q]) return what + questions[q].name + " is " + got + " and not " + wanted[q];
    if (options.adds && answer.state == Answer::State::skipped && !questions[q].now.empty())
      return what + questions[q].name + " has lost what it had";
    controls += got.empty() ? 0 : 1;
  }
  if (person.answers > controls + person.refused + person.taken_back)
    return fmt::format("{}{} presses for {} controls, {} refused, {} taken back", what, person.answers, controls,
                       person.refused, person.taken_back);
  if (person.backs > 2 * person.taken_back)
    return fmt::format("{}{} presses to go back {}", what, person.backs, person.taken_back);
  if (person.ends > 2) return fmt::format("{}{} presses to keep it", what, person.ends);
  if (options.adds || !person.tried.empty()) return std::nullopt;
  if (auto wrong = judge_play(learned, questions, wanted, unit)) return what + *wrong;
  return std::nullopt;
}

std::optional<std::string> judge(const std::vector<std::uint8_t>& story) {
  static const std::vector<ShippedUnit> units = shipped_units();
  ByteDice dice{story};
  const ShippedUnit& unit = units[dice.below(units.size())];
  const std::string& system = shelf().systems[dice.below(shelf().systems.size())].name;
  return judge_pair(unit, system, dice);
}

/// Every order of calls, including those that no story contains: the promises about the state hold after each call.
std::optional<std::string> judge_calls(const std::vector<std::uint8_t>& story) {
  static const std::vector<ShippedUnit> units = shipped_units();
  ByteDice dice{story};
  LearnOptions options;
  options.all_units = dice.below(4) == 1;
  options.used = static_cast<WhenUsed>(dice.below(4));
  if (dice.below(3) == 1) options.skip_after = Duration{200'000};
  const std::string& system = shelf().systems[dice.below(shelf().systems.size())].name;
  Learning learning{questions_for(shelf(), propose(shelf(), system).value(), 1), options};
  std::int64_t time = 0;
  bool was_over = false;
  for (std::vector<Attachment> there(4); !dice.rest().empty();) {
    const std::size_t node = dice.below(4);
    switch (dice.below(10)) {
      case 0:
        there[node] = units[dice.below(units.size())].nodes[0];
        learning.meet(static_cast<int>(node), fmt::format("unit {}", dice.below(3)), there[node], dice.below(2) == 1);
        break;
      case 1:
        learning.lose(static_cast<int>(node));
        break;
      case 2:
        learning.choose(static_cast<LearnChoice>(dice.below(5) == 4 && dice.below(4) != 1 ? 0 : dice.below(4)));
        break;
      case 3:
        learning.ask_again(dice.below(40));
        break;
      case 4:
        learning.advance(at_us(time += 1000 * static_cast<std::int64_t>(dice.below(256)) * 10));
        break;
      case 5:
        if (dice.below(8) == 1) learning.ask_only({"up", "fire", "start", "button-1"});
        break;
      default: {
        std::vector<Change> changes;
        const auto& controls = there[node].controls;
        for (std::size_t i = dice.below(3) + 1; i > 0 && !controls.empty(); --i) {
          const Control& control = controls[dice.below(controls.size())];
          const std::int64_t width = std::int64_t{control.maximum} - control.minimum;
          changes.push_back(
              {control.code,
               static_cast<std::int32_t>(control.minimum + width * static_cast<std::int64_t>(dice.below(5)) / 4)});
        }
        learning.feed(static_cast<int>(node),
                      {at_us(time += static_cast<std::int64_t>(dice.below(256)) * 700), changes});
      }
    }
    while (const auto event = learning.next_event()) {
      if (was_over) return "it says something behind its end";
      if (event->question >= std::max<std::size_t>(1, learning.questions().size())) return "it speaks of no question";
      static_cast<void>(to_text(*event, learning));
    }
    const auto asked = learning.asked();
    if (learning.answers().size() != learning.questions().size()) return "an answer without a question";
    if (asked && *asked >= learning.questions().size()) return "no such question is asked";
    if (asked && learning.answers()[*asked].state != Answer::State::open) return "what is answered is asked";
    if (learning.over() && (asked || !learning.menu().empty())) return "it is over, and asks";
    if (!learning.menu().empty() && learning.marked() >= learning.menu().size()) return "no choice is marked";
    if (learning.kept() && !learning.over()) return "it is kept before its end";
    if (const auto due = learning.next_due(); due && *due <= at_us(time) && !learning.paused())
      return "it is due in the past";
    const double held = learning.held(at_us(time));
    if (held < 0 || held > 1) return "the bar is too full";
    was_over = learning.over();
  }
  const Profile profile = propose(shelf(), system).value();
  const auto plan = compile(shelf(), with_answers(shelf(), profile, 1, learning, dice.below(2) == 1));
  if (!plan) return plan.error().front().message;
  return std::nullopt;
}

}  // namespace

TEST_CASE("Any order of calls keeps all promises", "[learn]") {
  judge_stories(17, cases(2000, 20'000), 300, judge_calls);
}

TEST_CASE("Learned bindings match the intent, for every shipped unit on every shipped machine", "[learn]") {
  for (const ShippedUnit& unit : shipped_units())
    for (const SystemSheet& system : shelf().systems) {
      ByteDice no_slips{{}};
      INFO(unit.name + " on " + system.name);
      CHECK(judge_pair(unit, system.name, no_slips).value_or("") == "");
    }
}

TEST_CASE("With any slips, the map is the intended one, in as many presses as it has controls", "[learn]") {
  judge_stories(11, cases(1000, 20'000), 240, judge);
}

TEST_CASE("Reversed, moved, added and skipped controls are in the profile as answered", "[learn]") {
  const Profile profile = propose(shelf(), "pad-two-stick").value();
  std::vector<Question> questions = questions_for(shelf(), profile, 1);
  std::erase_if(questions, [](const Question& question) {
    return question.name != "left-stick" && question.name != "bottom" && question.name != "outer";
  });
  LearnOptions options;
  options.used = WhenUsed::moved;
  options.in_use = roles_in_use(shelf(), profile, 1, questions);
  Desk desk{questions, options};
  desk.put("pad", {seated(plain_pad(), "seat-1")}, true);
  REQUIRE(questions[0].name == "left-stick");
  for (const auto& [x, y] : std::vector<std::pair<int, int>>{{0, 30000}, {-30000, 0}, {0, 0}}) {
    desk.say(1, {{code::abs_x, x}, {code::abs_y, y}});
    desk.wait(80);
  }
  desk.wait(1600);
  desk.press("north");  // top has it
  desk.learning.choose(LearnChoice::skip);
  const auto bound = [&](bool adds) {
    std::string all;
    const Profile learned = with_answers(shelf(), profile, 1, desk.learning, adds);
    for (const Binding& binding : learned.ports[0].bind) all += binding.target + " = " + to_toml(binding) + "\n";
    return all;
  };
  CHECK(bound(false) ==
        "top = []\n"
        "left-stick = { use = \"left-stick\", invert-x = true, invert-y = true }\n"
        "bottom = \"north\"\n"
        "outer = []\n");
  CHECK(bound(true).find("bottom = [\"south\", \"north\"]\n") != std::string::npos);
}

TEST_CASE("Two controllers on one port have separate controls", "[learn]") {
  const Profile profile = propose(shelf(), "paddle-pair").value();
  const auto questions = questions_for(shelf(), profile, 1, true);
  REQUIRE(questions.size() == 2);
  std::vector<Question> fire{questions[1]};
  for (const auto& [role, target] : roles_in_use(shelf(), profile, 1, fire)) CHECK(target == "second");
  LearnOptions options;
  options.used = WhenUsed::moved;
  options.in_use = {{"south", "second"}};
  Desk desk{fire, options};
  desk.put("pad", {seated(plain_pad(), "seat-2")}, true);
  desk.press("south");
  const Profile learned = with_answers(shelf(), profile, 1, desk.learning);
  for (const Binding& binding : learned.ports[0].bind) CHECK_FALSE(binding.target.starts_with("first"));
  CHECK(learned.ports[0].bind.size() == 1);
}
