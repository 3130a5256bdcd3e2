// The answers, and going back. Independent of input and time.
#pragma once

#include <optional>
#include <set>
#include <string>
#include <utility>
#include <vector>

#include "omnipar/learning.hpp"

namespace omnipar::inline abi_0::learn {

class Answers {
 public:
  /// With `adds`, answers are added to what a target has. `takes`: an answer to another question removes
  /// its sources from an open target.
  Answers(std::vector<Question> questions, bool adds, bool takes);

  [[nodiscard]] const std::vector<Question>& questions() const noexcept { return questions_; }
  [[nodiscard]] const std::vector<Answer>& all() const noexcept { return answers_; }
  /// The current question; nothing when all are answered or it was ended.
  [[nodiscard]] std::optional<std::size_t> at() const noexcept { return at_; }
  [[nodiscard]] const Question& question() const noexcept { return questions_[*at_]; }
  [[nodiscard]] bool can_go_back() const noexcept { return !trail_.empty(); }

  /// Only these questions are left, unless something is answered.
  void ask_only(const std::vector<std::string>& names);

  /// Restarts with these questions. Must not be called after an answer.
  void replace(std::vector<Question> questions);
  /// Sets earlier answers, by the names of their questions.
  void resume(const std::vector<std::pair<std::string, Answer>>& answers);

  /// Another question whose target has this source: by an answer, because its sources are kept, or, when adding,
  /// because it has had it so far.
  [[nodiscard]] std::optional<std::size_t> user_of(const std::string& role) const;
  /// The current sources of a question's target, by role.
  [[nodiscard]] std::vector<std::string> sources(std::size_t question) const;
  /// True if an answer to another question has removed this role.
  [[nodiscard]] bool is_lost(std::size_t question, const std::string& role) const;
  /// Accepts an answer and moves on. Returns the opposite question if it was answered as well.
  std::optional<std::size_t> accept(LearnedSource source);
  /// The same, and removes it from all other targets: those without any source left are open again.
  std::optional<std::size_t> move_over(LearnedSource source);
  /// Skips a question. The user's sources are kept unless `cleared`; when adding, all sources are.
  void skip(bool cleared);
  /// The same for a question that was never shown: 'back' ignores it, and its sources are kept.
  void pass_over();
  /// After an early end, asks the first open question.
  void ask_remaining();
  /// Restores the state before the last answer, skip or repeated question.
  void go_back();
  void ask_again(std::size_t question);
  [[nodiscard]] bool has_any() const noexcept;
  /// Asks no more questions.
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

  bool adds_;
  bool takes_;
  std::vector<Question> questions_;
  std::vector<Answer> answers_;
  std::optional<std::size_t> at_;
  std::vector<Moment> trail_;
  bool is_single_ = false;       ///< one question was repeated from the end, which comes next
  std::set<std::size_t> due_;    ///< except those with an answer since
  std::set<std::size_t> alone_;  ///< questions whose opposite is asked separately, after 'back'
};

}  // namespace omnipar::inline abi_0::learn
