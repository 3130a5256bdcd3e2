// For any unit, however it is built, the sheet that was learned from nothing plays as its owner meant.
#include <catch2/catch.hpp>

#include <fmt/format.h>

#include "learn/odd_unit.hpp"
#include "support/settings.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

struct Tally {
  int presses = 0, answered = 0, refused = 0;
};

std::string judge(ModelForm form, unsigned seed, Tally& tally) {
  OddUnit unit{form, seed};
  const std::vector<ModelQuestion> asked = model_questions(form, false, {}, unit.nodes);
  std::vector<Question> questions;
  for (const ModelQuestion& one : asked) questions.push_back(one.question);
  LearnOptions options;
  options.for_sheet = true;
  options.ends_when_used_up = true;
  Learning learning{questions, options};
  std::vector<LearnedNode> nodes;
  for (std::size_t n = 0; n < unit.nodes.size(); ++n) {
    const auto number = static_cast<int>(n);
    learning.meet(number, "unit", raw_attachment(unit.nodes[n]), true);
    nodes.push_back({number, unit.nodes[n], n == 0});
  }
  Newcomer person{unit, learning, seed + 1};
  const bool is_over = person.finish(asked);
  tally.presses += person.presses;
  tally.answered += person.answered;
  tally.refused += person.refused;
  if (!is_over || !learning.kept()) return "it does not end\n" + person.said;
  std::vector<std::string> left_out;
  const UnitSheet sheet = learned_sheet("mystery", nodes, asked, learning, left_out);
  std::vector<std::string> meant;
  for (const ModelQuestion& one : asked)
    if (unit.has(act_for(one))) meant.push_back(act_for(one));
  for (const std::string& name : left_out) person.said += "left out: " + name + "\n";
  const std::string wrong = judge_sheet(sheet, form, seed, meant);
  return wrong.empty() ? "" : wrong + "\n" + person.said;
}

void judge_form(ModelForm form) {
  const auto name = model_form_names()[static_cast<std::size_t>(form)];
  Tally tally;
  for (int round = 0; round < cases(60, 5000); ++round) {
    const std::string wrong = judge(form, static_cast<unsigned>(round), tally);
    INFO(fmt::format("{} {}: {}", name, round, wrong));
    REQUIRE(wrong.empty());
  }
  const double each = static_cast<double>(tally.presses) / tally.answered;
  std::printf("%s: %.3f presses for each control, %d refused\n", std::string{name}.c_str(), each, tally.refused);
  CHECK(each <= 1.05);
}

}  // namespace

TEST_CASE("Pads with any codes, directions and rest values are learned from nothing", "[learn][newcomer]") {
  judge_form(ModelForm::pad);
}
TEST_CASE("Panels are learned from nothing", "[learn][newcomer]") { judge_form(ModelForm::panel); }
TEST_CASE("Wheels are learned from nothing, with separate and with combined pedals", "[learn][newcomer]") {
  judge_form(ModelForm::wheel);
}
TEST_CASE("Yokes are learned from nothing, with a throttle that is not self-centering", "[learn][newcomer]") {
  judge_form(ModelForm::yoke);
}
TEST_CASE("Mats are learned from nothing", "[learn][newcomer]") { judge_form(ModelForm::mat); }
TEST_CASE("Trackballs are learned from nothing", "[learn][newcomer]") { judge_form(ModelForm::ball); }
TEST_CASE("Spinners are learned from nothing, counting in either direction", "[learn][newcomer]") {
  judge_form(ModelForm::spinner);
}
TEST_CASE("Guns are learned from nothing: absolute, relative, and with a keyboard", "[learn][newcomer]") {
  judge_form(ModelForm::gun);
}
