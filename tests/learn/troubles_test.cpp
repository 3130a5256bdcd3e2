// One test for each difficulty that users have while mapping by pressing.
#include <catch2/catch.hpp>

#include "learn/person.hpp"
#include "omnipar/unit_learning.hpp"
#include "support/units.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

std::vector<Question> buttons(const std::vector<std::string>& names) {
  std::vector<Question> questions;
  for (const std::string& name : names) questions.push_back({name});
  return questions;
}

const std::vector<Question> four_directions{{"up", TargetKind::button, "", "down"},
                                            {"down", TargetKind::button, "", "up"},
                                            {"left", TargetKind::button, "", "right"},
                                            {"right", TargetKind::button, "", "left"}};

/// A plain pad at seat-1.
struct PadDesk : Desk {
  explicit PadDesk(std::vector<Question> questions, LearnOptions options = {})
      : Desk(std::move(questions), std::move(options)) {
    put("blue pad", {seated(plain_pad(), "seat-1")}, true);
  }
  [[nodiscard]] std::string answer(std::size_t question) const {
    const Answer& answer = learning.answers().at(question);
    if (answer.state == Answer::State::skipped) return "skipped";
    std::string all;
    for (const LearnedSource& source : answer.sources)
      all += (all.empty() ? "" : " ") + source.role + (source.invert_x ? " (x)" : "") + (source.invert_y ? " (y)" : "");
    return all;
  }
};

}  // namespace

TEST_CASE("Three controls take three presses, and the first lines show how to begin", "[learn]") {
  PadDesk desk{buttons({"fire", "jump", "start"})};
  CHECK(desk.said() ==
        "Using \"blue pad\". Hold any button on it for the menu; keep holding to end.\n1 of 3: Press the control for "
        "\"fire\".\n");
  desk.press("south");
  CHECK(desk.said() == "fire: south\n2 of 3: Press the control for \"jump\".\n");
  desk.press("east");
  desk.press("start");
  CHECK(desk.said() ==
        "jump: east\n3 of 3: Press the control for \"start\".\nstart: start\n"
        "Done. Press a control to see its binding, or hold one to save.\n");
  desk.press("east");
  CHECK(desk.said() == "east is \"jump\".\n");
  desk.hold("south");
  CHECK(desk.said() == "Menu:  [save]  back  again  quit    press = next, hold = select\n");
  desk.hold("south");
  CHECK(desk.learning.kept());
  CHECK(desk.presses == 6);
}

TEST_CASE("A press is echoed while it is held and becomes an answer on release", "[learn]") {
  PadDesk desk{buttons({"fire", "jump"})};
  static_cast<void>(desk.events());
  desk.say(1, {{code::btn_south, 1}});
  REQUIRE(desk.events().back().kind == LearnEvent::Kind::echoes);
  CHECK(desk.learning.pressed() == "south");
  desk.wait(400);
  CHECK(desk.learning.asked() == 0U);
  CHECK(desk.learning.held(desk.now) == Approx(0.25));
  desk.say(1, {{code::btn_south, 0}});
  desk.wait(40);
  CHECK(desk.learning.asked() == 1U);
}

TEST_CASE("A hasty second press of the same button does not answer the next step", "[learn]") {
  PadDesk desk{buttons({"fire", "jump"})};
  desk.press("south", 60);
  desk.press("south", 60);
  CHECK(desk.learning.asked() == 1U);
  CHECK(desk.said().find("south was pressed twice; the second press is ignored.") != std::string::npos);
}

TEST_CASE("The user can go back any number of times with the unit itself", "[learn]") {
  PadDesk desk{buttons({"fire", "jump", "start"})};
  desk.press("east");
  desk.press("west");
  static_cast<void>(desk.said());
  for (int times = 2; times > 0; --times) {
    desk.hold("north");
    CHECK(desk.said() == "Menu:  [back]  skip  again  save  quit    press = next, hold = select\n");
    desk.hold("north");
    CHECK(desk.said().starts_with("Back.\n"));
  }
  CHECK(desk.learning.asked() == 0U);
  desk.press("south");
  desk.press("east");
  CHECK(desk.answer(0) == "south");
  CHECK(desk.answer(1) == "east");
}

TEST_CASE("Steps have no time limit by default", "[learn]") {
  PadDesk desk{buttons({"fire", "jump"})};
  desk.wait(3'600'000);
  CHECK(desk.learning.asked() == 0U);
  CHECK_FALSE(desk.learning.next_due());
  LearnOptions hurried;
  hurried.skip_after = Duration{5'000'000};
  PadDesk other{buttons({"fire", "jump"}), hurried};
  other.wait(6'000);
  CHECK(other.learning.asked() == 1U);
  CHECK(other.answer(0) == "skipped");
}

TEST_CASE("A step can be skipped without a keyboard and stays unassigned", "[learn]") {
  PadDesk desk{buttons({"fire", "jump"})};
  desk.hold("south");
  desk.press("south");  // from skip ...
  desk.press("south");
  desk.press("south");
  desk.press("south");  // ... once round
  CHECK(desk.learning.menu().at(desk.learning.marked()) == LearnChoice::skip);
  desk.hold("south");
  CHECK(desk.answer(0) == "skipped");
  CHECK(desk.learning.asked() == 1U);
}

TEST_CASE("A unit with a single button is enough to answer every question", "[learn]") {
  Attachment one;
  one.controls.push_back({code::btn_south, ControlType::button, "south"});
  Desk desk{buttons({"fire", "jump"})};
  desk.put("one button", {one}, true);
  desk.press("south");
  desk.hold("south");  // the menu: back
  desk.press("south");
  desk.hold("south");  // skip
  CHECK(desk.learning.answers()[1].state == Answer::State::skipped);
  desk.hold("south");
  desk.hold("south");
  CHECK(desk.learning.kept());
}

TEST_CASE("A diagonal wobble is rejected, with the measured values", "[learn]") {
  PadDesk desk{four_directions};
  static_cast<void>(desk.said());
  desk.say(1, {{code::abs_y, -32768}, {code::abs_x, 24000}});
  desk.wait(100);
  desk.say(1, {{code::abs_y, 0}, {code::abs_x, 0}});
  desk.wait(60);
  CHECK(
      desk.said() ==
      "Rejected: left-stick-up moved 100 %, but left-stick-right moved 73 % with it. Try again, in a straight line.\n");
  desk.say(1, {{code::abs_y, -14000}});
  desk.wait(100);
  desk.say(1, {{code::abs_y, 0}});
  desk.wait(60);
  CHECK(desk.said() == "Rejected: left-stick moved only 43 %. Try again, all the way.\n");
  CHECK(desk.learning.asked() == 0U);
}

TEST_CASE("The opposite direction of the same axis is assigned with it", "[learn]") {
  PadDesk desk{four_directions};
  static_cast<void>(desk.said());
  desk.press("left-stick-up");
  CHECK(desk.said() ==
        "up: left-stick-up\ndown: left-stick-down, the other side of the same axis\n"
        "3 of 4: Press the control for \"left\".\n");
  desk.press("dpad-left");
  CHECK(desk.answer(3) == "dpad-right");
  CHECK_FALSE(desk.learning.asked());
  // Going back asks for each of them again.
  desk.hold("south");
  desk.press("south");
  desk.hold("south");
  CHECK(desk.learning.asked() == 2U);
  desk.press("west");
  CHECK(desk.learning.asked() == 3U);
}

TEST_CASE("A button is not accepted for a stick", "[learn]") {
  PadDesk desk{{{"aim", TargetKind::stick}}};
  static_cast<void>(desk.said());
  desk.press("east");
  CHECK(desk.said() ==
        "Rejected: east cannot be \"aim\". Move the stick for \"aim\": up, then right, then in a circle.\n");
  desk.press("right-stick");
  CHECK(desk.answer(0) == "right-stick");
}

TEST_CASE("A sweep that begins on the other side reverses the axis", "[learn]") {
  PadDesk desk{{{"aim", TargetKind::stick}}};
  for (const auto& [x, y] : std::vector<std::pair<int, int>>{{0, 30000}, {-30000, 0}, {0, 0}}) {
    desk.say(1, {{code::abs_rx, x}, {code::abs_ry, y}});
    desk.wait(80);
  }
  desk.wait(1600);
  CHECK(desk.answer(0) == "right-stick (x) (y)");
}

TEST_CASE("Half a sweep is asked for again", "[learn]") {
  PadDesk desk{{{"aim", TargetKind::stick}}};
  static_cast<void>(desk.said());
  desk.say(1, {{code::abs_ry, -32768}});
  desk.wait(80);
  desk.say(1, {{code::abs_ry, 0}});
  desk.wait(2000);
  CHECK(desk.said() == "Rejected: right-stick moved in only one direction. Move it up, then right, in one motion.\n");
}

TEST_CASE("The wrong player's unit is named and ignored", "[learn]") {
  PadDesk desk{buttons({"fire"})};
  desk.put("red pad", {seated(plain_pad(), "seat-2")}, false, 101);
  static_cast<void>(desk.said());
  desk.press("south", 120, 101);
  CHECK(desk.said() == "Rejected: south is on \"red pad\", which is not the unit being learned.\n");
  CHECK(desk.learning.asked() == 0U);
  LearnOptions all;
  all.all_units = true;
  PadDesk open{buttons({"fire"}), all};
  open.put("red pad", {seated(plain_pad(), "seat-2")}, false, 101);
  open.press("south", 120, 101);
  CHECK(open.answer(0) == "south");
}

TEST_CASE("The first unit pressed is used, and that press is not an answer", "[learn]") {
  Desk desk{buttons({"fire", "jump"})};
  desk.put("blue pad", {seated(plain_pad(), "")}, false);
  desk.put("red pad", {seated(plain_pad(), "")}, false, 101);
  desk.press("south", 120, 101);
  CHECK(desk.learning.unit() == "red pad");
  CHECK(desk.learning.asked() == 0U);
  desk.press("east", 120, 1);
  CHECK(desk.learning.asked() == 0U);
  desk.press("east", 120, 101);
  CHECK(desk.learning.asked() == 1U);
}

TEST_CASE("A button that is already assigned can serve both targets, move, or stay", "[learn]") {
  PadDesk desk{buttons({"fire", "jump", "start"})};
  desk.press("south");
  desk.wait(600);
  static_cast<void>(desk.said());
  desk.press("south");
  CHECK(desk.said() ==
        "south is already \"fire\". Press it again to use it for both, hold it to move it here, or press another "
        "control.\n");
  SECTION("stays: another button is pressed") {
    desk.press("east");
    CHECK(desk.answer(0) == "south");
    CHECK(desk.answer(1) == "east");
  }
  SECTION("for both: it is pressed again after a pause") {
    desk.press("south", 60);
    CHECK(desk.answer(0) == "south");
    CHECK(desk.answer(1) == "south");
  }
  SECTION("for both, but quickly enough to be a slip: a message says what to do") {
    PadDesk hasty{buttons({"fire", "jump"})};
    hasty.press("south");
    hasty.wait(400);
    for (int times = 2; times > 0; --times) {
      hasty.say(1, {{code::btn_south, 1}});
      hasty.wait(50);
      hasty.say(1, {{code::btn_south, 0}});
      hasty.wait(45);
    }
    CHECK(hasty.learning.asked() == 1U);
    CHECK(hasty.said().ends_with("south came too quickly. To use it for both, press it again.\n"));
    hasty.wait(200);
    hasty.press("south");
    CHECK(hasty.answer(1) == "south");
  }
  SECTION("moved: it is held, and its old target is asked for again") {
    desk.hold("south");
    CHECK(desk.answer(0).empty());
    CHECK(desk.answer(1) == "south");
    desk.press("start");
    CHECK(desk.learning.asked() == 0U);
  }
}

TEST_CASE("Stuck, unknown and bouncing controls are reported and not captured", "[learn]") {
  Attachment noisy = seated(plain_pad(), "seat-1");
  noisy.state = {{code::btn_east, 1}};
  Desk desk{four_directions};
  desk.put("noisy pad", {noisy}, true);
  CHECK(desk.said() ==
        "Using \"noisy pad\". Hold any button on it for the menu; keep holding to end.\n"
        "east is held or away from rest: it is ignored until released.\n1 of 4: Press the control for \"up\".\n");
  // An axis whose first report is at its end.
  desk.say(1, {{code::abs_rx, 32767}});
  desk.wait(2000);
  CHECK(desk.said() == "right-stick first reported a position away from rest, so it counts from there.\n");
  // A jittering one.
  for (int i = 0; i < 40; ++i) {
    desk.say(1, {{code::abs_ry, i % 2 == 0 ? 900 : -900}});
    desk.wait(7);
  }
  CHECK(desk.said() == "right-stick jitters, but is used anyway.\n");
  // A switch that bounces for 12 ms at both ends of a press counts as one press.
  desk.bounce_ms = 12;
  desk.press("south");
  desk.wait(300);
  CHECK(desk.learning.asked() == 1U);
  CHECK(desk.said() ==
        "south bounces, but is used anyway. To debounce it, use { use = \"south\", debounce = 15 } in its "
        "binding.\nup: south\n2 of 4: Press the control for \"down\".\n");
  // Once the stuck one is released, it is a button like any other.
  desk.say(1, {{code::btn_east, 0}});
  desk.wait(100);
  desk.bounce_ms = 0;
  desk.press("east");
  CHECK(desk.learning.answers()[1].sources.at(0).role == "east");
}

TEST_CASE("The next step waits until everything is released", "[learn]") {
  PadDesk desk{buttons({"fire", "jump"})};
  static_cast<void>(desk.said());
  desk.say(1, {{code::btn_south, 1}});
  desk.wait(50);
  desk.say(1, {{code::btn_east, 1}});
  desk.wait(50);
  desk.say(1, {{code::btn_south, 0}});
  desk.wait(50);
  CHECK(desk.learning.asked() == 0U);
  desk.say(1, {{code::btn_east, 0}});
  desk.wait(50);
  CHECK(desk.said() == "Rejected: south and east were held together. Press only one.\n");
}

TEST_CASE("A switch that sticks halfway is named, and ignored after four seconds", "[learn]") {
  PadDesk desk{buttons({"fire", "jump"})};
  desk.press("south");
  static_cast<void>(desk.said());
  desk.say(1, {{code::btn_tl, 1}});
  desk.wait(3000);
  CHECK(desk.said() == "Menu:  [back]  skip  again  save  quit    press = next, hold = select\n");
  desk.wait(5000);  // it stays held, which ends the questions without losing anything
  CHECK(desk.said().ends_with("left-shoulder is held or away from rest: it is ignored until released.\n"));
  desk.learning.choose(LearnChoice::remaining);
  desk.wait(250);
  CHECK(desk.said().ends_with("2 of 2: Press the control for \"jump\".\n"));
  desk.press("east");
  CHECK(desk.answer(1) == "east");
}

TEST_CASE("A trigger that rests at its end is a trigger", "[learn]") {
  Attachment pad = seated(plain_pad(), "seat-1");
  for (Control& control : pad.controls)
    if (control.role == "left-trigger") control.rest = control.maximum;
  const auto trigger = std::ranges::find(pad.controls, "left-trigger", &Control::role);
  REQUIRE(trigger != pad.controls.end());
  Desk desk{{{"brake", TargetKind::one_sided}, {"fire"}}};
  pad.state = {{trigger->code, trigger->maximum}};
  desk.put("pad", {pad}, true);
  static_cast<void>(desk.said());
  desk.press("left-trigger");
  CHECK(desk.said() == "brake: left-trigger\n2 of 2: Press the control for \"fire\".\n");
  desk.press("right-trigger");
  CHECK(desk.learning.answers()[1].sources.at(0).role == "right-trigger");
}

TEST_CASE("A stick that is not self-centering answers one step at a time", "[learn]") {
  PadDesk desk{four_directions};
  desk.say(1, {{code::abs_y, -32768}});  // and it stays there
  desk.wait(1500);
  CHECK(desk.learning.asked() == 2U);
  desk.say(1, {{code::abs_y, 0}});
  desk.wait(1500);
  CHECK(desk.learning.asked() == 2U);
  desk.say(1, {{code::abs_x, -32768}});
  desk.wait(1500);
  CHECK_FALSE(desk.learning.asked());
}

TEST_CASE("A disconnect pauses the step, and a reconnect resumes it", "[learn]") {
  PadDesk desk{buttons({"fire", "jump"})};
  desk.press("south");
  desk.say(1, {{code::btn_east, 1}});
  desk.disconnect(1);
  static_cast<void>(desk.said());
  CHECK(desk.learning.paused());
  desk.wait(60'000);
  desk.put("blue pad", {seated(plain_pad(), "seat-1")}, false, 7);
  CHECK(desk.said() == "\"blue pad\" is back.\n2 of 2: Press the control for \"jump\".\n");
  desk.press("east");
  CHECK(desk.answer(1) == "east");
}

TEST_CASE("Releases that the kernel sends at unplug are not answers", "[learn]") {
  PadDesk desk{buttons({"fire", "jump"})};
  desk.say(1, {{code::btn_south, 1}});
  desk.wait(400);
  desk.say(1, {{code::btn_south, 0}});  // by the kernel: the node itself disappears a moment later
  desk.wait(90);
  CHECK(desk.learning.asked() == 1U);
  desk.disconnect(1);
  CHECK(desk.said().find("\"blue pad\" was unplugged, so that was not an answer: fire is asked again.") !=
        std::string::npos);
  desk.put("blue pad", {seated(plain_pad(), "seat-1")}, false, 7);
  CHECK(desk.learning.asked() == 0U);
  desk.press("south");
  CHECK(desk.answer(0) == "south");
}

TEST_CASE("Two controls held for two seconds end the session without saving", "[learn]") {
  PadDesk desk{buttons({"fire", "jump"})};
  desk.press("south");
  desk.say(1, {{code::btn_start, 1}});
  desk.say(1, {{code::btn_select, 1}});
  desk.wait(1000);
  CHECK(desk.learning.held(desk.now) == Approx(0.5));
  CHECK_FALSE(desk.learning.over());
  desk.wait(1001);
  CHECK(desk.learning.over());
  CHECK_FALSE(desk.learning.kept());
}

TEST_CASE("A single step can be repeated, and the repetition can end early", "[learn]") {
  PadDesk desk{buttons({"fire", "jump", "start"})};
  desk.press("south");
  desk.press("west");
  desk.learning.choose(LearnChoice::keep);  // like the key: the table, before saving
  CHECK_FALSE(desk.learning.over());
  desk.press("west");
  desk.learning.choose(LearnChoice::again);  // what was pressed last
  desk.wait(250);
  CHECK(desk.learning.asked() == 1U);
  desk.press("east");
  CHECK(desk.answer(0) == "south");
  CHECK(desk.answer(1) == "east");
  CHECK(desk.answer(2).empty());
}

TEST_CASE("A long press is never an answer, and a short press never a choice", "[learn]") {
  for (int held = 100; held <= 2500; held += 100) {
    CAPTURE(held);
    PadDesk desk{buttons({"fire", "jump"})};
    desk.press("south", held);
    CHECK((desk.learning.asked() == 1U) == (held < 1600));
    CHECK(desk.learning.menu().empty() == (held < 1600));
  }
}

TEST_CASE("Counters and pointers are learned by moving them", "[learn]") {
  Attachment gun;
  gun.controls = {{code::abs_x, ControlType::pointer, "gun", Axis::x, 0, 1023, 0},
                  {code::abs_y, ControlType::pointer, "gun", Axis::y, 0, 1023, 0},
                  {code::btn_trigger, ControlType::button, "trigger"}};
  Desk desk{{{"aim", TargetKind::pointer}, {"shot"}}};
  desk.put("gun", {gun}, true);
  desk.say(1, {{code::abs_x, 500}, {code::abs_y, 500}});
  for (int i = 0; i < 50; ++i) {  // a trembling hand aims at nothing
    desk.say(1, {{code::abs_x, 500 + i % 7}});
    desk.wait(10);
  }
  CHECK(desk.learning.asked() == 0U);
  desk.press("gun");
  CHECK(desk.learning.asked() == 1U);
  desk.press("gun");
  CHECK(desk.learning.asked() == 1U);
  desk.press("trigger");
  CHECK_FALSE(desk.learning.asked());
  Desk dial{{{"dial", TargetKind::turns}, {"fire"}}};
  dial.put("ball", {trackball("seat-1")}, true);
  dial.press("spinner");
  CHECK(dial.learning.answers()[0].sources.at(0).role == "spinner");
}

TEST_CASE("A wobble while a gun is swept does not map both its axes to one", "[learn]") {
  Description gun;
  gun.name = "Heron Gun";
  gun.vendor = 0x1209;
  gun.product = 0x000d;
  gun.codes = {{code::abs_x, 0, 1023, 500}, {code::abs_y, 0, 1023, 510}, {key(0x110)}};
  const auto asked = model_questions(ModelForm::gun, false, {}, {{gun}});
  std::vector<Question> questions;
  for (const ModelQuestion& one : asked) questions.push_back(one.question);
  LearnOptions options;
  options.for_sheet = true;
  Desk desk{questions, options};
  desk.learning.meet(1, "gun", raw_attachment(gun), true);
  desk.wait(40);
  static_cast<void>(desk.said());
  const auto sweep = [&desk](int x, int y) {
    for (int step = -10; step <= 10; ++step) {
      desk.say(1, {{code::abs_x, 500 + x * step / 10}, {code::abs_y, 510 + y * step / 10}});
      desk.wait(30);
    }
    desk.say(1, {{key(0x110), 1}});
    desk.wait(90);
    desk.say(1, {{key(0x110), 0}});
    desk.wait(300);
  };
  sweep(480, 460);
  CHECK(desk.said().find("Try again, in a straight line.") != std::string::npos);
  CHECK(desk.learning.asked() == 0U);
  sweep(500, 60);
  sweep(40, -500);
  CHECK(desk.learning.asked() == 2U);
  const LearnedNode node{1, gun, true};
  std::vector<std::string> left_out;
  const UnitSheet sheet = learned_sheet("gun", {{node}}, asked, desk.learning, left_out);
  REQUIRE(sheet.controls.size() == 2);
  CHECK(sheet.controls[0].code == code::abs_x);
  CHECK(sheet.controls[1].code == code::abs_y);
  CHECK_FALSE(sheet.controls[1].reversed);
}

TEST_CASE("No axis is captured when a button is asked for", "[learn]") {
  PadDesk desk{buttons({"fire", "jump"})};
  desk.say(1, {{code::abs_x, 14000}});  // the thumb still rests on the stick
  desk.wait(100);
  desk.press("south");
  desk.say(1, {{code::abs_x, 0}});
  desk.wait(100);
  CHECK(desk.answer(0) == "south");
  CHECK(desk.learning.asked() == 1U);
}

TEST_CASE("For a trigger that is both an axis and a button, the axis is used", "[learn]") {
  Attachment pad;
  pad.controls = {{absolute(2), ControlType::one_sided, "ABS_Z", Axis::none, 0, 255, 0},
                  {code::btn_tl2, ControlType::button, "BTN_TL2"}};
  Desk desk{{{"brake", TargetKind::one_sided}}};
  desk.put("pad", {pad}, true);
  for (const int value : {20, 255}) {
    desk.say(1, {{absolute(2), value}, {code::btn_tl2, value / 255}});
    desk.wait(60);
  }
  desk.say(1, {{absolute(2), 0}, {code::btn_tl2, 0}});
  desk.wait(300);
  REQUIRE(desk.learning.answers()[0].sources.size() == 1);
  CHECK(desk.learning.answers()[0].sources[0].role == "ABS_Z");
}

TEST_CASE("Two controls that are not both held for two seconds end nothing", "[learn]") {
  PadDesk desk{buttons({"fire", "jump"})};
  desk.say(1, {{code::btn_start, 1}});
  for (int times = 2; times > 0; --times) {  // one is held, the other one is tapped
    desk.say(1, {{code::btn_select, 1}});
    desk.wait(200);
    desk.say(1, {{code::btn_select, 0}});
    desk.wait(2000);
  }
  desk.say(1, {{code::btn_select, 1}});
  desk.wait(1900);
  CHECK_FALSE(desk.learning.over());
  desk.wait(101);
  CHECK(desk.learning.over());
  CHECK_FALSE(desk.learning.discarded());
}

TEST_CASE("A stick direction that another target has is moved by holding it", "[learn]") {
  PadDesk desk{buttons({"fire", "jump"})};
  desk.press("left-stick-up");
  desk.wait(600);
  desk.press("left-stick-up");
  CHECK(desk.said().find("left-stick-up is already \"fire\".") != std::string::npos);
  desk.hold("left-stick-up");
  CHECK(desk.answer(1) == "left-stick-up");
  CHECK(desk.answer(0).empty());
  CHECK(desk.learning.asked() == 0U);
  desk.press("left-stick-down");
  CHECK(desk.answer(0) == "left-stick-down");
}

TEST_CASE("A noisy neighbouring axis and a second unit do not delay a step", "[learn]") {
  for (const double by : {0.06, 0.2, 0.5}) {
    CAPTURE(by);
    PadDesk desk{{{"fire"}, {"aim", TargetKind::stick}}};
    desk.put("red pad", {seated(plain_pad(), "seat-2")}, false, 101);
    desk.shake(101, by);
    desk.shake(1, std::min(by, 0.4));
    desk.wait(2000);
    desk.press("south");
    CHECK(desk.answer(0) == "south");
    desk.press("right-stick");
    CHECK(desk.answer(1) == "right-stick");
  }
}

TEST_CASE("An oscillating axis is reported, and only a full push counts", "[learn]") {
  PadDesk desk{four_directions};
  static_cast<void>(desk.said());
  for (int i = 0; i < 60; ++i) {
    desk.say(1, {{code::abs_x, i % 2 == 0 ? 13000 : -13000}});
    desk.wait(30);
  }
  CHECK(desk.said().find("left-stick is noisy: only a full push counts.\n") != std::string::npos);
  desk.press("dpad-up");
  CHECK(desk.answer(0) == "dpad-up");
}

TEST_CASE("An axis that spikes for an instant is not pushed", "[learn]") {
  PadDesk desk{four_directions};
  static_cast<void>(desk.said());
  desk.say(1, {{code::abs_x, -32768}});
  desk.wait(8);
  desk.say(1, {{code::abs_x, 0}});
  desk.wait(500);
  CHECK(desk.learning.asked() == 0U);
  CHECK(desk.said() ==
        "left-stick-left moved only for an instant, like noise. To use it, press it again and hold it briefly.\n");
}

TEST_CASE("A press before the question can be read is not an answer", "[learn]") {
  for (const int reaction : {31, 100, 150, 200}) {
    CAPTURE(reaction);
    PadDesk desk{buttons({"fire", "jump", "start"})};
    desk.say(1, {{code::btn_south, 1}});
    desk.wait(60);
    desk.say(1, {{code::btn_south, 0}});
    desk.wait(30 + reaction);  // the next question appears as soon as the button has stopped bouncing
    static_cast<void>(desk.said());
    desk.say(1, {{code::btn_east, 1}});
    desk.wait(60);
    desk.say(1, {{code::btn_east, 0}});
    desk.wait(200);
    CHECK((desk.answer(1) == "east") == (reaction >= 120));
    if (reaction < 120)
      CHECK(desk.said() == "east was pressed before the question could be read; the press is ignored.\n");
  }
}

TEST_CASE("At an early end the moved control is listed, and nothing plays twice", "[learn]") {
  std::vector<Question> questions = buttons({"fire", "jump", "start"});
  questions[0].now = {"east"};
  questions[1].now = {"south", "west"};
  questions[2].now = {"start"};
  PadDesk desk{questions};
  desk.press("south");
  static_cast<void>(desk.said());
  desk.learning.choose(LearnChoice::keep);
  desk.wait(250);
  CHECK(desk.said() ==
        "jump was not asked for and has lost south.\n2 of 3 were not asked for. For those, hold a button and select "
        "\"the rest\". Press a control to see its binding, or hold one to save.\n");
  desk.press("south");
  desk.press("west");
  desk.press("east");
  CHECK(desk.said() == "south is \"fire\".\nwest is \"jump\".\neast is not assigned.\n");
  desk.learning.choose(LearnChoice::remaining);
  desk.wait(250);
  CHECK(desk.learning.asked() == 1U);
}

TEST_CASE("A skip keeps the user's sources; only 'empty' unassigns them", "[learn]") {
  std::vector<Question> questions = buttons({"fire", "jump", "start"});
  for (Question& question : questions) question.now = {"west"};
  questions[0].is_own = questions[1].is_own = true;
  PadDesk desk{questions};
  static_cast<void>(desk.said());
  desk.learning.choose(LearnChoice::skip);
  desk.learning.choose(LearnChoice::clear);
  desk.learning.choose(LearnChoice::skip);
  desk.wait(250);
  const std::string said = desk.said();
  for (const char* line : {"fire: unchanged, west.\n", "jump: unassigned.\n", "start: unassigned.\n"})
    CHECK(said.find(line) != std::string::npos);
  CHECK(desk.learning.sources(0) == std::vector<std::string>{"west"});
  CHECK(desk.learning.sources(1).empty());
}

TEST_CASE("Quitting asks before answers are discarded", "[learn]") {
  PadDesk desk{buttons({"fire", "jump"})};
  desk.press("south");
  static_cast<void>(desk.said());
  desk.learning.choose(LearnChoice::leave);
  CHECK_FALSE(desk.learning.over());
  desk.wait(250);
  CHECK(desk.said() == "Discard the session?  Menu:  [continue]  quit    press = next, hold = select\n");
  SECTION("no") {
    desk.hold("south");
    CHECK(desk.learning.asked() == 1U);
  }
  SECTION("yes") {
    desk.press("south");
    desk.hold("south");
    CHECK(desk.learning.over());
    CHECK(desk.learning.discarded());
    CHECK_FALSE(desk.learning.kept());
  }
}

TEST_CASE("Earlier answers are resumed where they ended", "[learn]") {
  PadDesk first{buttons({"fire", "jump", "start"})};
  first.press("south");
  std::vector<std::pair<std::string, Answer>> put_by;
  for (std::size_t q = 0; q < 3; ++q)
    put_by.emplace_back(first.learning.questions()[q].name, first.learning.answers()[q]);
  PadDesk second{buttons({"fire", "jump", "start"})};
  second.learning.resume(put_by);
  second.wait(250);
  CHECK(second.learning.asked() == 1U);
  CHECK(second.answer(0) == "south");
}

TEST_CASE("A choice is made on the unit: press for the next one, hold to select", "[learn]") {
  LearnOptions options;
  options.offers = {{"form", "What is it?", {"pad", "panel"}}};
  PadDesk desk{buttons({"fire"}), options};
  CHECK(desk.said().ends_with("What is it?  [pad]  panel    press = next, hold = select\n"));
  desk.press("south");
  CHECK(desk.said() == "What is it?  pad  [panel]    press = next, hold = select\n");
  desk.hold("south");
  const std::vector<LearnEvent> events = desk.events();
  const auto decided = std::ranges::find(events, LearnEvent::Kind::decides, &LearnEvent::kind);
  REQUIRE(decided != events.end());
  CHECK(decided->role == "panel");
  CHECK(desk.learning.asked() == 0U);
}

TEST_CASE("A long hold ends the questions and a second one saves the map", "[learn]") {
  PadDesk desk{buttons({"fire", "jump", "start"})};
  desk.press("south");
  desk.press("east", 3300);
  CHECK_FALSE(desk.learning.asked());
  CHECK_FALSE(desk.learning.over());
  desk.press("east", 3300);
  CHECK(desk.learning.kept());
}

TEST_CASE("A worn stick is at its end where calibration found its stop", "[learn]") {
  Attachment worn = seated(plain_pad(), "seat-1");
  for (const bool is_measured : {false, true}) {
    CAPTURE(is_measured);
    StickCalibration stick{code::abs_x, code::abs_y, {500, -300}, {9000, 8000}};
    if (is_measured) worn.sticks = {stick};
    Desk desk{four_directions};
    desk.put("worn pad", {worn}, true);
    desk.say(1, {{code::abs_x, 500}, {code::abs_y, -300}});
    desk.wait(300);
    desk.say(1, {{code::abs_y, -8200}});
    desk.wait(200);
    desk.say(1, {{code::abs_y, -300}});
    desk.wait(300);
    CHECK((desk.learning.asked() == 2U) == is_measured);
  }
}

TEST_CASE("Back returns to the last answer, not to automatically skipped questions", "[learn]") {
  Attachment two;
  two.controls = {{code::btn_south, ControlType::button, "BTN_SOUTH"},
                  {code::btn_east, ControlType::button, "BTN_EAST"}};
  LearnOptions options;
  options.for_sheet = options.ends_when_used_up = true;
  Desk desk{buttons({"first", "second", "third", "fourth"}), options};
  desk.put("two buttons", {two}, true);
  desk.press("BTN_SOUTH");
  desk.press("BTN_EAST");
  REQUIRE_FALSE(desk.learning.asked());
  desk.learning.choose(LearnChoice::back);
  CHECK(desk.learning.asked() == 1U);
}
