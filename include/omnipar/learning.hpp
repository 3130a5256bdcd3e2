// Mapping by pressing: asks for one target after the other, and binds the controls that are pressed. Has no I/O and no
// clock: the caller passes nodes, reports and the time, and shows the events. Emulators can use it for their own
// mapping screens.
//
//   omnipar::Learning learning{omnipar::questions_for(catalogue, profile, 1)};
//   learning.meet(node, "blue pad", unit, true);
//   learning.feed(node, report) … learning.advance(now) …
//   while (auto event = learning.next_event()) show(to_text(*event, learning));
//   if (learning.kept()) profile = with_answers(catalogue, profile, 1, learning);
//
// The unit being learned can control everything:
//
//   question --press--> pending --release--> answer, next question
//   question --hold--> menu: press = next choice, hold = select;  --keep holding--> end
//   end      --press--> shows what the control does;  --hold--> menu, to save;  --keep holding--> saved
//   anywhere --hold two controls for 2 s--> ends without saving
#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "omnipar/attachment.hpp"
#include "omnipar/catalogue.hpp"
#include "omnipar/profile.hpp"
#include "omnipar/report.hpp"
#include "omnipar/system_sheet.hpp"
#include "omnipar/time.hpp"

namespace omnipar::inline abi_0 {

/// How a raw axis or relative axis has to be moved for an answer.
enum class LearnMotion : std::uint8_t {
  push,  ///< to one side and back
  turn,  ///< to one side, where it may stay
  span,  ///< to one end, then to the other, where any button is pressed; the last side counts
};

/// A target to assign.
struct Question {
  std::string name;                      ///< the target: "up", "fire", "stick"
  TargetKind kind = TargetKind::button;  ///< determines the required action: press, push and release, sweep, move
  std::string place{};                   ///< the role in the same position on a pad; may be empty
  std::string opposite{};                ///< for a direction, the opposite one; an axis answers both
  std::string words{};                   ///< the prompt; empty: made from kind and name
  LearnMotion motion = LearnMotion::push;
  bool upwards = false;  ///< for a raw axis: it is moved to the side where most units have their minimum, such as up
  std::vector<std::string> now{};  ///< its current sources, as roles
  bool is_own = false;             ///< the current sources were set by the user: a skip does not unassign the target
  friend bool operator==(const Question&, const Question&) = default;
};

/// A source that answers a question, as in a binding.
struct LearnedSource {
  std::string role;  ///< a role, or one direction of a stick or a d-pad: "south", "left-stick-up"
  std::string unit;
  bool invert_x = false;
  bool invert_y = false;
  int node = 0;  ///< its node; for a pair of axes, that of the axis that moved most
  Code code{};
  int side = 0;        ///< for an axis, the side: -1 or 1
  bool moved = false;  ///< it was removed from its previous target
  double rests = 0;    ///< for a raw axis: its rest position, -1 (lower end) to 1
  std::string with{};  ///< another control that the same press moved
  friend bool operator==(const LearnedSource&, const LearnedSource&) = default;
};

/// The answer to a question.
struct Answer {
  enum class State : std::uint8_t {
    open,
    given,
    skipped,    ///< left unassigned on purpose
    as_before,  ///< skipped; keeps its current sources
  };
  State state = State::open;
  std::vector<LearnedSource> sources{};
  friend bool operator==(const Answer&, const Answer&) = default;
};

/// The choices of the menu, also accepted by `Learning::choose`.
enum class LearnChoice : std::uint8_t {
  back,       ///< removes the last answer and asks again
  skip,       ///< keeps the sources set by the user; without any, leaves the target unassigned
  clear,      ///< leaves the target unassigned, whatever it has
  again,      ///< restarts this question; at the end, the question of the last pressed control
  remaining,  ///< at the end: asks the open questions
  keep,       ///< goes to the end, where bindings can be tried; there, ends and saves
  leave,      ///< ends without saving; with answers, it must be chosen twice
  stay,       ///< continues
};
/// Returns the word shown in the menu.
[[nodiscard]] std::string_view word_of(LearnChoice choice) noexcept;

/// What happens if a control is already the source of another target.
enum class WhenUsed : std::uint8_t { ask, both, moved, left };

/// A choice made on the unit before the questions: a press marks the next choice, a hold selects it.
struct LearnOffer {
  std::string name;
  std::string words;
  std::vector<std::string> choices;
  std::size_t marked = 0;
};

/// Options of a learning session.
struct LearnOptions {
  bool all_units = false;          ///< accepts answers from all units, not only from the seat's
  bool adds = false;               ///< adds answers to the current sources; a skip keeps those
  bool for_sheet = false;          ///< controls are raw, and each has only one use: the answers become a sheet
  bool ends_when_used_up = false;  ///< skips questions for which no control is left
  WhenUsed used = WhenUsed::ask;
  /// Roles used by targets that are not asked for, each with the target's name.
  std::vector<std::pair<std::string, std::string>> in_use{};
  /// Offers made before the questions, as soon as a unit answers. `Learning::offer` can still change them.
  std::vector<LearnOffer> offers{};
  Duration hold{1'600'000};              ///< a press held this long opens the menu; slow users press for up to 1.5 s
  std::optional<Duration> skip_after{};  ///< skips unanswered questions after this time; default: never
};

/// Why a press or movement was rejected.
enum class LearnRefusal : std::uint8_t {
  none,
  two_at_once,  ///< more than one control was held
  too_soon,     ///< it started before the question could be read
  too_brief,    ///< an axis moved so briefly that it may be noise
  both_ways,    ///< an axis moved to both sides
  left_out,     ///< the control is ignored, because it is noisy or stuck
  wobble,       ///< another axis moved nearly as far
  too_short,    ///< an axis moved less than half of its range
  wrong_kind,   ///< this kind of control cannot be a source of the target
  half_of_it,   ///< only one axis of a stick was swept
  used,         ///< another target has the control; pressing again uses it for both, holding moves it
  repeated,     ///< the same control again, before the question could be read
  other_unit,   ///< the unit belongs to another seat
};

/// An event of a learning session.
struct LearnEvent {
  enum class Kind : std::uint8_t {
    meets,        ///< answers are accepted from `unit`
    asks,         ///< asks `question`; no control is held
    waits,        ///< `role` of `unit` is still held; `detail` "unclear": its rest position is unknown
    echoes,       ///< `role` of `unit` is pressed, but not released yet
    accepts,      ///< `role` answers `question`; `by_itself`: the opposite direction was answered;
                  ///< `target` also uses it
    skips,        ///< `question` is unassigned or unchanged; `by_itself`: no control is left for it
    rejects,      ///< rejected, see `why`; `seen` is how far `role` moved, `other` how far `other_role` did
    opens,        ///< the menu is open with `choice` marked
    chooses,      ///< `choice` was selected
    offers,       ///< an offer is open with `role` marked
    decides,      ///< `role` was selected for the offer `target`
    loses,        ///< at an early end: another target took the sources of the open `question`
    tries,        ///< at the end: `role` was pressed and moves `target`, or nothing
    ends_asking,  ///< all questions are answered or skipped: bindings can be tried and saved
    leaves_out,   ///< `role` of `unit` is ignored while it has the problem in `odd`
    notices,      ///< `role` of `unit` has the problem in `odd` but is accepted
    takes_back,   ///< `unit` was disconnected with a control held, which does not answer `question`
    pauses,       ///< `unit` was disconnected
    resumes,      ///< it was reconnected
    ends,         ///< the session ended, see `Learning::kept`; `detail` "held": two controls were held
  };
  Kind kind = Kind::asks;
  std::size_t question = 0;
  std::string unit{};
  std::string role{};
  std::string other_role{};
  std::string target{};
  std::string odd{};     ///< "stuck", "unknown", "bounces", "jitters", "shakes", "jumps", "stays"
  std::string detail{};  ///< for `accepts`: its direction in words; for `waits`: "unclear"; for `ends`: "held"
  LearnRefusal why = LearnRefusal::none;
  LearnChoice choice = LearnChoice::back;
  bool by_itself = false;
  double seen = 0;
  double other = 0;
};

/// A learning session, which asks its questions in order. Must be used from one thread. Allocates.
class Learning {
 public:
  explicit Learning(std::vector<Question> questions, LearnOptions options = {});
  ~Learning();
  Learning(Learning&&) noexcept;
  Learning& operator=(Learning&&) noexcept;

  /// Adds a node, or adds it again after `lose`. `attachment.state` is its current state. With `ours`, answers are
  /// accepted from its unit; if no unit is `ours`, from the first unit pressed, whose first press is not an answer.
  void meet(int node, const std::string& unit, const Attachment& attachment, bool ours);
  /// Removes a node.
  void lose(int node);
  /// Processes a report. Reports must be in order of time. Unknown nodes are ignored.
  void feed(int node, const Report& report);
  /// Advances the time.
  void advance(Time now);
  /// Returns when `advance` has work to do, or nothing.
  [[nodiscard]] std::optional<Time> next_due() const;
  /// Returns the oldest queued event, or nothing.
  [[nodiscard]] std::optional<LearnEvent> next_event();

  /// Restricts the session to these questions. Has no effect after the first answer.
  void ask_only(const std::vector<std::string>& names);
  /// Replaces the questions. Has no effect after the first answer.
  void set_questions(std::vector<Question> questions);
  /// Adds an offer, made before the questions as soon as a unit answers. Replaces one with the same name.
  void offer(LearnOffer offer);
  /// Restores answers of an earlier session by question name, and continues with the first open question. Has no effect
  /// after the first answer.
  void resume(const std::vector<std::pair<std::string, Answer>>& answers);
  /// Replaces `LearnOptions::in_use`.
  void set_in_use(std::vector<std::pair<std::string, std::string>> in_use);
  /// Selects a choice as if in the menu, for example by a key. Choices that do not apply are ignored.
  void choose(LearnChoice choice);
  /// For an open offer: marks the next choice, or selects the marked one.
  void mark_next();
  void decide();
  /// Ends the session; the answers are to be saved.
  void keep();
  /// Asks one question again. Other answers are unchanged.
  void ask_again(std::size_t question);

  [[nodiscard]] const std::vector<Question>& questions() const noexcept;
  /// The answers, one for each question.
  [[nodiscard]] const std::vector<Answer>& answers() const noexcept;
  /// The current question, or nothing at the end.
  [[nodiscard]] std::optional<std::size_t> asked() const noexcept;
  /// The open offer, or nullptr.
  [[nodiscard]] const LearnOffer* offered() const noexcept;
  /// Returns the sources, as roles, that the target would have if the session ended now.
  [[nodiscard]] std::vector<std::string> sources(std::size_t question) const;
  /// Returns true if the target had this role and an answer to another question took it.
  [[nodiscard]] bool is_lost(std::size_t question, const std::string& role) const;
  /// The control that is currently pressed, as in an answer; may be empty.
  [[nodiscard]] const std::string& pressed() const noexcept;
  /// Returns how far a hold has progressed towards opening the menu, selecting or ending, 0 to 1.
  [[nodiscard]] double held(Time now) const noexcept;
  /// The choices of the open menu, empty if it is closed; and the index of the marked one.
  [[nodiscard]] const std::vector<LearnChoice>& menu() const noexcept;
  [[nodiscard]] std::size_t marked() const noexcept;
  /// The unit whose answers are accepted; empty if unknown.
  [[nodiscard]] const std::string& unit() const noexcept;
  [[nodiscard]] bool paused() const noexcept;
  [[nodiscard]] bool over() const noexcept;
  /// Returns true if any question was answered or skipped.
  [[nodiscard]] bool has_answers() const noexcept;
  /// Returns true if the user chose to end without saving.
  [[nodiscard]] bool discarded() const noexcept;
  /// Returns true if the session ended and its answers are to be saved.
  [[nodiscard]] bool kept() const noexcept;

 private:
  class Impl;
  std::unique_ptr<Impl> impl_;
};

/// Returns a line for the user, or an empty string if the event needs none.
[[nodiscard]] std::string to_text(const LearnEvent& event, const Learning& learning);
/// Returns the prompt of a question: "Press the control for "FIRE"."
[[nodiscard]] std::string to_text(const Question& question);

/// Returns the targets of a port in a natural order: directions, aiming and steering, fire buttons and shoulders in the
/// controller's order, start and similar buttons, all others. For a plug for two, those of the first player, or with
/// `second` of the second.
[[nodiscard]] std::vector<Question> questions_for(const Catalogue& catalogue, const Profile& profile, int port,
                                                  bool second = false);
/// Returns the questions that controls with these roles can answer. The names of all others are added to `left_out`.
[[nodiscard]] std::vector<Question> answerable(std::vector<Question> questions, const std::vector<std::string>& roles,
                                               std::vector<std::string>& left_out);

/// Returns the roles used by other targets of the same player, each with its target, for `LearnOptions::in_use`.
[[nodiscard]] std::vector<std::pair<std::string, std::string>> roles_in_use(const Catalogue& catalogue,
                                                                            const Profile& profile, int port,
                                                                            const std::vector<Question>& asked);

/// Returns the profile with the answers. Skipped targets are unassigned; four directions of one stick or d-pad become
/// one binding; a control moved from another target is removed there. Other targets are unchanged. With `adds`, answers
/// are added after the current sources.
[[nodiscard]] Profile with_answers(const Catalogue& catalogue, Profile profile, int port, const Learning& learning,
                                   bool adds = false);

}  // namespace omnipar::inline abi_0
