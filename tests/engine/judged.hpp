// Engine and slow twin side by side: both get the same calls, and what readers show is compared.
#pragma once

#include <array>
#include <cstdint>
#include <deque>
#include <map>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "slow_twin.hpp"

namespace omnipar::test {

/// The sheets for stories: all shipped machines, and the kit.
[[nodiscard]] const Catalogue& story_catalogue();
/// Profiles of all machines, with every accessory plugged in, every second seat assigned, or one seat for all; and of
/// the kit with every kind of shape.
[[nodiscard]] const std::vector<Profile>& story_profiles();
/// True if it has a pointer and its trigger.
[[nodiscard]] bool can_shoot(const ControllerSheet& sheet);
/// Profiles of a booth with every pointer stage, in different areas and on two screens.
[[nodiscard]] std::vector<Profile> booth_profiles();
/// A profile of the kit that uses every kind of shape.
[[nodiscard]] Profile shaped_profile();

class Judged {
 public:
  explicit Judged(const Profile& profile);
  ~Judged();

  void attach(std::size_t unit, const Attachment& attachment);
  void detach(std::size_t unit);
  void feed(std::size_t unit, const std::vector<Change>& changes);
  void wait(std::int64_t us);
  void freeze_or_thaw();
  void adopt(const Profile& profile);
  /// A reader samples once.
  void sample(std::size_t reader);
  /// Samples until the reader has nothing more to show; by then it must have shown what the twin expects.
  void look(std::size_t reader);
  void look_by_all();
  [[nodiscard]] bool plugged(std::size_t unit) const { return plugged_.at(unit); }

  static constexpr std::size_t units = 14;
  static constexpr std::size_t readers = 3;  ///< the last one is paced

 private:
  class Watch;
  struct Opposites {
    std::uint16_t one = 0, other = 0;  ///< indices in the plan
    const SlowTwin::Value* first = nullptr;
    const SlowTwin::Value* second = nullptr;
    SlowTwin::Value first_before, second_before;  ///< as at the start of the act
    std::string name;                             ///< of the first
  };
  void find_opposites();
  void begin_act();
  void note_together();
  void tell(std::string act);
  [[noreturn]] void complain(const std::string& what) const;

  Engine engine_;
  SlowTwin twin_;
  std::vector<Opposites> opposites_;
  std::vector<std::unique_ptr<Watch>> watches_;
  std::deque<std::string> story_;  ///< the last acts, for failure messages
  std::array<UnitId, units> ids_{};
  std::array<bool, units> plugged_{};
  std::int64_t now_ = 0;
};

/// Plays the story encoded by any bytes on engine and twin. Returns their first disagreement as text, or
/// nothing.
[[nodiscard]] std::optional<std::string> judge_story(std::span<const std::uint8_t> bytes);
/// The same, mostly with a given profile.
[[nodiscard]] std::optional<std::string> judge_story(std::span<const std::uint8_t> bytes, std::optional<Profile> own);
/// A profile generated from bytes, valid or not.
[[nodiscard]] Profile made_profile(std::span<const std::uint8_t> bytes);
/// Compiles a profile generated from bytes, with all its mistakes, and plays a story with it if it has none.
[[nodiscard]] std::optional<std::string> judge_profile(std::span<const std::uint8_t> bytes);

}  // namespace omnipar::test
