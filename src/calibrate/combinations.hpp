// The guided test for inconsistent controls: keyboards and cheap encoders block or ghost keys while
// certain others are held. All questions are answered by pressing.
//
// A trial: asked --everything to hold is down--> held --everything is up--> evaluated
//          evaluated: each was received separately --> next trial;  otherwise --> repeated;  again --> finding
//          asked --everything is up, but never all were held--> repeated;  again --> skipped
#pragma once

#include <functional>
#include <string>
#include <vector>

#include "omnipar/report.hpp"
#include "omnipar/rig.hpp"

namespace omnipar::inline abi_0::combinations {

/// One button of the unit, and its label for people.
struct Button {
  Code code;
  std::string role;
  std::string name;
};

class CombinationTest {
 public:
  /// `say` receives one line for the user at a time. Directions are given by role, such as "dpad-up".
  CombinationTest(std::vector<Button> buttons, std::function<void(const std::string&)> say);

  /// Starts with the first step.
  void begin();
  void feed(const Report& report);
  [[nodiscard]] bool done() const noexcept { return trial_ >= trials_.size(); }
  /// The findings so far.
  [[nodiscard]] const std::vector<Combination>& found() const noexcept { return found_; }
  [[nodiscard]] std::size_t trials() const noexcept { return trials_.size(); }

 private:
  using Codes = std::vector<Code>;
  struct Trial {
    Codes held;
    Codes pressed;
  };

  [[nodiscard]] std::string name_of(Code code) const;
  [[nodiscard]] std::string names_of(const Codes& codes) const;
  [[nodiscard]] bool is_held() const;
  void plan_trials();
  void ask(const Codes& pressed);
  void note_press(Code code, Time time);
  void judge();
  void next_trial();

  std::vector<Button> buttons_;
  std::function<void(const std::string&)> say_;
  std::vector<Trial> trials_;
  std::size_t trial_ = 0;
  std::vector<Combination> found_;

  // of the current trial
  Codes down_;
  Codes came_;      ///< while all were held
  Codes together_;  ///< received at the same moment as another
  Codes missing_before_;
  Codes together_before_;
  bool was_held_ = false;
  bool again_ = false;
  bool not_held_before_ = false;
  Code last_press_;
  Time last_press_time_;
};

/// The findings, one sentence each: "with 'up' and 'left' held, 'red' does not come". Names are looked up in `buttons`.
[[nodiscard]] std::vector<std::string> words_for(const std::vector<Combination>& found,
                                                 const std::vector<Button>& buttons);

}  // namespace omnipar::inline abi_0::combinations
