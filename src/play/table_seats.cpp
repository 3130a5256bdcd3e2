// Seats: which units the rig identifies, which unit gets which seat, and the resulting events.
#include <algorithm>
#include <utility>

#include <fmt/format.h>

#include "catalogue/lookup.hpp"
#include "omnipar/hid.hpp"
#include "omnipar/bindings.hpp"
#include "play/gathering.hpp"
#include "play/table.hpp"

namespace omnipar::inline abi_0::play {

// -- units of the rig --------------------------------------------------------------------------------------

std::vector<std::string> Table::present() const {
  std::vector<std::string> names;
  for (const auto& [number, name] : seated_) names.push_back(name);
  return names;
}

bool Table::is_played(const std::string& seat) const {
  return std::ranges::any_of(devices_, [&](const Device& device) {
    return std::ranges::any_of(device.players,
                               [&seat](const Player& player) { return player.seat == seat && !player.empty; });
  });
}

bool Table::has_seat(const std::string& seat) const {
  const auto seats = engine_.plan().seats();
  return std::ranges::find(seats, seat) != seats.end();
}

std::vector<std::string> Table::free_seats() const {
  std::vector<std::string> seats;
  for (const std::string& seat : engine_.plan().seats())
    if (std::ranges::find(rig_.units, seat, &RigUnit::seat) == rig_.units.end() && !is_played(seat))
      seats.push_back(seat);
  return seats;
}

const RigUnit* Table::known(const Description& unit, const std::string& part) const {
  if (matches(rig_, unit, part).empty() && matches(stand_ins_, unit, part).empty()) return nullptr;
  const auto names = present();
  const RigUnit* found = find_unit(rig_, unit, names, part);
  if (found != nullptr && has_seat(found->seat)) return found;
  const RigUnit* stand_in = find_unit(stand_ins_, unit, names, part);
  return stand_in != nullptr ? stand_in : found;
}

/// Among the rig's units that may match this one, the disconnected one with the first seat.
const RigUnit* Table::perhaps(const Description& unit, const std::string& part) const {
  const auto candidates = matches(rig_, unit, part);
  if (candidates.empty()) return nullptr;
  const auto names = present();
  for (const std::string& seat : engine_.plan().seats())
    for (const Match& match : candidates)
      if (match.confidence == MatchConfidence::maybe && match.unit->seat == seat &&
          std::ranges::find(names, match.unit->name) == names.end())
        return match.unit;
  return nullptr;
}

// -- playing ------------------------------------------------------------------------------------------------

void Table::play(Player& player, bool again) {
  if (!attach(player)) return;
  on_event_(Seated{player.seat, player.name, again, player.number});
  tell_of_others(player);
  if (again)
    untold_[player.number] = now_ + patience_;
  else
    tell_what_it_has(player);
}

/// All its nodes are present, as far as can be known.
void Table::tell_what_it_has(const Player& player) {
  untold_.erase(player.number);
  tell_what_lacks(player);
  tell_what_is_idle(player);
}

void Table::tell_what_is_whole() {
  for (const Device& device : devices_)
    for (const Player& player : device.players) {
      const auto at = untold_.find(player.number);
      if (at == untold_.end() || at->second > now_) continue;
      player.seat.empty() || player.empty || device.out_of_range ? static_cast<void>(untold_.erase(at))
                                                                 : tell_what_it_has(player);
    }
}

void Table::play_by_press(Player& player, bool again) {
  for (Share& share : player.shares) share.attachment.by_press = true;
  play(player, again);
}

/// If an owner returns while a replacement plays, both play.
void Table::tell_of_others(const Player& player) {
  for (const Device& device : devices_)
    for (const Player& other : device.players)
      if (&other != &player && other.seat == player.seat && other.part != hid::own_part && !other.empty &&
          !device.out_of_range &&
          std::ranges::any_of(other.shares, [](const Share& share) { return share.playing.has_value(); }))
        return on_event_(Beside{player.seat, player.name, other.name, player.number, other.number});
}

/// An adapter's own controls serve its players.
std::vector<std::string> Table::roles_at(const std::string& seat) const {
  std::vector<std::string> roles;
  for (const Device& device : devices_) {
    const auto is_its = [&](const Player& player) { return player.seat == seat && !player.empty; };
    const bool is_here = std::ranges::any_of(device.players, is_its);
    for (const Player& player : device.players) {
      if (!is_its(player) && !(is_here && player.part == hid::own_part && player.seat.empty())) continue;
      for (const Share& share : player.shares)
        for (std::string& role : roles_of(share.attachment)) roles.push_back(std::move(role));
    }
  }
  return roles;
}

void Table::tell_what_lacks(const Player& player) {
  const std::vector<std::string> targets = unserved(engine_.plan(), player.seat, roles_at(player.seat));
  std::vector<std::string>& reported = lacks_[player.seat];
  if (reported != targets && !targets.empty()) on_event_(Lacks{player.seat, player.name, targets, player.number});
  reported = targets;
}

/// Reports controls without a target at its seat, and those without a role; once for each unit.
void Table::tell_what_is_idle(const Player& player) {
  std::vector<std::string> controls;
  const auto add = [&controls](std::vector<std::string> names) {
    for (std::string& name : names)
      if (std::ranges::find(controls, name) == controls.end()) controls.push_back(std::move(name));
  };
  for (const Share& share : player.shares) {
    add(idle_roles(engine_.plan(), share.attachment));
    if (player.part.empty()) add(roleless_controls(nodes_.at(share.node), share.attachment));
  }
  if (!controls.empty() && told_idle_.insert(player.number).second)
    on_event_(Idle{player.seat, player.name, std::move(controls), player.number});
}

/// False if it has nothing playable.
bool Table::attach(Player& player) {
  bool attached = false;
  for (Share& share : player.shares) {
    if (share.attachment.controls.empty()) continue;
    share.attachment.unit = player.name;
    share.attachment.seat = player.seat;
    const auto unit = engine_.attach(share.attachment);
    share.attachment.by_press = false;
    if (!unit) {
      on_event_(Refused{unit.error()});
      continue;
    }
    share.playing = *unit;
    attached = true;
  }
  return attached;
}

Doubt Table::doubt_of(const RigUnit& lost, const Description& unit, const std::string& part) const {
  const auto names = present();
  const auto may_be = [&](const Device& device) {
    return std::ranges::any_of(matches(rig_, device.unit, part), [&](const Match& match) {
      return match.unit == &lost && match.confidence == MatchConfidence::maybe;
    });
  };
  const auto is_away = [&](const Match& match) {
    return match.confidence == MatchConfidence::maybe && std::ranges::find(names, match.unit->name) == names.end();
  };
  const bool others =
      std::ranges::count_if(matches(rig_, unit, part), is_away) > 1 || std::ranges::count_if(devices_, may_be) > 1;
  return {!lost.socket.empty() && lost.socket != unit.socket, others};
}

/// Identical units in other sockets: asks for one seat after another.
void Table::ask_for_the_lost() {
  const auto names = present();
  const bool any_away = std::ranges::any_of(rig_.units, [&](const RigUnit& unit) {
    return has_seat(unit.seat) && std::ranges::find(names, unit.name) == names.end();
  });
  if (!any_away) return last_asked_.clear();
  for (const Device& device : devices_)
    for (const Player& player : device.players) {
      const RigUnit* lost = player.seat.empty() ? perhaps(device.unit, player.part) : nullptr;
      if (lost == nullptr) continue;
      if (std::exchange(last_asked_, lost->name) != lost->name)
        on_event_(Asked{lost->seat, lost->name, doubt_of(*lost, device.unit, player.part), player.number});
      return;
    }
  last_asked_.clear();
}

void Table::assign_seat(Player& player, const std::string& name, const std::string& seat) {
  player.name = name;
  player.seat = seat;
  seated_[player.number] = name;
}

/// A keyboard is useless to a machine played with pads, and must not claim a seat by typing.
bool Table::is_of_use(const Player& player) const {
  return std::ranges::any_of(
      player.shares, [this](const Share& share) { return omnipar::is_of_use(engine_.plan(), share.attachment); });
}

/// Two idle units of one model share a name, but a name in the rig belongs to one unit.
std::string Table::called(const Device& device, const Player& player) const {
  if (player.in_rig) return player.name;
  const auto is_called_so = [&](const Device& other) {
    return &other != &device && std::ranges::find(other.players, player.name, &Player::name) != other.players.end();
  };
  return std::ranges::any_of(devices_, is_called_so) ? name_with_socket(player.name, device.unit) : player.name;
}

std::vector<int> Table::playing_nodes() const {
  std::vector<int> nodes;
  for (const Device& device : devices_)
    for (const Player& player : device.players)
      for (const Share& share : player.shares)
        if (share.playing) nodes.push_back(share.node);
  return nodes;
}

std::vector<host::NodePart> Table::playing_parts(std::string_view seat) const {
  std::vector<host::NodePart> parts;
  for (const Device& device : devices_)
    for (std::size_t part = 0; part < device.players.size(); ++part)
      for (const Share& share : device.players[part].shares)
        if (share.playing && device.players[part].seat == seat) parts.push_back({share.node, static_cast<int>(part)});
  return parts;
}

bool Table::is_control(int node, Code code) const {
  for (const Device& device : devices_)
    for (const Player& player : device.players)
      for (const Share& share : player.shares)
        if (share.node == node && share.playing &&
            std::ranges::find(share.attachment.controls, code, &Control::code) != share.attachment.controls.end())
          return true;
  return false;
}

/// An adapter's own controls serve the players on its sockets: they join the first of them.
void Table::seat_own(Device& device) {
  const auto own = std::ranges::find(device.players, hid::own_part, &Player::part);
  const auto player = std::ranges::find_if(
      device.players, [](const Player& player) { return player.part != hid::own_part && !player.seat.empty(); });
  if (own == device.players.end() || player == device.players.end() || !own->seat.empty() || !is_of_use(*own)) return;
  assign_seat(*own, own->name, player->seat);
  if (attach(*own)) on_event_(Joined{own->seat, own->name, own->number});
}

/// All named units: a new name must differ from all of them, including disconnected ones.
Rig Table::everybody() const {
  Rig all = rig_;
  all.units.insert(all.units.end(), stand_ins_.units.begin(), stand_ins_.units.end());
  return all;
}

void Table::claim_seat(Device& device, Player& player) {
  if (!is_of_use(player)) {
    if (!std::exchange(player.told_no_seat, true)) on_event_(NoUse{called(device, player), player.number});
    return;
  }
  if (const RigUnit* lost = perhaps(device.unit, player.part)) {
    const auto entry = std::ranges::find(rig_.units, lost->name, &RigUnit::name);
    entry->socket = device.unit.socket;
    assign_seat(player, entry->name, entry->seat);
    play_by_press(player, true);
    seat_own(device);
    return ask_for_the_lost();
  }
  if (player.part == hid::own_part) return;  // before any player is seated on a socket
  auto untaken = free_seats();
  const auto missing = std::ranges::find_if(awaited_, [this](const std::string& seat) { return !is_played(seat); });
  if (missing != awaited_.end()) untaken.assign({*missing});
  const RigUnit* own = find_unit(rig_, device.unit, present(), player.part);
  const bool stands_in = untaken.empty() ||
                         std::ranges::find(rig_.units, untaken.front(), &RigUnit::seat) != rig_.units.end() ||
                         (own != nullptr && !own->seat.empty());  // the plan does not have its own seat
  Rig& rig = stands_in ? stand_ins_ : rig_;
  std::string seat = untaken.empty() ? "" : untaken.front();
  for (const std::string& empty : engine_.plan().seats())
    if (seat.empty() && !is_played(empty)) seat = empty;  // its player is disconnected, or uses another unit
  if (seat.empty()) {
    if (!std::exchange(player.told_no_seat, true)) on_event_(NoSeat{called(device, player), player.number});
    return;
  }
  if (own != nullptr && !stands_in) {
    std::ranges::find(rig_.units, own->name, &RigUnit::name)->seat = seat;
    assign_seat(player, own->name, seat);
  } else {
    // A unit whose own seat is not in the plan keeps its name; any other gets a name of its own.
    rig.units.push_back(new_unit(own != nullptr ? rig : everybody(), device.unit, seat, player.part));
    assign_seat(player, rig.units.back().name, seat);
  }
  play_by_press(player, false);
  seat_own(device);
}

// -- moving players ----------------------------------------------------------------------------------------

std::vector<UnitHere> Table::units() const {
  std::vector<UnitHere> units;
  for (const Device& device : devices_)
    for (const Player& player : device.players) units.push_back(here(device, player));
  return units;
}

std::vector<UnitDetails> Table::unit_details() const {
  std::vector<UnitDetails> units;
  for (const Device& device : devices_)
    for (const Player& player : device.players) {
      UnitDetails& unit = units.emplace_back();
      unit.here = here(device, player);
      unit.part = player.part;
      unit.description = device.unit;
      for (const Share& share : player.shares) {
        unit.nodes.push_back({share.node, nodes_.at(share.node), share.attachment});
        unit.nodes.back().attachment.state = present_state(share);
      }
      unit.empty = player.empty;
    }
  return units;
}

UnitHere Table::here(const Device& device, const Player& player) const {
  const bool plays = std::ranges::any_of(player.shares, [](const Share& share) { return share.playing.has_value(); });
  return {called(device, player), player.seat, plays, player.number};
}

template <typename Act>
std::optional<Diagnostic> Table::with_unit(int unit, const Act& act) {
  for (Device& device : devices_)
    for (Player& player : device.players)
      if (player.number == unit) {
        act(device, player);
        return std::nullopt;
      }
  return Diagnostic{"unknown-unit", Severity::error, fmt::format("there is no unit {}", unit), "",
                    "it may have been disconnected"};
}

std::optional<Diagnostic> Table::reseat(int unit, const std::string& seat) {
  if (!has_seat(seat))
    return Diagnostic{"unknown-seat", Severity::error, fmt::format("no port is played from seat '{}'", seat), "",
                      catalogue::suggestion(seat, {engine_.plan().seats().begin(), engine_.plan().seats().end()})};
  return with_unit(unit, [&](Device& device, Player& player) {
    if (player.seat != seat) move_to(device, player, seat);
  });
}

std::optional<Diagnostic> Table::leave_seat(int unit) {
  return with_unit(unit, [this](Device& device, Player& player) {
    if (!player.seat.empty()) leave_seat(device, player);
  });
}

void Table::leave_seat(Device& device, Player& player) {
  for (Share& share : player.shares) {
    share.attachment.state = present_state(share);
    release_share(share);
    share.playing.reset();
  }
  const std::string seat = std::exchange(player.seat, "");
  seated_.erase(player.number);
  std::erase_if(stand_ins_.units, [&](const RigUnit& unit) { return unit.name == player.name; });
  const auto entry = std::ranges::find(rig_.units, player.name, &RigUnit::name);
  if (entry != rig_.units.end() && entry->seat == seat) entry->seat.clear();
  player.told_no_seat = false;
  player.notice = {};
  on_event_(LeftSeat{seat, player.name, player.number});
  if (player.part != hid::own_part) get_own_up(device, seat);
}

/// An adapter's own controls move to another of its players, or to none.
void Table::get_own_up(Device& device, const std::string& seat) {
  const auto own = std::ranges::find(device.players, hid::own_part, &Player::part);
  if (own == device.players.end() || own->seat != seat) return;
  leave_seat(device, *own);
  seat_own(device);
}

/// The current state of its controls: from the engine for a playing unit, otherwise from the table.
std::vector<Change> Table::present_state(const Share& share) const {
  return share.playing ? engine_.present(*share.playing) : share.attachment.state;
}

/// True if a button of that role is down on it.
bool Table::holds(const Player& player, const std::string& role) const {
  return std::ranges::any_of(player.shares, [&](const Share& share) {
    return std::ranges::any_of(present_state(share), [&](const Change& change) {
      const auto is_its = [&](const Control& control) {
        return control.code == change.code && control.role == role && control.type == ControlType::button;
      };
      return change.value != 0 && std::ranges::any_of(share.attachment.controls, is_its);
    });
  });
}

std::vector<int> Table::holders(const std::string& modifier, const std::string& press) const {
  const auto seat_holds = [&](const std::string& seat, const std::string& role) {
    return std::ranges::any_of(devices_, [&](const Device& device) {
      return std::ranges::any_of(device.players,
                                 [&](const Player& player) { return player.seat == seat && holds(player, role); });
    });
  };
  std::vector<int> all;
  for (const Device& device : devices_)
    for (const Player& player : device.players)
      if (!player.seat.empty() && (holds(player, modifier) || holds(player, press)) &&
          seat_holds(player.seat, modifier) && seat_holds(player.seat, press))
        all.push_back(player.number);
  return all;
}

/// A replacement remains one at the other seat.
void Table::move_to(Device& device, Player& player, const std::string& seat) {
  let_go(player);
  const auto entry_in = [&](Rig& rig) {
    const auto entry = std::ranges::find(rig.units, player.name, &RigUnit::name);
    return !player.seat.empty() && entry != rig.units.end() ? &*entry : nullptr;
  };
  RigUnit* entry = entry_in(stand_ins_);
  if (entry == nullptr) entry = entry_in(rig_);
  if (entry == nullptr) {
    const RigUnit* own = find_unit(rig_, device.unit, present(), player.part);
    if (own == nullptr) rig_.units.push_back(new_unit(everybody(), device.unit, seat, player.part));
    const std::string name = own == nullptr ? rig_.units.back().name : own->name;
    entry = &*std::ranges::find(rig_.units, name, &RigUnit::name);
  }
  entry->seat = seat;
  assign_seat(player, entry->name, seat);
  if (device.out_of_range || player.empty) return;
  play(player, false);
  seat_own(device);
}

}  // namespace omnipar::inline abi_0::play
