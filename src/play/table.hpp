// The table of all players: nodes connect and disconnect and are grouped into units; a first press claims the
// next seat, and a unit that was seated before returns to its own seat. Makes no system calls; hosts and the demo
// drive it.
//
// A unit, or each part of one:
//   new --identified by the rig--> playing
//   new --possibly or not in the rig--> waiting --press--> playing
//   playing or waiting --disconnected--> gone (its seat remains its own)
//   playing --streams, and half a second of silence--> out of range --reports--> playing
//   a part: playing or waiting --its socket is empty--> empty --a plug is connected--> playing or waiting
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <utility>
#include <vector>

#include "attach/gun_guess.hpp"
#include "host/node_part.hpp"
#include "omnipar/events.hpp"
#include "omnipar/omnipar.hpp"
#include "omnipar/session.hpp"

namespace omnipar::inline abi_0::play {

class Table {
 public:
  /// Engine and catalogue must outlive the table. Units that `rig` identifies are assigned to their seats if the plan
  /// has them. `tell` receives the events.
  Table(Engine& engine, const Catalogue& catalogue, Rig rig, EventHandler tell)
      : engine_(engine), catalogue_(catalogue), rig_(std::move(rig)), on_event_(std::move(tell)) {}

  /// `node` is the host's number. Unplayable nodes are ignored.
  void arrive(int node, const Description& description);
  void leave(int node);
  void report(int node, const Report& report);
  /// Advances time: streaming units that have fallen silent leave until they report again.
  void advance(Time now);
  /// When `advance` has something to do without an event.
  [[nodiscard]] std::optional<Time> next_due() const;
  /// The rig with newly assigned units and current sockets, without units that only replace a disconnected one.
  [[nodiscard]] const Rig& rig() const noexcept { return rig_; }
  /// Uncalibrated axes learn their ranges while playing. Must be called before the first `arrive`.
  void find_ranges_by_use() noexcept { by_use_ = true; }
  /// The time within which all nodes of a unit appear: missing controls are not reported earlier. Must be called before
  /// the first `arrive`.
  void nodes_come_within(Duration time) noexcept { patience_ = time; }
  /// The learned ranges of units, including disconnected ones.
  [[nodiscard]] std::vector<Calibration> ranges_by_use() const;
  /// The connected units; parts are listed separately.
  [[nodiscard]] std::vector<UnitHere> units() const;
  [[nodiscard]] std::vector<UnitDetails> unit_details() const;
  /// Releases everything and ends play for all units.
  void release_all();
  /// Assigns the unit to this seat, now and when it reconnects. Fails with `unknown-unit` and
  /// `unknown-seat`.
  [[nodiscard]] std::optional<Diagnostic> reseat(int unit, const std::string& seat);
  /// Removes the unit from its seat; it then waits like a new one. Fails with `unknown-unit`.
  [[nodiscard]] std::optional<Diagnostic> leave_seat(int unit);
  /// The seated units that hold one of these two buttons, if their seat holds both.
  [[nodiscard]] std::vector<int> holders(const std::string& modifier, const std::string& press) const;
  /// The free seats, in order.
  [[nodiscard]] std::vector<std::string> free_seats() const;
  /// A new player gets the first free seat in this list, even if it belongs to somebody else.
  void await(std::vector<std::string> seats) { awaited_ = std::move(seats); }
  /// The nodes in use.
  [[nodiscard]] std::vector<int> playing_nodes() const;
  /// Those of one seat, including parts of units assigned to it.
  [[nodiscard]] std::vector<host::NodePart> playing_parts(std::string_view seat) const;
  /// True if the code is a control of a unit playing on the node.
  [[nodiscard]] bool is_control(int node, Code code) const;
  /// True while a unit is assigned to the seat.
  [[nodiscard]] bool is_played(const std::string& seat) const;

 private:
  /// One node of a player.
  struct Share {
    int node = 0;
    Attachment attachment;
    std::optional<UnitId> playing;
  };
  /// A unit, or a part of one, and its seat.
  struct Player {
    std::string part;
    std::string name;
    std::string seat;  ///< empty: not assigned
    std::vector<Share> shares;
    int number = 0;             ///< its own attachment, from connection to disconnection
    bool told_no_seat = false;  ///< or that it is unusable
    bool empty = false;         ///< its socket is empty
    bool has_reported = false;
    ActivityDetector notice{};
    bool in_rig = false;  ///< it has a name from the rig
  };
  struct Device {
    Description unit;  ///< its main node, with the unit's own half
    std::vector<int> nodes;
    std::vector<Player> players;
    bool streams = false;
    bool out_of_range = false;  ///< sends continuously, but is silent
    Time last_heard{};
  };

  void release_share(const Share& share);
  static void note_ranges(std::vector<Calibration>& all, const std::string& unit, std::vector<AxisCalibration> axes);
  [[nodiscard]] std::set<int> related(const Description& node) const;
  void regroup(const std::set<int>& concerned);
  void tell_outdated(const std::string& name, const Attachment& attachment);
  void add_device(Device device);
  void update(Device& device, const std::vector<int>& nodes);
  void dismiss(const Device& device);
  [[nodiscard]] Device device_of(const UnitNodes& unit, const std::vector<int>& numbers,
                                 const std::vector<Description>& descriptions) const;
  [[nodiscard]] std::vector<std::string> present() const;
  [[nodiscard]] bool has_seat(const std::string& seat) const;
  void tell_of_others(const Player& player);
  [[nodiscard]] const RigUnit* known(const Description& unit, const std::string& part) const;
  [[nodiscard]] const RigUnit* perhaps(const Description& unit, const std::string& part) const;
  [[nodiscard]] Doubt doubt_of(const RigUnit& lost, const Description& unit, const std::string& part) const;
  [[nodiscard]] Share share_of(const Device& device, const Player& player, int node) const;
  [[nodiscard]] static std::vector<Change> changes_of(const Device& device, const Player& player, const Share& share,
                                                      const Report& report);
  void hear_waiting(Device& device, Player& player, Share& share, const Report& report);
  void ask_for_the_lost();
  [[nodiscard]] Rig everybody() const;
  void claim_seat(Device& device, Player& player);
  void seat_own(Device& device);
  void move_to(Device& device, Player& player, const std::string& seat);
  void leave_seat(Device& device, Player& player);
  void get_own_up(Device& device, const std::string& seat);
  [[nodiscard]] bool holds(const Player& player, const std::string& role) const;
  [[nodiscard]] std::vector<Change> present_state(const Share& share) const;
  template <typename Act>
  [[nodiscard]] std::optional<Diagnostic> with_unit(int unit, const Act& act);
  [[nodiscard]] bool is_of_use(const Player& player) const;
  [[nodiscard]] std::string called(const Device& device, const Player& player) const;
  [[nodiscard]] UnitHere here(const Device& device, const Player& player) const;
  bool look_into(const Device& device, Player& player, int node, const Report& report);
  void mark_unplugged(Player& player);
  void put_in(Player& player, int node, const Report& report);
  void let_go(Player& player);
  void fall_silent(Device& device);
  void speak_again(Device& device, int node, const Report& report);
  void assign_seat(Player& player, const std::string& name, const std::string& seat);
  void play(Player& player, bool again);
  void play_by_press(Player& player, bool again);
  bool attach(Player& player);
  [[nodiscard]] std::vector<std::string> roles_at(const std::string& seat) const;
  void guess_guns();
  void tell_what_it_has(const Player& player);
  void tell_what_is_whole();
  void tell_what_lacks(const Player& player);
  void tell_what_is_idle(const Player& player);

  Engine& engine_;
  const Catalogue& catalogue_;
  Rig rig_;
  bool by_use_ = false;
  std::vector<Calibration> reached_;  ///< of disconnected units
  Rig stand_ins_;                     ///< for this session
  EventHandler on_event_;
  std::map<int, Description> nodes_;
  std::multimap<std::string, int> by_key_;  ///< nodes by properties shared by nodes of one unit
  std::vector<Device> devices_;
  std::vector<std::pair<int, std::size_t>> device_of_;  ///< by node: index into the devices
  std::size_t last_found_ = 0;                          ///< the index that `report` found last
  std::string last_asked_;
  std::map<std::string, std::vector<std::string>> lacks_;  ///< what was reported, by seat
  std::set<int> told_idle_;                                ///< units already reported
  Duration patience_{0};
  Time now_{};
  std::map<int, Time> untold_;               ///< units with pending messages, and when these are due
  std::map<int, attach::GunGuess> guesses_;  ///< by node, while it may still be a gun
  Time next_guess_{};
  std::vector<std::string> awaited_;
  int last_number_ = 0;
  std::map<int, std::string> seated_;  ///< the names of seated units, by number
  bool any_streams_ = false;           ///< owned by a unit
};

}  // namespace omnipar::inline abi_0::play
