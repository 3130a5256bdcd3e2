// Which questions have been answered, and the way back. Knows no hands and no time.
#pragma once

#include <optional>
#include <set>
#include <string>
#include <vector>

#include "omnipar/learning.hpp"

namespace omnipar::learn {

class Answers {
 public:
  explicit Answers(std::vector<Question> questions);

  [[nodiscard]] const std::vector<Question>& questions() const noexcept { return questions_; }
  [[nodiscard]] const std::vector<Answer>& all() const noexcept { return answers_; }
  /// The question that is open now; nothing when all are answered or it was ended.
  [[nodiscard]] std::optional<std::size_t> at() const noexcept { return at_; }
  [[nodiscard]] const Question& question() const noexcept { return questions_[*at_]; }
  [[nodiscard]] bool can_go_back() const noexcept { return !trail_.empty(); }

  /// Only these questions are left, unless something is answered.
  void ask_only(const std::vector<std::string>& names);

  /// Another target that has this source, by its name; empty if none has.
  [[nodiscard]] std::string user_of(const std::string& role) const;
  /// Takes it as the answer, and goes on. The opposite question that was answered with it, if one was.
  std::optional<std::size_t> accept(LearnedSource source);
  /// The same; and no other target has it any more: those that have nothing left are open again.
  std::optional<std::size_t> move_over(LearnedSource source);
  void skip();
  /// As it was before the last answer, skip or question that was asked again.
  void go_back();
  void ask_again(std::size_t question);
  /// Asks nothing more.
  void finish() { at_.reset(); }

 private:
  struct Moment {
    std::vector<Answer> answers;
    std::optional<std::size_t> at;
    std::optional<std::size_t> offered;  ///< the question with which its opposite was answered
  };
  void remember() { trail_.push_back({answers_, at_, std::nullopt}); }
  std::optional<std::size_t> answer(LearnedSource source);
  std::optional<std::size_t> answer_opposite(const LearnedSource& source);
  void go_on();

  std::vector<Question> questions_;
  std::vector<Answer> answers_;
  std::optional<std::size_t> at_;
  std::vector<Moment> trail_;
  std::set<std::size_t> alone_;  ///< questions whose opposite has to be asked for itself: somebody went back
};

}  // namespace omnipar::learn
