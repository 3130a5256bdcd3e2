// Fitting a gun by shooting at targets: a guide that asks a person for shots, and says what is wrong with them. Opens
// nothing, draws nothing and has no clock: it is told who is there, what they say and how late it is.
//
//   omnipar::Aiming aiming{options};
//   aiming.meet(node, "Gun 1", attachment);  // as the unit declares it; all guns that are there
//   aiming.hear(node, report) … aiming.advance(now) …
//   while (auto event = aiming.next_event()) show(to_text(*event, aiming));
//   if (aiming.kept()) calibration = merged(calibration, aiming.found());
//
// All of it is answered by pulling the trigger:
//
//   steady --pull--> around --pull--> shot 1 --pull--> shot 2 … --pull--> done --pull--> kept
//   of a positional gun instead: across --pull--> down --pull--> done; a sweep that wobbles: once more
//   a shot that cannot be used: why, and the same shot again
//   shots of which one went wild: that shot again, or up to three additional shots that tell which one it was; then
//   done asked for one of these --the trigger held for two seconds--> kept as it is, with the error bound that it has
//   done --the trigger held for two seconds--> shot 1
#pragma once

#include <cstddef>
#include <cstdint>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/attachment.hpp"
#include "omnipar/calibration.hpp"
#include "omnipar/gun_fit.hpp"
#include "omnipar/report.hpp"
#include "omnipar/screen.hpp"
#include "omnipar/time.hpp"

namespace omnipar::inline abi_0 {

/// A shot is where the gun pointed during this time before the trigger was pulled; during less time if it still moved.
inline constexpr Duration shot_time{250'000};

struct AimingOptions {
  Screen screen{};      ///< on which the targets are
  AreaBox within{};     ///< the part of it that targets are spread over
  int shots = 5;        ///< 2, 3, 4, 5 or 9
  bool test = true;     ///< a pointing test first
  bool sweeps = false;  ///< a positional gun: it is swept, one axis at a time, instead of shot with
  bool keeps = true;    ///< false: it ends with the last shot, and nobody is asked whether to keep what was fitted
  std::string unit{};   ///< the gun that is fitted; empty: the first that is fired
};

enum class AimingStep : std::uint8_t {
  who,     ///< several guns are there: the one that is fitted is to be fired
  steady,  ///< aim at the middle, hold still
  around,  ///< go along the edges, to all corners
  shot,    ///< aim at the target
  across,  ///< of a positional gun: turn it from left to right and back
  down,    ///< turn it up and down
  done,    ///< pull to keep
};

enum class AimingRefusal : std::uint8_t {
  none,
  silent,     ///< nothing is known of where it points
  missed,     ///< it did not see the screen
  other_gun,  ///< another one was fired: `unit`
  moving,     ///< it was still moving when the trigger was pulled
  bad_shot,   ///< the shot at `number` went wild; there is a fit all the same
  doubtful,   ///< one shot went wild, and an additional one may tell which; there is a fit all the same
  equal,      ///< this one has the same raw numbers as the one at another target
  in_line,    ///< all are in one line: from the first shot again
  cramped,    ///< all are nearly the same to the gun: from the first shot again
  no_sense,   ///< no view of a screen looks like this: from the first shot again
  wobble,     ///< the other axis was moved, too
  not_swept,  ///< it hardly moved
  same_axis,  ///< up and down moved the axis that left and right had moved
};

struct AimingEvent {
  enum class Kind : std::uint8_t {
    asks,     ///< for what `step` is; of a shot: the one of `number`
    refuses,  ///< `why`
    tested,   ///< `notes`: what the pointing test has shown, a sentence each
    takes,    ///< a shot was taken; `notes` says what is odd about it
    fits,     ///< all shots are there: see `fit`
    ends,
  };
  Kind kind = Kind::asks;
  AimingStep step = AimingStep::who;
  int number = 0;
  AimingRefusal why = AimingRefusal::none;
  std::string unit{};
  std::vector<std::string> notes{};
};

enum class AimingChoice : std::uint8_t {
  skip,   ///< the pointing test
  again,  ///< from the first shot
  keep,   ///< ends, and the fit is kept; without effect while there is none
  leave,  ///< ends, and nothing is kept
};

/// Belongs to one thread; allocates.
class Aiming {
 public:
  explicit Aiming(AimingOptions options);
  ~Aiming();
  Aiming(Aiming&&) noexcept;
  Aiming& operator=(Aiming&&) noexcept;

  /// This node of a unit is there, as the unit declares it, or is there again.
  void meet(int node, const std::string& unit, const Attachment& attachment);
  void lose(int node);
  void hear(int node, const Report& report);
  void advance(Time now);
  [[nodiscard]] std::optional<Time> next_due() const;
  [[nodiscard]] std::optional<AimingEvent> next_event();
  void choose(AimingChoice choice);

  [[nodiscard]] AimingStep step() const noexcept;
  /// Of a shot: which one, counted from 1, and of how many.
  [[nodiscard]] int number() const noexcept;
  [[nodiscard]] int count() const noexcept;
  /// What is to be aimed at now, a place of the screen; nothing while there is no such place.
  [[nodiscard]] std::optional<AreaPoint> target() const noexcept;
  /// The gun that is fitted; empty before it is known.
  [[nodiscard]] const std::string& unit() const noexcept;
  /// All that are there.
  [[nodiscard]] std::vector<std::string> guns() const;
  [[nodiscard]] const std::vector<Shot>& shots() const noexcept;
  /// Nothing before each target was shot at; from then on it can be kept, whatever is asked.
  [[nodiscard]] const std::optional<GunFit>& fit() const noexcept;
  /// Where it points by the fit, at present; nothing before there is one.
  [[nodiscard]] std::optional<AreaPoint> pointed() const noexcept;
  [[nodiscard]] const AimingOptions& options() const noexcept;
  /// What was found, without a unit's name and a day.
  [[nodiscard]] Calibration found() const;
  [[nodiscard]] bool over() const noexcept;
  [[nodiscard]] bool kept() const noexcept;

 private:
  class Inside;
  std::unique_ptr<Inside> inside_;
};

/// One line for people at arm's length; empty where nothing need be said.
[[nodiscard]] std::string to_text(const AimingEvent& event, const Aiming& aiming);
/// The error bound of a fit of five shots and more, and how far its shots scatter: a sentence.
[[nodiscard]] std::string bound_words(const GunFit& fit, const Screen& screen);
/// What is kept, a sentence each: the model, the error that is left, in pixels, and its bound.
[[nodiscard]] std::vector<std::string> fit_words(const GunFit& fit, const Screen& screen);

}  // namespace omnipar::inline abi_0
