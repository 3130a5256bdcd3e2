// An emulator's own mapping screen: asks, shows the pressed controls, and returns the bindings as a profile. The
// presses are simulated here; an emulator passes reports from a session (`SessionOptions::on_report`) or from its own
// input.
#include <cstdio>
#include <string>

#include "omnipar/omnipar.hpp"

namespace {

using omnipar::Change, omnipar::Code, omnipar::Learning, omnipar::Time;

/// A pad that follows the kernel's convention.
omnipar::Description pad() {
  omnipar::Description pad;
  pad.name = "Fenwick Reading-Room Pad";
  pad.vendor = 0x1209;
  pad.product = 2;
  using namespace omnipar::code;
  for (const Code button : {btn_south, btn_east, btn_west, btn_north, btn_select, btn_start})
    pad.codes.push_back({button});
  pad.codes.push_back({abs_hat0x, -1, 1, 0});
  pad.codes.push_back({abs_hat0y, -1, 1, 0});
  return pad;
}

/// The text for a screen.
void show(Learning& learning) {
  while (const auto event = learning.next_event()) {
    const std::string words = to_text(*event, learning);
    if (!words.empty()) std::printf("%s\n", words.c_str());
  }
}

class Hand {
 public:
  explicit Hand(Learning& learning) : learning_(learning) {}

  /// Presses and releases after `ms` milliseconds.
  void press(Code code, std::int32_t value = 1, int ms = 120) {
    say(code, value, ms);
    say(code, 0, 400);
  }

 private:
  void say(Code code, std::int32_t value, int ms) {
    const Change change{code, value};
    learning_.feed(1, {now_, {&change, 1}});
    now_ += omnipar::Duration{ms * 1000};
    learning_.advance(now_);
    show(learning_);
  }

  Learning& learning_;
  Time now_ = omnipar::at_us(1'000'000);
};

}  // namespace

int main() {
  using namespace omnipar::code;
  const omnipar::Catalogue catalogue = omnipar::built_in_catalogue();
  const auto profile = omnipar::propose(catalogue, "pad-2b");
  if (!profile) return 1;

  const omnipar::Description node = pad();
  const omnipar::Attachment unit = attach_node(catalogue, node, node);
  std::vector<std::string> left_out;
  auto questions = answerable(questions_for(catalogue, *profile, 1), roles_of(unit), left_out);
  Learning learning{std::move(questions)};
  learning.meet(1, node.name, unit, true);
  learning.advance(omnipar::at_us(900'000));
  show(learning);

  Hand hand{learning};
  hand.press(abs_hat0y, -1);  // up, and down with it
  hand.press(abs_hat0x, -1);  // left and right
  hand.press(btn_west);       // a slip …
  hand.press(btn_west, 1, 1700);
  hand.press(btn_west, 1, 1700);  // … undone, by the menu
  hand.press(btn_east);
  hand.press(btn_south);
  hand.press(btn_select);
  hand.press(btn_start);
  hand.press(btn_east);  // what does it do now?
  hand.press(btn_start, 1, 1700);
  hand.press(btn_start, 1, 1700);  // saved

  if (!learning.kept()) return 1;
  std::printf("\n%s", to_toml(with_answers(catalogue, *profile, 1, learning)).c_str());
}
