// The table that everybody plays at: units come and go, a first press takes the next seat, and a unit
// that was here before gets its own seat back. Calls no system; hosts and the demo drive it.
//
// A unit:  new --arrives, known to the rig--> playing
//          new --arrives, unknown--> waiting --press--> playing
//          playing or waiting --leaves--> gone (its seat stays its own)
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "omnipar/omnipar.hpp"

namespace omnipar::play {

/// What the table tells; each call is one thing that has just happened. Pointers are never kept.
class Listener {
 public:
  virtual ~Listener() = default;
  /// A unit plays from a seat, for the first time or again. Ports are those of the seat.
  virtual void seated(const std::string& seat, const std::string& unit, bool again) = 0;
  /// A unit has left; its seat is kept for it.
  virtual void left(const std::string& seat, const std::string& unit) = 0;
  /// A unit that nobody has pressed yet.
  virtual void waiting(const std::string& unit) = 0;
  /// A press found no free seat.
  virtual void no_seat(const std::string& unit) = 0;
  virtual void cannot_attach(const Diagnostic& why) = 0;
};

class Table {
 public:
  /// The engine, the catalogue and the listener must outlive the table. Units that `rig` knows sit down by
  /// themselves, where the plan has their seat.
  Table(Engine& engine, const Catalogue& catalogue, Rig rig, Listener& listener)
      : engine_(engine), catalogue_(catalogue), rig_(std::move(rig)), listener_(listener) {}

  /// `host_unit` is the host's own number for the unit. Units that are no controllers are ignored.
  void arrive(int host_unit, const Description& description);
  void leave(int host_unit);
  void report(int host_unit, const Report& report);
  [[nodiscard]] const Rig& rig() const noexcept { return rig_; }
  /// Seats that nobody has taken yet, in order.
  [[nodiscard]] std::vector<std::string> free_seats() const;

 private:
  struct Guest {
    int host_unit = 0;
    Description description;
    Attachment attachment;
    std::optional<UnitId> playing;
    bool told_no_seat = false;
  };

  [[nodiscard]] Guest* find(int host_unit) noexcept;
  [[nodiscard]] std::vector<std::string> present() const;
  [[nodiscard]] std::optional<std::string> seat_for_newcomer() const;
  void remember(Guest& guest, std::span<const Change> changes);
  void take_seat(Guest& guest);
  void play(Guest& guest, bool again);

  Engine& engine_;
  const Catalogue& catalogue_;
  Rig rig_;
  Listener& listener_;
  std::vector<Guest> guests_;
};

}  // namespace omnipar::play
