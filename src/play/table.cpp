#include "play/table.hpp"

#include <algorithm>
#include <utility>

#include <fmt/format.h>

#include "attach/position.hpp"
#include "base/in_turn.hpp"
#include "identity/group.hpp"
#include "omnipar/role.hpp"
#include "play/gathering.hpp"

namespace omnipar::inline abi_0::play {
namespace {

/// The state of a waiting unit's controls, for the moment when it is seated.
void remember(Attachment& attachment, std::span<const Change> changes) {
  for (const Change& change : changes) {
    const auto known = std::ranges::find(attachment.state, change.code, &Change::code);
    if (known != attachment.state.end())
      known->value = change.value;
    else
      attachment.state.push_back(change);
  }
}

/// Properties shared by nodes that may belong to one unit.
std::vector<std::string> keys_of(const Description& node) {
  std::vector<std::string> keys{identity::device_key(node)};
  if (std::string key = identity::connection_key(node); !key.empty()) keys.push_back(std::move(key));
  return keys;
}

/// Most reports: nothing is pressed or released, and no plug is connected or removed.
bool only_moves(const Report& report) {
  return report.sockets.empty() && std::ranges::all_of(report.changes, [](const Change& change) {
           return change.code.type == ev_abs || change.code.type == ev_rel;
         });
}

}  // namespace

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
  guesses_.erase(node);
  nodes_.erase(at);
  std::erase_if(by_key_, [node](const auto& entry) { return entry.second == node; });
  regroup(concerned);
}

/// The nodes that may belong to one unit with this one, transitively: those of its device, and of every other
/// connection.
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

/// Of these nodes some may be gone: units keep their main node, and units that are gone leave before others join.
void Table::regroup(const std::set<int>& concerned) {
  std::vector<int> numbers;
  std::vector<Description> descriptions;
  for (const int number : concerned) {
    const auto node = nodes_.find(number);
    if (node == nodes_.end()) continue;
    numbers.push_back(number);
    descriptions.push_back(node->second);
  }
  std::vector<Device> now;
  std::vector<UnitNodes> units = group_nodes(descriptions);
  choose_connections(units, descriptions, rig_);
  for (const UnitNodes& unit : units) now.push_back(device_of(unit, numbers, descriptions));
  const auto find = [](std::vector<Device>& devices, const Device& wanted) {
    return std::ranges::find_if(devices,
                                [&](const Device& device) { return device.nodes.front() == wanted.nodes.front(); });
  };
  for (auto device = devices_.begin(); device != devices_.end();) {
    if (!concerned.contains(device->nodes.front()) || find(now, *device) != now.end()) {
      ++device;
      continue;
    }
    const Device gone = std::move(*device);
    device = devices_.erase(device);
    dismiss(gone);
  }
  for (Device& device : now) {
    const auto old = find(devices_, device);
    if (old == devices_.end())
      add_device(std::move(device));
    else
      update(*old, device.nodes);
  }
  device_of_.clear();
  for (std::size_t i = 0; i < devices_.size(); ++i)
    for (const int node : devices_[i].nodes) device_of_.emplace_back(node, i);
  ask_for_the_lost();
}

Table::Device Table::device_of(const UnitNodes& unit, const std::vector<int>& numbers,
                               const std::vector<Description>& descriptions) const {
  Device device;
  device.unit = descriptions[unit.main()];
  device.unit.half = unit.half;
  for (const std::size_t i : unit.nodes) device.nodes.push_back(numbers[i]);
  const UnitSheet* sheet = find_unit_sheet(catalogue_, device.unit);
  device.streams = sheet != nullptr && sheet->streams;
  device.out_of_range = device.streams;
  return device;
}

Table::Share Table::share_of(const Device& device, const Player& player, int node) const {
  const Description& main = nodes_.at(device.nodes.front());
  Share share{node, attach_node(catalogue_, main, nodes_.at(node), player.part), std::nullopt};
  share.attachment.unit = player.name;
  share.attachment.seat = player.seat;
  calibrate(share.attachment, rig_);
  share.attachment.ranges_by_use = by_use_;
  return share;
}

/// Its learned ranges are kept.
void Table::release_share(const Share& share) {
  if (!share.playing) return;
  note_ranges(reached_, share.attachment.unit, engine_.ranges_by_use(*share.playing));
  engine_.detach(*share.playing);
}

void Table::note_ranges(std::vector<Calibration>& all, const std::string& unit, std::vector<AxisCalibration> axes) {
  if (axes.empty()) return;
  auto known = std::ranges::find(all, unit, &Calibration::unit);
  if (known == all.end()) known = all.insert(all.end(), Calibration{unit, {}});
  for (AxisCalibration& axis : axes) {
    const auto old = std::ranges::find(known->axes, axis.code, &AxisCalibration::code);
    if (old == known->axes.end()) {
      known->axes.push_back(std::move(axis));
    } else {
      old->minimum = std::min(old->minimum, axis.minimum);
      old->maximum = std::max(old->maximum, axis.maximum);
    }
  }
}

std::vector<Calibration> Table::ranges_by_use() const {
  std::vector<Calibration> all = reached_;
  for (const Device& device : devices_)
    for (const Player& player : device.players)
      for (const Share& share : player.shares)
        if (share.playing) note_ranges(all, share.attachment.unit, engine_.ranges_by_use(*share.playing));
  return all;
}

void Table::tell_outdated(const std::string& name, const Attachment& attachment) {
  std::vector<std::string> notes = outdated_notes(attachment);
  for (std::size_t i = 0; i < notes.size(); ++i) {
    const bool points = role_kind(attachment.outdated[i]) == RoleKind::pointer;
    on_event_(Refused{{"outdated-calibration", Severity::warning, std::move(notes[i]), name,
                       fmt::format("calibrate it again: omnipar calibrate {}", points ? "gun" : "unit")}});
  }
}

void Table::add_device(Device device) {
  Device& here = devices_.emplace_back(std::move(device));
  any_streams_ = any_streams_ || here.streams;
  for (const std::string& part : unit_parts(catalogue_, here.unit)) {
    Player player{part, name_of(here.unit, part), "", {}, ++last_number_};
    const RigUnit* unit = known(here.unit, part);
    if (unit != nullptr) {
      player.name = unit->name;
      player.in_rig = true;
      if (has_seat(unit->seat)) assign_seat(player, unit->name, unit->seat);
    }
    for (const int node : here.nodes) player.shares.push_back(share_of(here, player, node));
    for (const Share& share : player.shares) tell_outdated(player.name, share.attachment);
    if (find_unit_sheet(catalogue_, here.unit) == nullptr)
      for (const Share& share : player.shares)
        if (attach::may_be_gun(nodes_.at(share.node), share.attachment)) guesses_.try_emplace(share.node);
    here.players.push_back(std::move(player));
    Player& sitting = here.players.back();
    if (sitting.seat.empty() && unit != nullptr && !unit->seat.empty())
      on_event_(SeatedElsewhere{sitting.name, unit->seat, sitting.number});
    else if (sitting.seat.empty())
      on_event_(Waiting{sitting.name, sitting.number});
    else if (!here.out_of_range)
      play(sitting, true);
  }
  if (!here.out_of_range) seat_own(here);
}

/// A unit's other nodes may appear after its main one, and disappear before it.
void Table::update(Device& device, const std::vector<int>& nodes) {
  if (device.nodes == nodes) return;
  device.nodes = nodes;
  const auto stays = [&nodes](const Share& share) { return std::ranges::find(nodes, share.node) != nodes.end(); };
  for (Player& player : device.players) {
    for (const Share& share : player.shares)
      if (!stays(share)) release_share(share);
    std::erase_if(player.shares, [&](const Share& share) { return !stays(share); });
    for (const int node : nodes) {
      if (std::ranges::find(player.shares, node, &Share::node) != player.shares.end()) continue;
      player.shares.push_back(share_of(device, player, node));
      if (player.seat.empty() || player.empty || device.out_of_range) continue;
      if (const auto unit = engine_.attach(player.shares.back().attachment)) player.shares.back().playing = *unit;
      untold_[player.number] = now_ + patience_;
    }
  }
}

void Table::dismiss(const Device& device) {
  for (const Player& player : device.players) {
    for (const Share& share : player.shares) release_share(share);
    seated_.erase(player.number);
    untold_.erase(player.number);
    told_idle_.erase(player.number);
    if (!player.seat.empty() && !device.out_of_range && !player.empty)
      on_event_(Left{player.seat, player.name, player.number});
  }
}

// -- reports -----------------------------------------------------------------------------------------------

/// Controls shared by several parts, such as a coin door, do not identify a player if a part has others.
std::vector<Change> Table::changes_of(const Device& device, const Player& player, const Share& share,
                                      const Report& report) {
  const auto is_shared = [&](Code code) {
    return std::ranges::any_of(device.players, [&](const Player& other) {
      if (&other == &player) return false;
      const auto its = std::ranges::find(other.shares, share.node, &Share::node);
      return its != other.shares.end() &&
             std::ranges::find(its->attachment.controls, code, &Control::code) != its->attachment.controls.end();
    });
  };
  std::vector<Change> own{report.changes.begin(), report.changes.end()};
  if (device.players.size() > 1 && !std::ranges::all_of(share.attachment.controls, is_shared, &Control::code))
    std::erase_if(own, [&](const Change& change) { return is_shared(change.code); });
  return own;
}

void Table::report(int node, const Report& report) {
  const std::size_t at = find_in_turn(device_of_, last_found_, [=](const auto& entry) { return entry.first == node; });
  if (at == device_of_.size()) return;
  Device& device = devices_[device_of_[at].second];
  device.last_heard = std::max(device.last_heard, report.time);
  if (device.out_of_range) return speak_again(device, node, report);
  const bool moves_only = only_moves(report);
  for (Player& player : device.players) {
    const auto share = std::ranges::find(player.shares, node, &Share::node);
    if (share == player.shares.end()) continue;
    if (!moves_only && look_into(device, player, node, report)) continue;
    if (player.empty) continue;
    player.has_reported = true;
    if (share->playing)
      engine_.feed(*share->playing, report);
    else
      hear_waiting(device, player, *share, report);
  }
}

/// Not assigned yet: a press claims a seat.
void Table::hear_waiting(Device& device, Player& player, Share& share, const Report& report) {
  remember(share.attachment, report.changes);
  if (!player.seat.empty() || !player.notice.update(share.attachment, changes_of(device, player, share, report)))
    return;
  if (engine_.frozen()) return;
  engine_.advance(report.time);
  claim_seat(device, player);
}

// -- sockets --------------------------------------------------------------------------------------------------

/// True if the socket changed: the rest of the report is then the part's state.
bool Table::look_into(const Device& device, Player& player, int node, const Report& report) {
  const auto part = static_cast<std::uint16_t>(&player - device.players.data());
  for (const SocketChange& socket : report.sockets) {
    if (socket.part != part || player.empty == !socket.filled) continue;
    player.empty = !socket.filled;
    engine_.advance(report.time);
    player.empty ? mark_unplugged(player) : put_in(player, node, report);
    return true;
  }
  return false;
}

void Table::mark_unplugged(Player& player) {
  let_go(player);
  on_event_(SocketChanged{player.seat, player.name, player.has_reported ? Plug::taken_out : Plug::none, player.number});
}

void Table::put_in(Player& player, int node, const Report& report) {
  on_event_(SocketChanged{player.seat, player.name, Plug::put_in, player.number});
  for (Share& share : player.shares)
    if (share.node == node) remember(share.attachment, report.changes);
  if (player.seat.empty())
    on_event_(Waiting{player.name, player.number});
  else
    play(player, true);
}

// -- streaming units ---------------------------------------------------------------------------------------

namespace {
constexpr Duration silence_that_means_away = std::chrono::milliseconds{500};
}

void Table::advance(Time now) {
  now_ = std::max(now_, now);
  if (!untold_.empty()) tell_what_is_whole();
  if (!guesses_.empty() && now_ >= next_guess_) guess_guns();
  if (!any_streams_) return;
  for (Device& device : devices_) {
    const Time due = device.last_heard + silence_that_means_away;
    if (!device.streams || device.out_of_range || now < due) continue;
    engine_.advance(due);
    fall_silent(device);
  }
}

std::optional<Time> Table::next_due() const {
  std::optional<Time> due;
  if (untold_.empty() && guesses_.empty() && !any_streams_) return due;
  for (const auto& [number, when] : untold_)
    if (!due || when < *due) due = when;
  if (!guesses_.empty() && (!due || next_guess_ < *due)) due = next_guess_;
  if (!any_streams_) return due;
  for (const Device& device : devices_) {
    const Time silent = device.last_heard + silence_that_means_away;
    if (device.streams && !device.out_of_range && (!due || silent < *due)) due = silent;
  }
  return due;
}

/// The positions of the two axes of each unit that may be a gun.
void Table::guess_guns() {
  constexpr Duration pause = std::chrono::milliseconds{250};
  next_guess_ = now_ + pause;
  for (const Device& device : devices_)
    for (const Player& player : device.players)
      for (const Share& share : player.shares) {
        const auto guess = guesses_.find(share.node);
        if (guess == guesses_.end()) continue;
        double x = 0, y = 0;
        for (const Change& change : present_state(share))
          for (const Control& control : share.attachment.controls)
            if (control.code == change.code && control.type == ControlType::two_sided)
              (control.axis == Axis::y ? y : x) = attach::position(control, attach::scale_of(control), change.value);
        const auto verdict = guess->second.look(x, y);
        if (verdict == attach::GunGuess::Verdict::open) continue;
        guesses_.erase(guess);
        if (verdict == attach::GunGuess::Verdict::gun) on_event_(LooksLikeGun{player.seat, player.name, player.number});
      }
}

void Table::let_go(Player& player) {
  for (Share& share : player.shares) {
    release_share(share);
    share.playing.reset();
    share.attachment.state.clear();  // the state at that time is unknown
  }
}

void Table::release_all() {
  for (Device& device : devices_)
    for (Player& player : device.players) let_go(player);
}

void Table::fall_silent(Device& device) {
  device.out_of_range = true;
  for (Player& player : device.players) {
    let_go(player);
    if (!player.seat.empty() && !player.empty) on_event_(Left{player.seat, player.name, player.number});
  }
}

/// Its first report is its state, not a press.
void Table::speak_again(Device& device, int node, const Report& report) {
  device.out_of_range = false;
  engine_.advance(report.time);
  for (Player& player : device.players) {
    if (look_into(device, player, node, report)) continue;
    for (Share& share : player.shares)
      if (share.node == node) remember(share.attachment, report.changes);
    if (!player.seat.empty() && !player.empty) play(player, true);
  }
  seat_own(device);
}

}  // namespace omnipar::inline abi_0::play
