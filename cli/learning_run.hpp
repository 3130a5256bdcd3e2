// A learning session: connects units and reports with `Learning`, and its events with the user.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "omnipar/learning.hpp"
#include "asking_run.hpp"

namespace omnipar::cli {

class LearningRun;

struct LearningRunOptions {
  SessionOptions session;
  std::optional<Room> room{};
  std::vector<Question> questions;
  LearnOptions learning{};
  std::string title;   ///< for the drawing
  int port = 0;        ///< the port to learn; 0: none, but a unit
  std::string seat{};  ///< the seat whose units answer
  std::string unit{};  ///< or only this unit, by its name
  bool raw = false;    ///< answers are the unit's raw controls
  /// The questions for the unit that answers; nothing: those that its roles can answer.
  std::function<std::vector<std::string>(const LearningRun&)> asked_of{};
  /// Called first: what is already known of its controls, shown if there are no questions.
  std::function<std::vector<std::pair<std::string, std::string>>(const LearningRun&)> known_of{};
  /// Called when an offer is decided; earlier, with two empty texts, as soon as a unit answers, so that offers can
  /// depend on its controls.
  std::function<void(LearningRun&, const std::string& offer, const std::string& choice)> decided{};
  /// Earlier answers, once the unit is connected again.
  std::function<std::vector<std::pair<std::string, Answer>>(const LearningRun&)> resumed{};
  bool feel = false;  ///< confirm each step by rumble
  bool leds = false;  ///< and on the unit's LEDs
};

class LearningRun final : public AskingRun {
 public:
  [[nodiscard]] static tl::expected<std::unique_ptr<LearningRun>, Diagnostics> open(LearningRunOptions run_options);

  void process(Time now) override;
  void run(Time until) override;
  [[nodiscard]] std::optional<Time> next_due() const override;
  [[nodiscard]] bool has_changed() noexcept override;
  [[nodiscard]] bool wants_end() const override { return learning_.over() || watching_->wants_end() || in_use_; }
  [[nodiscard]] bool is_over() const override { return wants_end() || watching_->is_over(); }
  [[nodiscard]] view::Page page() const override;
  bool press(char key) override;
  [[nodiscard]] std::string keys() const override;

  [[nodiscard]] const Learning& learning() const noexcept { return learning_; }
  [[nodiscard]] Learning& learning() noexcept { return learning_; }
  /// The roles of the units that answer.
  [[nodiscard]] std::vector<std::string> roles() const;
  /// The controls with this label on the units that answer.
  [[nodiscard]] std::string role_labelled(const std::string& label) const;
  /// The connected units, before anything is pressed.
  [[nodiscard]] std::string who_is_there() const;
  /// The unit is in use by another program, so that nothing can be learned.
  [[nodiscard]] const std::optional<Diagnostic>& in_use() const noexcept { return in_use_; }
  /// The current source of each question, one line each.
  [[nodiscard]] std::vector<std::string> table() const;
  /// Targets that are skipped because the unit has no control for them.
  [[nodiscard]] const std::vector<std::string>& left_out() const noexcept { return left_out_; }
  /// The nodes of the answers, by the numbers in their sources: unit, part, and kind of node.
  struct Met {
    std::string unit;    ///< its first name
    std::string called;  ///< its current name in the session, which changes when it is seated
    std::string key;     ///< identifies the unit
    std::string part;
    UnitDetails::Node node;
    Description main;
    bool is_main = false;
  };
  /// The nodes with these numbers on the units that answer.
  [[nodiscard]] std::map<int, Met> answering() const;

 protected:
  void wait_behind(Time until) override;

 private:
  explicit LearningRun(LearningRunOptions& run_options);
  void meet(const std::vector<UnitDetails>& units) override;
  void on_report(int node, const Report& report) override;
  void on_event(const SessionEvent& event) override;
  void drain() override;
  void answer_in_hand(const LearnEvent& event);
  void ask_what_it_has();
  void grab_ours();
  void find_if_in_use();
  [[nodiscard]] bool is_ours(const UnitDetails& unit) const;
  [[nodiscard]] std::vector<std::string> on_unit(std::vector<std::string> sources) const;
  [[nodiscard]] bool is_ours_by_name(const std::string& name) const { return unit_.empty() || unit_ == name; }
  [[nodiscard]] bool is_of_seat(const std::string& unit) const;
  [[nodiscard]] bool is_answering(const Met& met) const;
  void say_without_role(int node, const Report& report);
  [[nodiscard]] bool has_role(int node, Code code) const;
  [[nodiscard]] std::string first_name(const std::string& key, const std::string& called);
  [[nodiscard]] std::string label_of(const std::string& unit, const std::string& role) const;
  [[nodiscard]] std::string words_for(std::size_t question) const;
  [[nodiscard]] view::Mark mark_of(std::size_t question) const;
  [[nodiscard]] view::Block controller(const inspect::SeenPort& port) const;
  [[nodiscard]] view::Block answers() const;
  [[nodiscard]] view::Block machine() const;
  [[nodiscard]] std::string bar() const;

  std::string title_;
  int port_;
  std::string seat_;
  std::string unit_;
  bool raw_;
  bool all_units_;
  std::function<std::vector<std::string>(const LearningRun&)> asked_of_;
  std::function<std::vector<std::pair<std::string, std::string>>(const LearningRun&)> known_of_;
  std::function<void(LearningRun&, const std::string&, const std::string&)> decided_;
  std::function<std::vector<std::pair<std::string, Answer>>(const LearningRun&)> resumed_;
  bool feel_;
  bool leds_;
  Rig rig_;
  Learning learning_;
  std::map<std::pair<int, std::string>, int> numbers_;  ///< of nodes and their parts, as numbered for `Learning`
  std::map<std::string, std::string> names_;            ///< of units, by their keys
  std::map<int, Met> met_;                              ///< including disconnected ones
  /// Controls without a role that have been moved, with their first position; nothing once reported.
  std::map<std::pair<int, Code>, std::optional<std::int32_t>> roleless_;
  std::vector<std::string> left_out_;
  std::optional<Diagnostic> in_use_;
  std::map<std::string, Diagnostic> taken_;  ///< units that other programs have grabbed, by their names
  std::string last_line_;                    ///< of the question, or of the rejection
  std::string menu_line_;
  bool changed_ = true;
  bool grabs_anew_ = false;  ///< the session must not be changed from its callbacks
};

}  // namespace omnipar::cli
