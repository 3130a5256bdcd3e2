#include "learn/answers.hpp"

#include <algorithm>
#include <utility>

#include "learn/verdict.hpp"

namespace omnipar::inline abi_0::learn {
namespace {

/// The other side of an axis or hat; empty for a control with only one side.
std::string opposite_of(const LearnedSource& source) {
  if (source.side == 0 || source.code.type == ev_key) return "";
  constexpr std::pair<std::string_view, std::string_view> ends[] = {
      {"-up", "-down"}, {"-down", "-up"}, {"-left", "-right"}, {"-right", "-left"}, {"+", "-"}, {"-", "+"}};
  for (const auto& [end, other] : ends)
    if (source.role.ends_with(end)) return source.role.substr(0, source.role.size() - end.size()) + std::string{other};
  return "";
}

}  // namespace

Answers::Answers(std::vector<Question> questions, bool adds, bool takes)
    : adds_(adds), takes_(takes), questions_(std::move(questions)), answers_(questions_.size()) {
  if (!questions_.empty()) at_ = 0;
}

void Answers::ask_only(const std::vector<std::string>& names) {
  if (!trail_.empty()) return;
  std::erase_if(questions_,
                [&names](const Question& question) { return std::ranges::find(names, question.name) == names.end(); });
  answers_.assign(questions_.size(), {});
  at_.reset();
  if (!questions_.empty()) at_ = 0;
}

void Answers::replace(std::vector<Question> questions) {
  if (!trail_.empty()) return;
  questions_ = std::move(questions);
  answers_.assign(questions_.size(), {});
  at_.reset();
  if (!questions_.empty()) at_ = 0;
}

void Answers::resume(const std::vector<std::pair<std::string, Answer>>& answers) {
  if (!trail_.empty()) return;
  for (const auto& [name, answer] : answers) {
    const auto question = std::ranges::find(questions_, name, &Question::name);
    if (question != questions_.end()) answers_[static_cast<std::size_t>(question - questions_.begin())] = answer;
  }
  ask_remaining();
}

std::optional<std::size_t> Answers::user_of(const std::string& role) const {
  const auto is_it = [&role](const std::string& other) { return overlap(role, other); };
  for (std::size_t q = 0; q < answers_.size(); ++q) {
    if (at_ == q) continue;
    if (std::ranges::any_of(answers_[q].sources, is_it, &LearnedSource::role)) return q;
    const bool keeps = answers_[q].state == Answer::State::as_before || adds_;
    if (keeps && std::ranges::any_of(sources(q), is_it)) return q;
  }
  return std::nullopt;
}

bool Answers::is_lost(std::size_t question, const std::string& role) const {
  const bool may_lose = takes_ && !adds_ && answers_[question].state == Answer::State::open;
  for (std::size_t q = 0; q < answers_.size(); ++q)
    for (const LearnedSource& source : answers_[q].sources)
      if (q != question && (source.moved || may_lose) && overlap(source.role, role)) return true;
  return false;
}

std::vector<std::string> Answers::sources(std::size_t question) const {
  const Answer& answer = answers_[question];
  const bool has_now = answer.state == Answer::State::open || answer.state == Answer::State::as_before ||
                       (adds_ && answer.state == Answer::State::given);
  std::vector<std::string> all;
  if (has_now)
    for (const std::string& role : questions_[question].now)
      if (!is_lost(question, role)) all.push_back(role);
  for (const LearnedSource& source : answer.sources)
    if (std::ranges::find(all, source.role) == all.end()) all.push_back(source.role);
  return all;
}

bool Answers::has_any() const noexcept {
  return std::ranges::any_of(answers_, [](const Answer& answer) { return answer.state != Answer::State::open; });
}

std::optional<std::size_t> Answers::accept(LearnedSource source) {
  remember();
  return answer(std::move(source));
}

std::optional<std::size_t> Answers::move_over(LearnedSource source) {
  remember();
  source.moved = true;
  for (std::size_t q = 0; q < answers_.size(); ++q) {
    Answer& other = answers_[q];
    if (at_ == q) continue;
    std::erase_if(other.sources, [&](const LearnedSource& one) { return overlap(one.role, source.role); });
    if (other.state != Answer::State::given || !other.sources.empty()) continue;
    other = {};
    due_.insert(q);
  }
  return answer(std::move(source));
}

std::optional<std::size_t> Answers::answer(LearnedSource source) {
  const auto opposite = answer_opposite(source);
  answers_[*at_] = {Answer::State::given, {std::move(source)}};
  go_on();
  return opposite;
}

std::optional<std::size_t> Answers::answer_opposite(const LearnedSource& source) {
  const auto other = std::ranges::find(questions_, question().opposite, &Question::name);
  if (question().opposite.empty() || other == questions_.end() || alone_.contains(*at_)) return std::nullopt;
  const auto at = static_cast<std::size_t>(other - questions_.begin());
  LearnedSource opposed = source;
  opposed.role = opposite_of(source);
  opposed.side = -source.side;
  opposed.with.clear();
  if (answers_[at].state != Answer::State::open || opposed.role.empty() || user_of(opposed.role)) return std::nullopt;
  trail_.back().offered = at_;
  answers_[at] = {Answer::State::given, {std::move(opposed)}};
  return at;
}

void Answers::skip(bool cleared) {
  remember();
  const bool stays = !cleared && (question().is_own || (adds_ && !question().now.empty()));
  answers_[*at_] = {stays ? Answer::State::as_before : Answer::State::skipped, {}};
  go_on();
}

void Answers::pass_over() {
  answers_[*at_] = {question().now.empty() ? Answer::State::skipped : Answer::State::as_before, {}};
  go_on();
}

void Answers::ask_remaining() {
  is_single_ = false;
  const auto open = std::ranges::find(answers_, Answer::State::open, &Answer::state);
  at_.reset();
  if (open != answers_.end()) at_ = static_cast<std::size_t>(open - answers_.begin());
}

void Answers::go_back() {
  if (trail_.empty()) return;
  Moment before = std::move(trail_.back());
  trail_.pop_back();
  answers_ = std::move(before.answers);
  at_ = before.at;
  if (before.offered) alone_.insert(*before.offered);
}

void Answers::ask_again(std::size_t question) {
  remember();
  is_single_ = is_single_ || !at_;
  answers_[question] = {};
  alone_.insert(question);
  at_ = question;
}

/// Moves to the next open question, and from the last one to those skipped or opened again.
void Answers::go_on() {
  const std::size_t from = *at_ + 1;
  at_.reset();
  for (std::size_t i = 0; i < questions_.size() && !at_; ++i) {
    const std::size_t q = (from + i) % questions_.size();
    if (answers_[q].state == Answer::State::open && (!is_single_ || due_.contains(q))) at_ = q;
  }
  due_.erase(at_.value_or(questions_.size()));
}

}  // namespace omnipar::inline abi_0::learn
