// Unknown models: whatever their codes, the learned sheet contains what the user meant.
#include <catch2/catch.hpp>

#include <numeric>
#include <random>

#include <fmt/format.h>

#include "learn/person.hpp"
#include "omnipar/unit_learning.hpp"
#include "support/settings.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

constexpr std::array roles =
    std::to_array<const char*>({"south", "east", "west", "north", "left-shoulder", "right-shoulder", "left-stick-press",
                                "right-stick-press", "start", "select", "home"});

/// A pad that follows no convention, and the intended meaning of its controls.
struct Odd {
  Description node;
  std::vector<Change> at_rest;
  std::vector<Control> meant;  ///< by their intended names

  explicit Odd(unsigned seed) : dice_(seed) {
    node.name = "Heron Mystery Pad";
    node.vendor = 0x1209;
    node.product = 0x000d;
    std::vector<std::uint16_t> keys(30), axes{0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10};
    std::iota(keys.begin(), keys.end(), std::uint16_t{0x120});
    std::shuffle(keys.begin(), keys.end(), dice_);
    std::shuffle(axes.begin(), axes.end(), dice_);
    for (const char* role : roles) button(keys, role);
    if (below(2) == 0) {
      for (const char* role : {"dpad-up", "dpad-down", "dpad-left", "dpad-right"}) button(keys, role);
    } else {
      hat("dpad", Axis::x, 0x10);
      hat("dpad", Axis::y, 0x11);
    }
    for (const char* stick : {"left-stick", "right-stick"})
      for (const Axis axis : {Axis::x, Axis::y}) stick_axis(axes, stick, axis);
    for (const char* role : {"left-trigger", "right-trigger"}) trigger(keys, axes, role);
  }

 private:
  int below(int n) { return static_cast<int>(dice_() % static_cast<unsigned>(n)); }

  void add(const Control& control, std::int32_t value) {
    node.codes.push_back({control.code, control.minimum, control.maximum, value});
    meant.push_back(control);
  }
  void button(std::vector<std::uint16_t>& keys, const char* role) {
    add({key(keys.back()), ControlType::button, role}, 0);
    keys.pop_back();
  }
  void hat(const char* role, Axis axis, std::uint16_t code) {
    Control control{absolute(code), ControlType::hat, role, axis, -1, 1, 0};
    control.reversed = below(3) == 0;
    add(control, 0);
  }
  void stick_axis(std::vector<std::uint16_t>& axes, const char* role, Axis axis) {
    const bool bytes = below(2) == 0;
    Control control{absolute(axes.back()), ControlType::two_sided, role,           axis,
                    bytes ? 0 : -32768,    bytes ? 255 : 32767,    bytes ? 128 : 0};
    control.reversed = below(3) == 0;
    axes.pop_back();
    add(control, below(2) == 0 ? control.rest : 0);
  }
  void trigger(std::vector<std::uint16_t>& keys, std::vector<std::uint16_t>& axes, const char* role) {
    if (below(3) == 0) return button(keys, role);
    const bool rests_high = below(2) == 0;
    add({absolute(axes.back()), ControlType::one_sided, role, Axis::none, 0, 255, rests_high ? 255 : 0},
        rests_high ? 255 : 0);
    axes.pop_back();
  }

  std::mt19937 dice_;
};

/// The pad with its raw names for learning; the user knows the intended ones.
LearnOptions for_a_sheet() {
  LearnOptions options;
  options.for_sheet = true;
  return options;
}

struct OddDesk : Desk {
  OddDesk(const Odd& pad, const std::vector<ModelQuestion>& asked) : Desk(questions_of(asked), for_a_sheet()) {
    Attachment meant;
    meant.controls = pad.meant;
    hands.put("pad", {meant}, true);
    learning.meet(1, "pad", raw_attachment(pad.node), true);
    wait(250);
  }
  static std::vector<Question> questions_of(const std::vector<ModelQuestion>& asked) {
    std::vector<Question> all;
    for (const ModelQuestion& one : asked) all.push_back(one.question);
    return all;
  }
  /// As a person moves it: not from one end to the other at once.
  void push(const std::string& source) {
    const auto move = hands.find(source);
    REQUIRE(move);
    if (const auto first = hands.find(source, 1, 0.1); first && first->out.size() == 1 && first->out != move->out) {
      say(1, first->out[0]);
      wait(10);
    }
    for (const std::vector<Change>& changes : move->out) {
      say(1, changes);
      wait(10);
    }
    wait(150);
    say(1, move->back);
    wait(600);
  }

  Desk hands{{}};  ///< knows the intended names
};

std::string words_for(const Control& control) {
  return fmt::format("{}{}{}{}", control.role,
                     control.axis == Axis::x   ? ", x"
                     : control.axis == Axis::y ? ", y"
                                               : "",
                     control.reversed ? ", reversed" : "",
                     control.type == ControlType::one_sided && control.rest != 0 ? ", rests high" : "");
}

}  // namespace

TEST_CASE("A pad with any codes is learned from nothing and read back from its file", "[learn]") {
  for (int round = 0; round < cases(200, 5000); ++round) {
    CAPTURE(round);
    const Odd pad{static_cast<unsigned>(round)};
    const std::vector<ModelQuestion> asked = model_questions(ModelForm::pad, false, {}, {{pad.node}});
    OddDesk desk{pad, asked};
    for (int turns = 0; turns < 60 && desk.learning.asked(); ++turns) {
      const ModelQuestion& now = asked.at(*desk.learning.asked());
      std::string source = now.role;
      if (now.question.kind == TargetKind::two_sided) source += now.question.upwards ? "-up" : "-right";
      desk.push(source);
    }
    INFO(desk.said());
    REQUIRE_FALSE(desk.learning.asked());
    const LearnedNode node{1, pad.node, true};
    std::vector<std::string> left_out;
    const UnitSheet sheet = learned_sheet("mystery", {{node}}, asked, desk.learning, left_out);
    CHECK(left_out.empty());
    const Sheets read = read_sheets("mystery.toml", to_toml(sheet));
    REQUIRE(read.problems.empty());
    Catalogue catalogue;
    catalogue.units = read.units;
    const Attachment got = attach_node(catalogue, pad.node, pad.node);
    for (const Control& meant : pad.meant) {
      const auto is = std::ranges::find(got.controls, meant.code, &Control::code);
      REQUIRE(is != got.controls.end());
      CHECK(words_for(*is) == words_for(meant));
    }
    CHECK(got.controls.size() == pad.meant.size());
    CHECK(to_toml(read.units[0]) == to_toml(sheet));
  }
}

TEST_CASE("Sheets without questions: from key names, and from another model's sheet", "[learn]") {
  Description board;
  board.name = "Heron Board";
  board.vendor = 0x1209;
  board.product = 0x000d;
  for (std::uint16_t number = 1; number < 128; ++number) board.codes.push_back({key(number)});
  const LearnedNode node{1, board, true};
  const UnitSheet keys = conventional_sheet({{node}});
  CHECK(keys.controls.size() > 110);
  CHECK(keys.controls.at(0).role == "key-esc");
  const Catalogue shelf = built_in_catalogue();
  const auto tern = std::ranges::find(shelf.units, "tern-two-player-encoder", &UnitSheet::name);
  REQUIRE(tern != shelf.units.end());
  const UnitSheet like = sheet_like(*tern, {{node}});
  CHECK(like.controls.size() == tern->controls.size());
  CHECK(like.parts.size() == 2);
}

TEST_CASE("With roles by letter, button A is the one that the kernel calls south", "[learn]") {
  const auto asked = model_questions(ModelForm::pad, true, {}, {});
  const auto a = std::ranges::find(asked, "A", [](const ModelQuestion& one) { return one.question.name; });
  REQUIRE(a != asked.end());
  CHECK(a->role == "south");
  CHECK(a->label == "A");
}

TEST_CASE("A duplicate role and an axis used as a button are both reported at once", "[learn]") {
  Description node;
  node.name = "Heron Odd Pad";
  node.vendor = 0x1209;
  node.product = 0x000d;
  node.codes = {{absolute(2), 0, 255, 3}, {code::btn_south}};
  const auto asked = model_questions(ModelForm::pad, false, {}, {{node}});
  LearnOptions options;
  options.for_sheet = true;
  Desk desk{OddDesk::questions_of(asked), options};
  desk.learning.ask_only({"bottom", "right face"});
  desk.learning.meet(1, "pad", raw_attachment(node), true);
  desk.wait(250);
  const auto press = [&desk](Code code, int most) {
    for (const int value : {most / 8, most, 0}) {
      desk.say(1, {{code, value}});
      desk.wait(60);
    }
    desk.wait(1000);
  };
  static_cast<void>(desk.said());
  press(absolute(2), 255);
  CHECK(desk.said() == "Rejected: ABS_Z+ cannot be \"bottom\". Press the bottom face button.\n");
  press(code::btn_south, 1);
  press(code::btn_south, 1);
  CHECK(desk.said().ends_with("BTN_SOUTH is already \"bottom\". Hold it to move it here, or press another control.\n"));
  press(code::btn_south, 1);
  CHECK(desk.learning.asked() == 1U);
}
