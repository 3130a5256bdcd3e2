// The guided test for blocked and ghosting combinations, against simulated encoders with known faults.
#include <algorithm>
#include <catch2/catch.hpp>
#include <map>
#include <set>

#include "calibrate/combinations.hpp"

using namespace omnipar;
using combinations::Button;
using combinations::CombinationTest;

namespace {

std::vector<Button> panel_buttons(std::size_t count) {
  std::vector<Button> buttons{{key(103), "dpad-up", "lever up"},
                              {key(108), "dpad-down", "lever down"},
                              {key(105), "dpad-left", "lever left"},
                              {key(106), "dpad-right", "lever right"}};
  for (std::size_t i = 0; i < count; ++i)
    buttons.push_back(
        {key(static_cast<std::uint16_t>(30 + i)), "panel-" + std::to_string(i + 1), "button " + std::to_string(i + 1)});
  return buttons;
}

/// A switch matrix without diodes: when three corners of a rectangle are closed, the fourth appears closed, too.
/// A blocking encoder detects that and then reports nothing of the newest press.
class Matrix {
 public:
  enum class Fault { none, ghosts, blocks };
  Matrix(Fault fault, const std::vector<Button>& buttons) : fault_(fault) {
    std::size_t nth = 0;
    for (const Button& button : buttons) {
      wires_[button.code] = {nth % 3, nth / 3};
      ++nth;
    }
  }

  /// What the encoder sends when one switch changes.
  std::vector<Change> change(Code code, bool down) {
    if (down)
      closed_.insert(code);
    else
      closed_.erase(code);
    const std::set<Code> seen = seen_now(code);
    std::vector<Change> changes;
    for (const auto& [one, wires] : wires_) {
      if (seen.contains(one) == sent_.contains(one)) continue;
      changes.push_back({one, seen.contains(one) ? 1 : 0});
    }
    sent_ = seen;
    return changes;
  }

  /// True if the fourth corner is another switch of the matrix while these are closed.
  [[nodiscard]] std::set<Code> ghosts(const std::set<Code>& closed) const {
    std::set<Code> all;
    for (const auto& [one, wires] : wires_) {
      if (closed.contains(one)) continue;
      for (const Code a : closed)
        for (const Code b : closed)
          for (const Code c : closed)
            if (wires_.at(a).first == wires.first && wires_.at(a).second == wires_.at(c).second &&
                wires_.at(b).second == wires.second && wires_.at(b).first == wires_.at(c).first)
              all.insert(one);
    }
    return all;
  }

 private:
  std::set<Code> seen_now(Code newest) const {
    const std::set<Code> ghosts_now = ghosts(closed_);
    std::set<Code> seen = closed_;
    if (fault_ == Fault::ghosts) seen.insert(ghosts_now.begin(), ghosts_now.end());
    if (fault_ == Fault::blocks && !ghosts_now.empty() && !sent_.contains(newest)) seen.erase(newest);
    return seen;
  }

  Fault fault_;
  std::map<Code, std::pair<std::size_t, std::size_t>> wires_;
  std::set<Code> closed_;
  std::set<Code> sent_;
};

/// A user who follows the instructions: finds the names in the line, holds the first ones and presses the others.
class Person {
 public:
  Person(Matrix& matrix, std::vector<Button> buttons)
      : buttons_(std::move(buttons)),
        matrix_(matrix),
        test_(buttons_, [this](const std::string& line) { hear(line); }) {}

  void go_through() {
    test_.begin();
    for (int step = 0; step < 500 && !test_.done(); ++step) follow();
    REQUIRE(test_.done());
  }
  CombinationTest& test() { return test_; }
  [[nodiscard]] const std::vector<std::string>& lines() const { return lines_; }

 private:
  void hear(const std::string& line) { lines_.push_back(line); }

  std::vector<Code> named(const std::string& text) const {
    std::vector<Code> codes;
    for (const Button& button : buttons_)
      if (text.find("'" + button.name + "'") != std::string::npos) codes.push_back(button.code);
    return codes;
  }
  std::vector<Code> buttons_but(const std::vector<Code>& held) const {
    std::vector<Code> codes;
    for (const Button& button : buttons_)
      if (button.role.starts_with("panel-") && std::ranges::find(held, button.code) == held.end())
        codes.push_back(button.code);
    return codes;
  }
  void act(Code code, bool down) {
    now_ += Duration{80'000};
    const auto changes = matrix_.change(code, down);
    test_.feed({now_, changes});
  }
  void follow() {
    const std::string line = lines_.back();
    const std::size_t middle = line.find(", and press");
    const auto held = named(line.substr(0, middle));
    const bool all = line.find("each other button") != std::string::npos;
    for (const Code code : held) act(code, true);
    for (const Code code : all ? buttons_but(held) : named(line.substr(middle))) {
      act(code, true);
      act(code, false);
    }
    for (const Code code : held) act(code, false);
  }

  std::vector<Button> buttons_;
  Matrix& matrix_;
  std::vector<std::string> lines_;
  CombinationTest test_;
  Time now_;
};

}  // namespace

TEST_CASE("An encoder without faults is tested once and nothing is found", "[combinations]") {
  const auto buttons = panel_buttons(6);
  Matrix matrix{Matrix::Fault::none, buttons};
  Person person{matrix, buttons};
  person.go_through();
  CHECK(person.test().found().empty());
  CHECK(person.lines().size() == person.test().trials());
  CHECK(person.lines()[0] ==
        "1 of 9: hold 'lever up' and 'lever left', and press 'button 1', 'button 2', 'button 3', 'button 4', "
        "'button 5' and 'button 6', one at a time while holding them. Then release everything.");
}

TEST_CASE("Exactly the blocked and ghosting combinations of an encoder are found", "[combinations]") {
  for (const std::size_t count : {2U, 4U, 6U, 8U}) {
    const auto buttons = panel_buttons(count);
    for (const Matrix::Fault fault : {Matrix::Fault::blocks, Matrix::Fault::ghosts}) {
      CAPTURE(count, fault == Matrix::Fault::blocks);
      Matrix matrix{fault, buttons};
      Person person{matrix, buttons};
      person.go_through();
      std::set<std::vector<Code>> faulty;
      for (const Combination& found : person.test().found()) {
        faulty.insert(found.held);
        // Each reported combination is faulty in the matrix itself.
        const std::set<Code> held{found.held.begin(), found.held.end()};
        for (const Code code : fault == Matrix::Fault::blocks ? found.blocked : found.ghosts) {
          std::set<Code> closed = held;
          closed.insert(code);
          CHECK_FALSE(matrix.ghosts(closed).empty());
        }
        CHECK(found.blocked.empty() == (fault == Matrix::Fault::ghosts));
        CHECK(found.ghosts.empty() == (fault == Matrix::Fault::blocks));
      }
      CHECK_FALSE(faulty.empty());
      for (const std::string& line : combinations::words_for(person.test().found(), buttons))
        CHECK(line.starts_with("with '"));
    }
  }
}

TEST_CASE("A step is repeated if a button is missing or not held", "[combinations]") {
  std::vector<std::string> lines;
  CombinationTest test{panel_buttons(2), [&](const std::string& line) { lines.push_back(line); }};
  test.begin();
  Time now;
  const auto act = [&](std::uint16_t number, std::int32_t value) {
    now += Duration{50'000};
    const Change change{key(number), value};
    test.feed({now, {&change, 1}});
  };
  act(103, 1);
  act(103, 0);
  CHECK(lines[1].starts_with("'lever up' and 'lever left' were not held together. Try again"));
  for (int tries = 0; tries < 2; ++tries) {  // button 2 is missed, or blocked
    REQUIRE(test.found().empty());
    act(103, 1);
    act(105, 1);
    act(30, 1);
    act(30, 0);
    act(103, 0);
    act(105, 0);
  }
  REQUIRE(test.found().size() == 1);
  CHECK(test.found()[0] == Combination{{key(103), key(105)}, {key(31)}, {}});
  for (int tries = 0; tries < 2; ++tries) {
    act(103, 1);
    act(103, 0);
  }
  CHECK(std::ranges::count(lines, "Skipped.") == 1);
}
