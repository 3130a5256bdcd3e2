#include "learn/answers.hpp"

#include <algorithm>
#include <utility>

namespace omnipar::learn {
namespace {

/// The other side of an axis or hat; empty for what has no other side.
std::string opposite_of(const LearnedSource& source) {
  if (source.side == 0 || source.code.type == ev_key) return "";
  constexpr std::pair<std::string_view, std::string_view> ends[] = {
      {"-up", "-down"}, {"-down", "-up"}, {"-left", "-right"}, {"-right", "-left"}, {"+", "-"}, {"-", "+"}};
  for (const auto& [end, other] : ends)
    if (source.role.ends_with(end)) return source.role.substr(0, source.role.size() - end.size()) + std::string{other};
  return "";
}

}  // namespace

Answers::Answers(std::vector<Question> questions) : questions_(std::move(questions)), answers_(questions_.size()) {
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

std::string Answers::user_of(const std::string& role) const {
  for (std::size_t q = 0; q < answers_.size(); ++q)
    if (at_ != q && std::ranges::find(answers_[q].sources, role, &LearnedSource::role) != answers_[q].sources.end())
      return questions_[q].name;
  return "";
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
    std::erase_if(other.sources, [&](const LearnedSource& one) { return one.role == source.role; });
    if (at_ != q && other.state == Answer::State::given && other.sources.empty()) other = {};
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
  if (answers_[at].state != Answer::State::open || opposed.role.empty() || !user_of(opposed.role).empty())
    return std::nullopt;
  trail_.back().offered = at_;
  answers_[at] = {Answer::State::given, {std::move(opposed)}};
  return at;
}

void Answers::skip() {
  remember();
  answers_[*at_] = {Answer::State::skipped, {}};
  go_on();
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
  answers_[question] = {};
  alone_.insert(question);
  at_ = question;
}

/// To the next open question, and from the last one to those that were left or taken from before.
void Answers::go_on() {
  const std::size_t from = *at_ + 1;
  at_.reset();
  for (std::size_t i = 0; i < questions_.size() && !at_; ++i) {
    const std::size_t q = (from + i) % questions_.size();
    if (answers_[q].state == Answer::State::open) at_ = q;
  }
}

}  // namespace omnipar::learn
