// The table that everybody plays at: nodes come and go and are grouped into units; a first press takes the
// next seat, and a unit that was here before gets its own seat back. Calls no system; hosts and the demo
// drive it.
//
// A unit, or each part of one:
//   new --the rig knows it for sure--> playing
//   new --the rig may know it, or does not--> waiting --press--> playing
//   playing or waiting --leaves--> gone (its seat stays its own)
//   playing --streams, and half a second of silence--> out of range --speaks--> playing
//   a part: playing or waiting --its socket is empty--> empty --a plug is put in--> playing or waiting
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <utility>
#include <vector>

#include "host/node_part.hpp"
#include "omnipar/omnipar.hpp"

namespace omnipar::play {

/// What is found in a socket, or happens to it.
enum class Plug : std::uint8_t { none, put_in, taken_out };

/// Why a unit that may be somebody's is not known for sure.
struct Doubt {
  bool moved = false;   ///< it is not in the socket where it was
  bool others = false;  ///< others that look just like it are there or away, too
};

/// What the table tells; each call is one thing that has just happened. Pointers are never kept.
class Listener {
 public:
  virtual ~Listener() = default;
  /// A unit plays from a seat, for the first time or again. Ports are those of the seat.
  virtual void seated(const std::string& seat, const std::string& unit, bool again) = 0;
  /// What a unit has of its own, besides its players' parts, serves this seat, too.
  virtual void joined(const std::string& seat, const std::string& unit) = 0;
  /// A unit has left; its seat is kept for it.
  virtual void left(const std::string& seat, const std::string& unit) = 0;
  /// A part's socket: that it is empty from the first, or what happens to the plug. What is taken out of somebody's
  /// seat has left it, and what is put in again plays on.
  virtual void socket(const std::string& seat, const std::string& unit, Plug plug) = 0;
  /// A unit that nobody has pressed yet.
  virtual void waiting(const std::string& unit) = 0;
  /// The same of a unit whose seat of the rig is none of the plan's: it is a player like any other.
  virtual void seat_is_elsewhere(const std::string& unit, const std::string& seat) {
    static_cast<void>(unit), static_cast<void>(seat);
  }
  /// A unit plays from a seat from which this other one plays, too.
  virtual void beside(const std::string& seat, const std::string& unit, const std::string& other) {
    static_cast<void>(seat), static_cast<void>(unit), static_cast<void>(other);
  }
  /// A unit may be that of this seat: its player should press a button. Why it is not known for sure: it is
  /// `moved` from the socket where it was, and `others` may be meant as well.
  virtual void asked(const std::string& seat, const std::string& unit, Doubt doubt) = 0;
  /// A press on a unit that has nothing of what the plan uses.
  virtual void no_use(const std::string& unit) = 0;
  /// A press found no free seat.
  virtual void no_seat(const std::string& unit) = 0;
  /// What plays from the seat, all together, has nothing for these targets of its ports; told when a unit that the
  /// seat gets changes that.
  virtual void lacks(const std::string& seat, const std::string& unit, const std::vector<std::string>& targets) {
    static_cast<void>(seat), static_cast<void>(unit), static_cast<void>(targets);
  }
  virtual void cannot_attach(const Diagnostic& why) = 0;
};

class Table {
 public:
  /// The engine, the catalogue and the listener must outlive the table. Units that `rig` knows for sure sit down
  /// by themselves, where the plan has their seat.
  Table(Engine& engine, const Catalogue& catalogue, Rig rig, Listener& listener)
      : engine_(engine), catalogue_(catalogue), rig_(std::move(rig)), listener_(listener) {}

  /// `node` is the host's own number for it. Nodes that nobody can play on are ignored.
  void arrive(int node, const Description& description);
  void leave(int node);
  void report(int node, const Report& report);
  /// Lets time pass: units that always stream and have fallen silent leave, until they speak again.
  void advance(Time now);
  /// When `advance` has something to do although nothing happens.
  [[nodiscard]] std::optional<Time> next_due() const;
  /// The household's units, with those that have sat down for the first time, and the sockets they are in now.
  /// Who only stands in for somebody who is away is not among them.
  [[nodiscard]] const Rig& rig() const noexcept { return rig_; }
  /// Seats that nobody has taken yet, in order.
  [[nodiscard]] std::vector<std::string> free_seats() const;
  /// Who is new takes the first of these seats that nobody plays from, though it is somebody else's.
  void await(std::vector<std::string> seats) { awaited_ = std::move(seats); }
  /// The nodes that somebody plays on.
  [[nodiscard]] std::vector<int> playing_nodes() const;
  /// Those of one seat, with the parts of units that play from it.
  [[nodiscard]] std::vector<host::NodePart> playing_parts(std::string_view seat) const;
  /// True if the code is a control of whoever plays on the node.
  [[nodiscard]] bool is_control(int node, Code code) const;
  /// True while somebody plays from the seat.
  [[nodiscard]] bool is_played(const std::string& seat) const;

 private:
  /// One node's share in a place at the table.
  struct Share {
    int node = 0;
    Attachment attachment;
    std::optional<UnitId> playing;
  };
  /// A unit, or a part of one, and its seat.
  struct Place {
    std::string part;
    std::string name;
    std::string seat;  ///< empty: nobody's yet
    std::vector<Share> shares;
    int number = 0;             ///< its own, from its coming to its leaving
    bool told_no_seat = false;  ///< or that it is of no use
    bool empty = false;         ///< nothing is in its socket
    bool heard = false;
    ActivityDetector notice{};
  };
  struct Guest {
    Description unit;  ///< its main node, with the unit's own half
    std::vector<int> nodes;
    std::vector<Place> places;
    bool streams = false;
    bool out_of_range = false;  ///< streams, but has not been heard
    Time last_heard{};
  };

  [[nodiscard]] std::set<int> related(const Description& node) const;
  void regroup(const std::set<int>& concerned);
  void welcome(Guest guest);
  void update(Guest& guest, const std::vector<int>& nodes);
  void dismiss(const Guest& guest);
  [[nodiscard]] Guest guest_of(const UnitNodes& unit, const std::vector<int>& numbers,
                               const std::vector<Description>& descriptions) const;
  [[nodiscard]] std::vector<std::string> present() const;
  [[nodiscard]] bool has_seat(const std::string& seat) const;
  void tell_of_others(const Place& place);
  [[nodiscard]] const RigUnit* known(const Description& unit, const std::string& part) const;
  [[nodiscard]] const RigUnit* perhaps(const Description& unit, const std::string& part) const;
  [[nodiscard]] Doubt doubt_of(const RigUnit& lost, const Description& unit, const std::string& part) const;
  [[nodiscard]] Share share_of(const Guest& guest, const Place& place, int node) const;
  [[nodiscard]] static std::vector<Change> changes_of(const Guest& guest, const Place& place, const Share& share,
                                                      const Report& report);
  void hear_waiting(Guest& guest, Place& place, Share& share, const Report& report);
  void ask_for_the_lost();
  void take_seat(Guest& guest, Place& place);
  void seat_own(Guest& guest);
  [[nodiscard]] bool is_of_use(const Place& place) const;
  [[nodiscard]] std::string called(const Guest& guest, const Place& place) const;
  bool look_into(const Guest& guest, Place& place, int node, const Report& report);
  void take_out(Place& place);
  void put_in(Place& place, int node, const Report& report);
  void let_go(Place& place);
  void fall_silent(Guest& guest);
  void speak_again(Guest& guest, int node, const Report& report);
  void sit_down(Place& place, const std::string& name, const std::string& seat);
  void play(Place& place, bool again);
  void play_by_press(Place& place, bool again);
  bool attach(Place& place);
  [[nodiscard]] std::vector<std::string> roles_at(const std::string& seat) const;
  void tell_what_lacks(const Place& place);

  Engine& engine_;
  const Catalogue& catalogue_;
  Rig rig_;
  Rig stand_ins_;  ///< for this evening
  Listener& listener_;
  std::map<int, Description> nodes_;
  std::multimap<std::string, int> by_key_;  ///< nodes by what those have in common that may be of one unit
  std::vector<Guest> guests_;
  std::vector<std::pair<int, std::size_t>> guest_of_;  ///< by node: its place in the guests
  std::size_t last_found_ = 0;                         ///< where `report` found the last one in these
  std::string last_asked_;
  std::map<std::string, std::vector<std::string>> lacks_;  ///< what was told, by seat
  std::vector<std::string> awaited_;
  int last_number_ = 0;
  std::map<int, std::string> seated_;  ///< the names of those that have a seat, by number
  bool any_streams_ = false;           ///< somebody who was here does
};

}  // namespace omnipar::play
