#include "play/table.hpp"

#include "base/in_turn.hpp"
#include "identity/group.hpp"
#include "omnipar/hid.hpp"
#include "omnipar/reach.hpp"
#include "play/gathering.hpp"

#include <algorithm>
#include <utility>

namespace omnipar::play {
namespace {

/// What a waiting unit's controls are doing, for the moment in which it takes a seat.
void remember(Attachment& attachment, std::span<const Change> changes) {
  for (const Change& change : changes) {
    if (change.code.type == ev_socket) continue;
    const auto known = std::ranges::find(attachment.state, change.code, &Change::code);
    if (known != attachment.state.end())
      known->value = change.value;
    else
      attachment.state.push_back(change);
  }
}

/// What nodes have in common that may be of one unit.
std::vector<std::string> keys_of(const Description& node) {
  std::vector<std::string> keys{device_key(node)};
  if (std::string key = connection_key(node); !key.empty()) keys.push_back(std::move(key));
  return keys;
}

/// Most reports: nothing in them is pressed or released, and no plug is put in or taken out.
bool only_moves(const Report& report) {
  return std::ranges::all_of(
      report.changes, [](const Change& change) { return change.code.type == ev_abs || change.code.type == ev_rel; });
}

}  // namespace

// -- who is there -----------------------------------------------------------------------------------------

std::vector<std::string> Table::present() const {
  std::vector<std::string> names;
  for (const auto& [number, name] : seated_) names.push_back(name);
  return names;
}

bool Table::is_played(const std::string& seat) const {
  return std::ranges::any_of(guests_, [&](const Guest& guest) {
    return std::ranges::any_of(guest.places,
                               [&seat](const Place& place) { return place.seat == seat && !place.empty; });
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

/// Of the rig's units that this one may be, the one that is away and whose seat comes first.
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

// -- units from nodes ---------------------------------------------------------------------------------------

void Table::arrive(int node, const Description& description) {
  if (!is_playable(catalogue_, description)) return;
  nodes_.emplace(node, description);
  for (std::string& key : keys_of(description)) by_key_.emplace(std::move(key), node);
  regroup(related(description));
}

void Table::leave(int node) {
  const auto at = nodes_.find(node);
  if (at == nodes_.end()) return;
  std::set<int> concerned = related(at->second);
  nodes_.erase(at);
  std::erase_if(by_key_, [node](const auto& entry) { return entry.second == node; });
  regroup(concerned);
}

/// The nodes that may be of one unit with this one, and so on: those of its device, and of every other way to it.
std::set<int> Table::related(const Description& node) const {
  std::set<int> found;
  std::vector<std::string> open = keys_of(node);
  std::set<std::string> keys{open.begin(), open.end()};
  while (!open.empty()) {
    const auto [first, last] = by_key_.equal_range(open.back());
    open.pop_back();
    for (auto at = first; at != last; ++at) {
      if (!found.insert(at->second).second) continue;
      for (std::string& key : keys_of(nodes_.at(at->second)))
        if (keys.insert(key).second) open.push_back(std::move(key));
    }
  }
  return found;
}

/// Of these nodes, of which some may have gone: units keep their main node; what has gone leaves before anybody comes.
void Table::regroup(const std::set<int>& concerned) {
  std::vector<int> numbers;
  std::vector<Description> descriptions;
  for (const int number : concerned) {
    const auto node = nodes_.find(number);
    if (node == nodes_.end()) continue;
    numbers.push_back(number);
    descriptions.push_back(node->second);
  }
  std::vector<Guest> now;
  std::vector<UnitNodes> units = group_nodes(descriptions);
  choose_ways(units, descriptions, rig_);
  for (const UnitNodes& unit : units) now.push_back(guest_of(unit, numbers, descriptions));
  const auto find = [](std::vector<Guest>& guests, const Guest& wanted) {
    return std::ranges::find_if(guests,
                                [&](const Guest& guest) { return guest.nodes.front() == wanted.nodes.front(); });
  };
  for (auto guest = guests_.begin(); guest != guests_.end();) {
    if (!concerned.contains(guest->nodes.front()) || find(now, *guest) != now.end()) {
      ++guest;
      continue;
    }
    const Guest gone = std::move(*guest);
    guest = guests_.erase(guest);
    dismiss(gone);
  }
  for (Guest& guest : now) {
    const auto old = find(guests_, guest);
    if (old == guests_.end())
      welcome(std::move(guest));
    else
      update(*old, guest.nodes);
  }
  guest_of_.clear();
  for (std::size_t i = 0; i < guests_.size(); ++i)
    for (const int node : guests_[i].nodes) guest_of_.emplace_back(node, i);
  ask_for_the_lost();
}

Table::Guest Table::guest_of(const UnitNodes& unit, const std::vector<int>& numbers,
                             const std::vector<Description>& descriptions) const {
  Guest guest;
  guest.unit = descriptions[unit.main()];
  guest.unit.half = unit.half;
  for (const std::size_t i : unit.nodes) guest.nodes.push_back(numbers[i]);
  const UnitSheet* sheet = find_unit_sheet(catalogue_, guest.unit);
  guest.streams = sheet != nullptr && sheet->streams;
  guest.out_of_range = guest.streams;
  return guest;
}

Table::Share Table::share_of(const Guest& guest, const Place& place, int node) const {
  const Description& main = nodes_.at(guest.nodes.front());
  Share share{node, attach_node(catalogue_, main, nodes_.at(node), place.part), std::nullopt};
  share.attachment.unit = place.name;
  share.attachment.seat = place.seat;
  calibrate(share.attachment, rig_);
  return share;
}

void Table::welcome(Guest guest) {
  Guest& here = guests_.emplace_back(std::move(guest));
  any_streams_ = any_streams_ || here.streams;
  for (const std::string& part : unit_parts(catalogue_, here.unit)) {
    Place place{part, name_of(here.unit, part), "", {}, ++last_number_};
    const RigUnit* unit = known(here.unit, part);
    if (unit != nullptr) {
      place.name = unit->name;
      if (has_seat(unit->seat)) sit_down(place, unit->name, unit->seat);
    }
    for (const int node : here.nodes) place.shares.push_back(share_of(here, place, node));
    here.places.push_back(std::move(place));
    Place& sitting = here.places.back();
    if (sitting.seat.empty() && unit != nullptr && !unit->seat.empty())
      listener_.seat_is_elsewhere(sitting.name, unit->seat);
    else if (sitting.seat.empty())
      listener_.waiting(sitting.name);
    else if (!here.out_of_range)
      play(sitting, true);
  }
  if (!here.out_of_range) seat_own(here);
}

/// A unit's other nodes may come later than its main one, and go earlier.
void Table::update(Guest& guest, const std::vector<int>& nodes) {
  if (guest.nodes == nodes) return;
  guest.nodes = nodes;
  const auto stays = [&nodes](const Share& share) { return std::ranges::find(nodes, share.node) != nodes.end(); };
  for (Place& place : guest.places) {
    for (const Share& share : place.shares)
      if (!stays(share) && share.playing) engine_.detach(*share.playing);
    std::erase_if(place.shares, [&](const Share& share) { return !stays(share); });
    for (const int node : nodes) {
      if (std::ranges::find(place.shares, node, &Share::node) != place.shares.end()) continue;
      place.shares.push_back(share_of(guest, place, node));
      if (place.seat.empty() || place.empty || guest.out_of_range) continue;
      if (const auto unit = engine_.attach(place.shares.back().attachment)) place.shares.back().playing = *unit;
    }
  }
}

void Table::dismiss(const Guest& guest) {
  for (const Place& place : guest.places) {
    for (const Share& share : place.shares)
      if (share.playing) engine_.detach(*share.playing);
    seated_.erase(place.number);
    if (!place.seat.empty() && !guest.out_of_range && !place.empty) listener_.left(place.seat, place.name);
  }
}

// -- seats --------------------------------------------------------------------------------------------------

void Table::play(Place& place, bool again) {
  if (!attach(place)) return;
  listener_.seated(place.seat, place.name, again);
  tell_of_others(place);
  tell_what_lacks(place);
}

/// An owner who comes back finds whoever stands in still playing; both do.
void Table::tell_of_others(const Place& place) {
  for (const Guest& guest : guests_)
    for (const Place& other : guest.places)
      if (&other != &place && other.seat == place.seat && other.part != hid::own_part && !other.empty &&
          !guest.out_of_range &&
          std::ranges::any_of(other.shares, [](const Share& share) { return share.playing.has_value(); }))
        return listener_.beside(place.seat, place.name, other.name);
}

/// What an adapter has of its own will serve whoever plays on it.
std::vector<std::string> Table::roles_at(const std::string& seat) const {
  std::vector<std::string> roles;
  for (const Guest& guest : guests_) {
    const auto is_its = [&](const Place& place) { return place.seat == seat && !place.empty; };
    const bool is_here = std::ranges::any_of(guest.places, is_its);
    for (const Place& place : guest.places) {
      if (!is_its(place) && !(is_here && place.part == hid::own_part && place.seat.empty())) continue;
      for (const Share& share : place.shares)
        for (std::string& role : roles_of(share.attachment)) roles.push_back(std::move(role));
    }
  }
  return roles;
}

void Table::tell_what_lacks(const Place& place) {
  const std::vector<std::string> targets = unserved(engine_.plan(), place.seat, roles_at(place.seat));
  std::vector<std::string>& told = lacks_[place.seat];
  if (told != targets && !targets.empty()) listener_.lacks(place.seat, place.name, targets);
  told = targets;
}

/// False if there is nothing to play on.
bool Table::attach(Place& place) {
  bool attached = false;
  for (Share& share : place.shares) {
    if (share.attachment.controls.empty()) continue;
    share.attachment.unit = place.name;
    share.attachment.seat = place.seat;
    const auto unit = engine_.attach(share.attachment);
    if (!unit) {
      listener_.cannot_attach(unit.error());
      continue;
    }
    share.playing = *unit;
    attached = true;
  }
  return attached;
}

Doubt Table::doubt_of(const RigUnit& lost, const Description& unit, const std::string& part) const {
  const auto names = present();
  const auto may_be = [&](const Guest& guest) {
    return std::ranges::any_of(matches(rig_, guest.unit, part), [&](const Match& match) {
      return match.unit == &lost && match.confidence == MatchConfidence::maybe;
    });
  };
  const auto is_away = [&](const Match& match) {
    return match.confidence == MatchConfidence::maybe && std::ranges::find(names, match.unit->name) == names.end();
  };
  const bool others =
      std::ranges::count_if(matches(rig_, unit, part), is_away) > 1 || std::ranges::count_if(guests_, may_be) > 1;
  return {!lost.socket.empty() && lost.socket != unit.socket, others};
}

/// Units that cannot be told apart and are not where they were: one seat after the other is asked for.
void Table::ask_for_the_lost() {
  const auto names = present();
  const bool any_away = std::ranges::any_of(rig_.units, [&](const RigUnit& unit) {
    return has_seat(unit.seat) && std::ranges::find(names, unit.name) == names.end();
  });
  if (!any_away) return last_asked_.clear();
  for (const Guest& guest : guests_)
    for (const Place& place : guest.places) {
      const RigUnit* lost = place.seat.empty() ? perhaps(guest.unit, place.part) : nullptr;
      if (lost == nullptr) continue;
      if (std::exchange(last_asked_, lost->name) != lost->name)
        listener_.asked(lost->seat, lost->name, doubt_of(*lost, guest.unit, place.part));
      return;
    }
  last_asked_.clear();
}

void Table::sit_down(Place& place, const std::string& name, const std::string& seat) {
  place.name = name;
  place.seat = seat;
  seated_[place.number] = name;
}

/// A keyboard has nothing for a machine that is played with pads, and must not take a seat by being typed on.
bool Table::is_of_use(const Place& place) const {
  return std::ranges::any_of(
      place.shares, [this](const Share& share) { return omnipar::is_of_use(engine_.plan(), share.attachment); });
}

/// Two of one model that nobody plays on yet have one name.
std::string Table::called(const Guest& guest, const Place& place) const {
  const auto is_called_so = [&](const Guest& other) {
    return &other != &guest && std::ranges::find(other.places, place.name, &Place::name) != other.places.end();
  };
  return std::ranges::any_of(guests_, is_called_so) ? name_with_socket(place.name, guest.unit) : place.name;
}

std::vector<int> Table::playing_nodes() const {
  std::vector<int> nodes;
  for (const Guest& guest : guests_)
    for (const Place& place : guest.places)
      for (const Share& share : place.shares)
        if (share.playing) nodes.push_back(share.node);
  return nodes;
}

std::vector<host::NodePart> Table::playing_parts(std::string_view seat) const {
  std::vector<host::NodePart> parts;
  for (const Guest& guest : guests_)
    for (std::size_t part = 0; part < guest.places.size(); ++part)
      for (const Share& share : guest.places[part].shares)
        if (share.playing && guest.places[part].seat == seat) parts.push_back({share.node, static_cast<int>(part)});
  return parts;
}

bool Table::is_control(int node, Code code) const {
  for (const Guest& guest : guests_)
    for (const Place& place : guest.places)
      for (const Share& share : place.shares)
        if (share.node == node && share.playing &&
            std::ranges::find(share.attachment.controls, code, &Control::code) != share.attachment.controls.end())
          return true;
  return false;
}

/// What an adapter has of its own serves those who play on its sockets: it joins the first of them.
void Table::seat_own(Guest& guest) {
  const auto own = std::ranges::find(guest.places, hid::own_part, &Place::part);
  const auto player = std::ranges::find_if(
      guest.places, [](const Place& place) { return place.part != hid::own_part && !place.seat.empty(); });
  if (own == guest.places.end() || player == guest.places.end() || !own->seat.empty() || !is_of_use(*own)) return;
  sit_down(*own, own->name, player->seat);
  if (attach(*own)) listener_.joined(own->seat, own->name);
}

void Table::take_seat(Guest& guest, Place& place) {
  if (!is_of_use(place)) {
    if (!std::exchange(place.told_no_seat, true)) listener_.no_use(called(guest, place));
    return;
  }
  if (const RigUnit* lost = perhaps(guest.unit, place.part)) {
    const auto entry = std::ranges::find(rig_.units, lost->name, &RigUnit::name);
    entry->socket = guest.unit.socket;
    sit_down(place, entry->name, entry->seat);
    play(place, true);
    seat_own(guest);
    return ask_for_the_lost();
  }
  if (place.part == hid::own_part) return;  // before anybody plays on a socket
  auto untaken = free_seats();
  const auto missing = std::ranges::find_if(awaited_, [this](const std::string& seat) { return !is_played(seat); });
  if (missing != awaited_.end()) untaken.assign({*missing});
  const RigUnit* own = find_unit(rig_, guest.unit, present(), place.part);
  const bool stands_in = untaken.empty() ||
                         std::ranges::find(rig_.units, untaken.front(), &RigUnit::seat) != rig_.units.end() ||
                         (own != nullptr && !own->seat.empty());  // its own seat is none of the plan's
  Rig& rig = stands_in ? stand_ins_ : rig_;
  std::string seat = untaken.empty() ? "" : untaken.front();
  for (const std::string& empty : engine_.plan().seats())
    if (seat.empty() && !is_played(empty)) seat = empty;  // its player is away, or has brought another unit
  if (seat.empty()) {
    if (!std::exchange(place.told_no_seat, true)) listener_.no_seat(called(guest, place));
    return;
  }
  if (own != nullptr && !stands_in) {
    std::ranges::find(rig_.units, own->name, &RigUnit::name)->seat = seat;
    sit_down(place, own->name, seat);
  } else {
    rig.units.push_back(new_unit(rig, guest.unit, seat, place.part));
    sit_down(place, rig.units.back().name, seat);
  }
  play(place, false);
  seat_own(guest);
}

/// What several parts share, such as a coin door, says nothing about who presses, where a part has more than that.
std::vector<Change> Table::changes_of(const Guest& guest, const Place& place, const Share& share,
                                      const Report& report) {
  const auto is_shared = [&](Code code) {
    return std::ranges::any_of(guest.places, [&](const Place& other) {
      if (&other == &place) return false;
      const auto its = std::ranges::find(other.shares, share.node, &Share::node);
      return its != other.shares.end() &&
             std::ranges::find(its->attachment.controls, code, &Control::code) != its->attachment.controls.end();
    });
  };
  std::vector<Change> own{report.changes.begin(), report.changes.end()};
  if (guest.places.size() > 1 && !std::ranges::all_of(share.attachment.controls, is_shared, &Control::code))
    std::erase_if(own, [&](const Change& change) { return is_shared(change.code); });
  return own;
}

void Table::report(int node, const Report& report) {
  const std::size_t at = find_in_turn(guest_of_, last_found_, [=](const auto& entry) { return entry.first == node; });
  if (at == guest_of_.size()) return;
  Guest& guest = guests_[guest_of_[at].second];
  guest.last_heard = std::max(guest.last_heard, report.time);
  if (guest.out_of_range) return speak_again(guest, node, report);
  const bool moves_only = only_moves(report);
  for (Place& place : guest.places) {
    const auto share = std::ranges::find(place.shares, node, &Share::node);
    if (share == place.shares.end()) continue;
    if (!moves_only && look_into(guest, place, node, report)) continue;
    if (place.empty) continue;
    place.heard = true;
    if (share->playing) {
      engine_.feed(*share->playing, report);
      continue;
    }
    remember(share->attachment, report.changes);
    if (!place.seat.empty() || !place.notice.take(share->attachment, changes_of(guest, place, *share, report)) ||
        engine_.frozen())
      continue;
    engine_.advance(report.time);
    take_seat(guest, place);
  }
}

// -- sockets --------------------------------------------------------------------------------------------------

/// What a raw unit says of a part's socket stands before all else in its report. True if it has said something of
/// this one: what else it says there is how the part stands.
bool Table::look_into(const Guest& guest, Place& place, int node, const Report& report) {
  const auto part = static_cast<std::uint16_t>(&place - guest.places.data());
  for (const Change& change : report.changes) {
    if (change.code.type != ev_socket) return false;
    if (change.code.number != part || place.empty == (change.value == 0)) continue;
    place.empty = change.value == 0;
    engine_.advance(report.time);
    place.empty ? take_out(place) : put_in(place, node, report);
    return true;
  }
  return false;
}

void Table::take_out(Place& place) {
  let_go(place);
  listener_.socket(place.seat, place.name, place.heard ? Plug::taken_out : Plug::none);
}

void Table::put_in(Place& place, int node, const Report& report) {
  listener_.socket(place.seat, place.name, Plug::put_in);
  for (Share& share : place.shares)
    if (share.node == node) remember(share.attachment, report.changes);
  if (place.seat.empty())
    listener_.waiting(place.name);
  else
    play(place, true);
}

// -- units that always stream -------------------------------------------------------------------------------

namespace {
constexpr Duration silence_that_means_away = std::chrono::milliseconds{500};
}

void Table::advance(Time now) {
  if (!any_streams_) return;
  for (Guest& guest : guests_) {
    const Time due = guest.last_heard + silence_that_means_away;
    if (!guest.streams || guest.out_of_range || now < due) continue;
    engine_.advance(due);
    fall_silent(guest);
  }
}

std::optional<Time> Table::next_due() const {
  std::optional<Time> due;
  if (!any_streams_) return due;
  for (const Guest& guest : guests_) {
    const Time silent = guest.last_heard + silence_that_means_away;
    if (guest.streams && !guest.out_of_range && (!due || silent < *due)) due = silent;
  }
  return due;
}

void Table::let_go(Place& place) {
  for (Share& share : place.shares) {
    if (share.playing) engine_.detach(*share.playing);
    share.playing.reset();
    share.attachment.state.clear();  // whatever its hands hold by then is not known
  }
}

void Table::fall_silent(Guest& guest) {
  guest.out_of_range = true;
  for (Place& place : guest.places) {
    let_go(place);
    if (!place.seat.empty() && !place.empty) listener_.left(place.seat, place.name);
  }
}

/// What it says first is its state, not a press.
void Table::speak_again(Guest& guest, int node, const Report& report) {
  guest.out_of_range = false;
  engine_.advance(report.time);
  for (Place& place : guest.places) {
    if (look_into(guest, place, node, report)) continue;
    for (Share& share : place.shares)
      if (share.node == node) remember(share.attachment, report.changes);
    if (!place.seat.empty() && !place.empty) play(place, true);
  }
  seat_own(guest);
}

}  // namespace omnipar::play
