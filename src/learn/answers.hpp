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
  /// With `adds` answers come on top of what a target has. `takes`: what an open target has is taken from it by an
  /// answer to another question.
  Answers(std::vector<Question> questions, bool adds, bool takes);

  [[nodiscard]] const std::vector<Question>& questions() const noexcept { return questions_; }
  [[nodiscard]] const std::vector<Answer>& all() const noexcept { return answers_; }
  /// The question that is open now; nothing when all are answered or it was ended.
  [[nodiscard]] std::optional<std::size_t> at() const noexcept { return at_; }
  [[nodiscard]] const Question& question() const noexcept { return questions_[*at_]; }
  [[nodiscard]] bool can_go_back() const noexcept { return !trail_.empty(); }

  /// Only these questions are left, unless something is answered.
  void ask_only(const std::vector<std::string>& names);

  /// Starts over with these. Nothing must be answered.
  void replace(std::vector<Question> questions);
  /// Answers of before, by the names of their questions.
  void resume(const std::vector<std::pair<std::string, Answer>>& answers);

  /// Another question whose target has this source: by an answer, because it keeps what it has, or, where answers come
  /// on top, because it has it until now.
  [[nodiscard]] std::optional<std::size_t> user_of(const std::string& role) const;
  /// The roles that feed a question's target as it stands.
  [[nodiscard]] std::vector<std::string> sources(std::size_t question) const;
  /// True if an answer to another question has taken this role away.
  [[nodiscard]] bool is_lost(std::size_t question, const std::string& role) const;
  /// Accepts an answer and moves on. Returns the opposite question if it was answered as well.
  std::optional<std::size_t> accept(LearnedSource source);
  /// The same; and no other target has it any more: those that have nothing left are open again.
  std::optional<std::size_t> move_over(LearnedSource source);
  /// Skips a question. The user's sources are kept unless `cleared`; when adding, all sources are.
  void skip(bool cleared);
  /// The same for a question that was never shown: 'back' ignores it, and its sources are kept.
  void pass_over();
  /// Asks for the first that is open, from an end that came early.
  void ask_remaining();
  /// As it was before the last answer, skip or question that was asked again.
  void go_back();
  void ask_again(std::size_t question);
  [[nodiscard]] bool has_any() const noexcept;
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

  bool adds_;
  bool takes_;
  std::vector<Question> questions_;
  std::vector<Answer> answers_;
  std::optional<std::size_t> at_;
  std::vector<Moment> trail_;
  bool is_single_ = false;       ///< one question was asked again from the end: the end is next
  std::set<std::size_t> due_;    ///< except those with an answer since
  std::set<std::size_t> alone_;  ///< questions whose opposite is asked separately, after 'back'
};

}  // namespace omnipar::inline abi_0::learn
