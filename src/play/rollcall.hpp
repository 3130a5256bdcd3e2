// The rollcall: players press in order; a first press takes the next seat, a second one leaves it. Makes no system
// calls; hosts and rooms drive it.
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "omnipar/omnipar.hpp"
#include "play/gathering.hpp"
#include "play/listen.hpp"

namespace omnipar::inline abi_0::play {

class RollCall final : public ReportListener {
 public:
  /// The catalogue must outlive it. `say` receives one line for the user at a time.
  RollCall(const Catalogue& catalogue, std::vector<std::string> seats, std::function<void(const std::string&)> say);

  void ready() override;
  void arrived(int node, const Description& description, Time now) override;
  void left(int node, Time now) override;
  void on_report(int node, const Report& report) override;
  void waited(Time now) override;
  /// All seats have been taken for three seconds, or two buttons on one unit were held for two seconds, the exit
  /// combination without a keyboard.
  [[nodiscard]] bool done() const override;
  [[nodiscard]] std::optional<Time> next_due() const override;

  /// The units, or parts, and their seats, in order of seats.
  struct Seated {
    std::string seat;
    Description unit;  ///< its main node, with its own half
    std::string part;
  };
  [[nodiscard]] std::vector<Seated> seated() const;

  void broken_off() override { was_broken_off_ = true; }
  [[nodiscard]] bool was_broken_off() const noexcept { return was_broken_off_; }

  /// Applies the rollcall to a rig: identified units change their seats (and sockets, if unambiguous), others are
  /// added. Previous units of these seats lose them, unless `shared`. Other units are unchanged.
  [[nodiscard]] Rig applied_to(Rig rig, bool shared = false) const;

 private:
  /// A unit or part, identified by its main node and part.
  using Key = std::pair<std::string, std::string>;

  /// A unit's pressed buttons.
  struct Hand {
    std::map<int, std::vector<Code>> down;              ///< by node
    std::map<std::string, Seated> before;               ///< the seats before any of its buttons was pressed
    std::optional<Time> two_since;                      ///< the time since which at least two are down
    std::map<std::string, ActivityDetector> notices{};  ///< by part
  };

  void press(const Description& unit, const std::string& part, Time time);
  void ask();
  void follow_hand(Hand& hand, int node, const Report& report, const std::vector<Code>& buttons) const;
  [[nodiscard]] std::optional<Time> exit_at() const;
  void keep_as_before(const std::string& unit);
  void clear_seats(Rig& rig, const std::vector<std::string>& seated) const;
  void settle();

  bool was_broken_off_ = false;
  const Catalogue& catalogue_;
  std::vector<std::string> seats_;
  std::function<void(const std::string&)> say_;
  Gathering gathering_;
  std::map<std::string, Seated> taken_;  ///< by seat
  std::map<Key, Time> last_press_;
  std::map<std::string, Hand> hands_;  ///< by the unit's main node
  std::optional<Time> full_since_;
  bool left_early_ = false;
  Time now_;
};

}  // namespace omnipar::inline abi_0::play
