// Mapping by pressing: asks for one target after the other, and takes a press for the answer. Opens nothing, draws
// nothing and has no clock: it is told who is there, what they say and how late it is, and says what it asks and
// what it has heard. What a command of ours does with it, an emulator's own screen can do, too.
//
//   omnipar::Learning learning{omnipar::questions_for(catalogue, profile, 1)};
//   learning.meet(node, "blue pad", unit, true);
//   learning.hear(node, report) … learning.advance(now) …
//   while (auto event = learning.next_event()) show(to_text(*event, learning));
//   if (learning.kept()) profile = with_answers(catalogue, profile, 1, learning);
//
// All of it can be done from the unit that is learned:
//
//   asks     --press--> echo --release--> the answer, and the next question
//   asks     --hold--> the menu: a press goes to the next choice, a hold takes it;  --held on--> the end
//   the end  --press--> says what the control does now;  --hold--> the menu, to keep it;  --held on--> kept
//   anywhere --two controls held for 2 s--> ends, and nothing is kept
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

/// How a raw axis or counter is moved for an answer.
enum class LearnMotion : std::uint8_t {
  push,  ///< to one side, and back
  turn,  ///< the same, but it may stay where it was moved to
  span,  ///< to one end, then to the other, where any button is pressed: the side on which it ends counts
};

/// One thing that is asked for.
struct Question {
  std::string name;                      ///< the target: "up", "fire", "stick"
  TargetKind kind = TargetKind::button;  ///< what has to be done: pressed, pushed and released, swept, moved
  std::string place{};                   ///< the role whose place it has on the real thing; may be empty
  std::string opposite{};                ///< of a direction: the other one; where one axis has both, both are answered
  std::string words{};                   ///< what is said for it; empty: by its kind and name
  LearnMotion motion = LearnMotion::push;
  bool upwards = false;            ///< of a raw axis: it is moved to the side that most units count from, such as up
  std::vector<std::string> now{};  ///< the roles that feed it until now
  bool is_own = false;             ///< somebody has chosen them: a skip leaves them, and does not empty the target
  friend bool operator==(const Question&, const Question&) = default;
};

/// What a question has been answered with, as a binding names it.
struct LearnedSource {
  std::string role;  ///< a role, or one direction of a stick or a d-pad: "south", "left-stick-up"
  std::string unit;
  bool invert_x = false;
  bool invert_y = false;
  int node = 0;  ///< where it came from: of a pair the half that moved most
  Code code{};
  int side = 0;        ///< of an axis, to which side: -1 or 1
  bool moved = false;  ///< no other target has it any more
  double rests = 0;    ///< of a raw axis: where, from -1, its lower end, to 1
  std::string with{};  ///< another control that the same press moves
  friend bool operator==(const LearnedSource&, const LearnedSource&) = default;
};

struct Answer {
  enum class State : std::uint8_t {
    open,
    given,
    skipped,    ///< it stays empty, or is emptied, on purpose
    as_before,  ///< it was skipped, and keeps what it has
  };
  State state = State::open;
  std::vector<LearnedSource> sources{};
  friend bool operator==(const Answer&, const Answer&) = default;
};

/// What can be chosen in the menu, or at once by `Learning::choose`.
enum class LearnChoice : std::uint8_t {
  back,       ///< the last answer is taken back, and asked for again
  skip,       ///< this target keeps what somebody has chosen for it; if nobody has, it stays empty on purpose
  clear,      ///< this target is emptied on purpose, whatever it has
  again,      ///< this question from the start; at the end: that of the control that was pressed last
  remaining,  ///< at the end: asks for what is still open
  keep,       ///< goes to the end, where all can be tried; there: ends, and what was answered is kept
  leave,      ///< ends, and nothing is kept; if something was answered, only when it is chosen twice
  stay,       ///< does not leave
};
/// One word for people.
[[nodiscard]] std::string_view word_of(LearnChoice choice) noexcept;

/// What becomes of a control that is another target's already.
enum class WhenUsed : std::uint8_t { ask, both, moved, left };

/// Something to be decided before the questions, by the unit itself: a press goes to the next choice, a hold takes it.
struct LearnOffer {
  std::string name;
  std::string words;
  std::vector<std::string> choices;
  std::size_t marked = 0;
};

struct LearnOptions {
  bool all_units = false;  ///< take answers from all units, not only from those that are this seat's
  bool adds = false;       ///< answers come on top of what a target has; a skip leaves that
  bool for_sheet = false;  ///< the controls are raw ones, and each can be one thing only: the answers make a sheet
  bool ends_when_used_up = false;  ///< what no control is left for is not asked
  WhenUsed used = WhenUsed::ask;
  /// Roles that targets have which are not asked for, with the target's name.
  std::vector<std::pair<std::string, std::string>> in_use{};
  /// To be decided first, as soon as a unit answers; `Learning::offer` may still change them.
  std::vector<LearnOffer> offers{};
  Duration hold{1'600'000};  ///< so long a press is held until it opens the menu: slow hands press for 1.5 s
  std::optional<Duration> skip_after{};  ///< a question that nobody answers is skipped behind this; nothing: never
};

/// Why a press or a push is not an answer.
enum class LearnRefusal : std::uint8_t {
  none,
  two_at_once,  ///< more than one control was down
  too_soon,     ///< it began before the question could be read
  too_brief,    ///< an axis moved for so short that it may have been noise
  both_ways,    ///< an axis went to both sides
  left_out,     ///< it is left out, because it is odd
  wobble,       ///< an axis moved, but another one moved nearly as far
  too_short,    ///< an axis did not go over half its way
  wrong_kind,   ///< such a control cannot move such a target
  half_of_it,   ///< of a stick only one axis was swept
  used,         ///< the control is another target's; pressed once more it serves both, held it moves over
  repeated,     ///< the same control again, sooner than a question can be read
  other_unit,   ///< it is another seat's
};

/// One thing that has just happened.
struct LearnEvent {
  enum class Kind : std::uint8_t {
    meets,        ///< answers come from `unit` from now on
    asks,         ///< `question`, and nothing is down
    waits,        ///< something is still down: `role` of `unit`; `detail`: "unclear", if it is not known where it rests
    hears,        ///< `role` of `unit` is pressed; not yet an answer
    takes,        ///< `role` is the answer to `question`; `by_itself`: because the opposite direction was answered;
                  ///< `target` has it, too
    skips,        ///< `question` stays empty, or as it is; `by_itself`: because no control is left for it
    refuses,      ///< `why`; where it says how far: `seen` of `role`, `other` of `other_role`
    opens,        ///< the menu: `choice` is marked
    chooses,      ///< `choice`
    offers,       ///< `role` is marked of the choices of an offer
    decides,      ///< `role` was taken of the offer `target`
    loses,        ///< at an early end: the open `question` has lost what it had, as another target has it now
    tries,        ///< at the end: `role` was pressed, and `target` is what it does, or nothing
    ends_asking,  ///< all questions are answered or skipped: it can be tried and kept
    leaves_out,   ///< `role` of `unit` is odd (`odd`) and is not heard until it is not
    notices,      ///< `role` of `unit` is odd, but heard
    takes_back,   ///< `unit` was pulled out while something was held: that was no answer to `question`
    pauses,       ///< `unit` has left in the middle
    goes_on,      ///< it is back
    ends,         ///< nothing more is asked; `kept` says whether it is to be kept; `detail`: "held", if by two controls
  };
  Kind kind = Kind::asks;
  std::size_t question = 0;
  std::string unit{};
  std::string role{};
  std::string other_role{};
  std::string target{};
  std::string odd{};     ///< "stuck", "unknown", "bounces", "jitters", "shakes", "jumps", "stays"
  std::string detail{};  ///< of `takes`: which way it runs, in words; of `waits`: "unclear"; of `ends`: "held"
  LearnRefusal why = LearnRefusal::none;
  LearnChoice choice = LearnChoice::back;
  bool by_itself = false;
  double seen = 0;
  double other = 0;
};

/// Asks its questions in order. Belongs to one thread; allocates.
class Learning {
 public:
  explicit Learning(std::vector<Question> questions, LearnOptions options = {});
  ~Learning();
  Learning(Learning&&) noexcept;
  Learning& operator=(Learning&&) noexcept;

  /// This node of a unit is there, or is there again; `state` of the attachment is how it stands. `ours`: answers come
  /// from it; if no unit is, from the first on which something is pressed, with that press as no answer yet.
  void meet(int node, const std::string& unit, const Attachment& attachment, bool ours);
  void lose(int node);
  /// What a node says, in order of time. Nodes that are not there are ignored.
  void hear(int node, const Report& report);
  /// Time goes on although nothing comes.
  void advance(Time now);
  /// When `advance` has something to do; nothing while all is at rest.
  [[nodiscard]] std::optional<Time> next_due() const;
  /// The oldest that nobody has taken yet.
  [[nodiscard]] std::optional<LearnEvent> next_event();

  /// Asks only for these of its questions. Of no effect once something is answered.
  void ask_only(const std::vector<std::string>& names);
  /// Replaces the questions. Does nothing once something is answered.
  void set_questions(std::vector<Question> questions);
  /// Queues an offer, which is made as soon as a unit answers, before the questions; one of the same name is replaced.
  void offer(LearnOffer offer);
  /// Takes up the answers of an earlier session, by the names of their questions, and asks for the first that is still
  /// open. Does nothing once something is answered.
  void resume(const std::vector<std::pair<std::string, Answer>>& answers);
  /// Takes the place of `LearnOptions::in_use`.
  void set_in_use(std::vector<std::pair<std::string, std::string>> in_use);
  /// The same as by the menu, such as from a key. What makes no sense now does nothing.
  void choose(LearnChoice choice);
  /// Of an offer: marks the next choice, or takes the marked one.
  void mark_next();
  void decide();
  /// Ends at once; what was answered is to be kept.
  void keep();
  /// Asks one question once more; the others stay as they are.
  void ask_again(std::size_t question);

  [[nodiscard]] const std::vector<Question>& questions() const noexcept;
  /// One for each question.
  [[nodiscard]] const std::vector<Answer>& answers() const noexcept;
  /// The one that is asked now; nothing at the end.
  [[nodiscard]] std::optional<std::size_t> asked() const noexcept;
  /// The offer that is open; nothing while there is none.
  [[nodiscard]] const LearnOffer* offered() const noexcept;
  /// The roles that feed this question's target if it ends now.
  [[nodiscard]] std::vector<std::string> sources(std::size_t question) const;
  /// True if an answer to another question has taken this role, which has fed the question's target.
  [[nodiscard]] bool is_lost(std::size_t question, const std::string& role) const;
  /// What is pressed right now, as an answer would name it; may be empty.
  [[nodiscard]] const std::string& pressed() const noexcept;
  /// How full the bar is that opens the menu, takes a choice or ends it all: 0..1.
  [[nodiscard]] double held(Time now) const noexcept;
  /// The choices while the menu is open, else none; and which one is marked.
  [[nodiscard]] const std::vector<LearnChoice>& menu() const noexcept;
  [[nodiscard]] std::size_t marked() const noexcept;
  /// The unit that answers; empty before one is known.
  [[nodiscard]] const std::string& unit() const noexcept;
  [[nodiscard]] bool paused() const noexcept;
  [[nodiscard]] bool over() const noexcept;
  /// True if anything is answered or skipped.
  [[nodiscard]] bool has_answers() const noexcept;
  /// True once somebody has chosen to leave: what was answered is not wanted.
  [[nodiscard]] bool discarded() const noexcept;
  /// True once it has ended and is to be kept.
  [[nodiscard]] bool kept() const noexcept;

 private:
  class Inside;
  std::unique_ptr<Inside> inside_;
};

/// What is to be said of an event: one line, fit for people at arm's length. Empty where nothing need be said.
[[nodiscard]] std::string to_text(const LearnEvent& event, const Learning& learning);
/// What is to be done for the question that is asked: "Press what shall be FIRE", "Sweep …".
[[nodiscard]] std::string to_text(const Question& question);

/// The targets of a port in the order of a hand: directions, what aims and steers, fire buttons and shoulders in
/// the order of the controller, start and the like, the rest. Of a plug for two those of its first player, or with
/// `second` those of its second.
[[nodiscard]] std::vector<Question> questions_for(const Catalogue& catalogue, const Profile& profile, int port,
                                                  bool second = false);
/// Those that controls of these roles can answer at all; `left_out` gets the names of the others.
[[nodiscard]] std::vector<Question> answerable(std::vector<Question> questions, const std::vector<std::string>& roles,
                                               std::vector<std::string>& left_out);

/// The roles that other targets of the same player have now, each with its target: for `LearnOptions::in_use`.
[[nodiscard]] std::vector<std::pair<std::string, std::string>> roles_in_use(const Catalogue& catalogue,
                                                                            const Profile& profile, int port,
                                                                            const std::vector<Question>& asked);

/// The profile with what was answered: a target that was skipped is empty on purpose, the four directions of one stick
/// or d-pad are one binding, and a control that was moved from another target is that one's no more. Targets of which
/// nothing was said stay as they are, but for controls that an answer has given to another one. With `adds` what a
/// target had stays, and the new follows.
[[nodiscard]] Profile with_answers(const Catalogue& catalogue, Profile profile, int port, const Learning& learning,
                                   bool adds = false);

}  // namespace omnipar::inline abi_0
