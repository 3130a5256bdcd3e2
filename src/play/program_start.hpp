// When the program that a play is for may start: everybody who has a unit is there, or somebody stands in; the system
// has announced the virtual devices; nothing is down.
#pragma once

#include <functional>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "host/nodes.hpp"
#include "host/watch.hpp"
#include "play/program_run.hpp"
#include "play/words.hpp"

namespace omnipar::play {

struct StartWish {
  const Rig& rig;                        ///< who has a unit
  std::optional<Duration> longest_wait;  ///< for those who are away; without it: as long as it takes
  bool alone = false;                    ///< the program cannot open the units that are played on
  const std::function<void(const std::string&)>& say;
};

class ProgramStart {
 public:
  /// All must outlive this.
  ProgramStart(os::Door& door, const StartWish& wish, const Engine& engine, const Table& table,
               const host::Nodes& nodes, const outlet::Outlets& outlets, ProgramRun& program, const Words& words)
      : door_(door),
        wish_(wish),
        engine_(engine),
        table_(table),
        nodes_(nodes),
        outlets_(outlets),
        program_(program),
        words_(words) {}

  /// Fails with `not-alone` where units are to be hidden from the program and cannot be.
  [[nodiscard]] std::optional<Diagnostic> refuses_alone() const;
  /// Waiting begins now.
  void begin();
  /// The seats that are waited for: those that the household has units for; else the first.
  [[nodiscard]] const std::vector<std::string>& seats() const noexcept { return seats_; }
  /// False if nobody who has a unit is away.
  bool ask_for_the_missing() const;
  /// The system has told everybody of this node of a virtual device.
  void announced(const std::string& node) { announced_.insert(node); }
  /// When to look again although nothing happens.
  [[nodiscard]] std::optional<Time> due() const;
  /// What has come, or is played on, since the start of a program that is alone is hidden from it, too.
  void hide_what_came(host::Watch& watch);
  /// Starts it once it may. Fails as `ProgramRun::start` does.
  [[nodiscard]] std::optional<Diagnostic> start_when_ready(host::Watch& watch);

 private:
  [[nodiscard]] bool is_missing(const std::string& seat) const { return !table_.is_played(seat); }
  [[nodiscard]] bool waits_for_units() const;
  [[nodiscard]] bool waits_for_announcement() const;
  [[nodiscard]] std::vector<std::string> hidden_places(host::Watch& watch) const;

  os::Door& door_;
  StartWish wish_;
  const Engine& engine_;
  const Table& table_;
  const host::Nodes& nodes_;
  const outlet::Outlets& outlets_;
  ProgramRun& program_;
  const Words& words_;
  Time began_{};
  std::vector<std::string> seats_;
  std::set<std::string> announced_;
  std::set<std::string> hidden_;  ///< places in /sys of what a program that is alone cannot open
  bool said_let_go_ = false;
};

}  // namespace omnipar::play
