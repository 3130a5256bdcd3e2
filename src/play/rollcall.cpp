#include "play/rollcall.hpp"

#include <algorithm>

#include <fmt/format.h>

#include "omnipar/hid.hpp"

namespace omnipar::inline abi_0::play {
namespace {

/// A bouncing switch must not free a seat at once.
constexpr Duration deaf_after_press = std::chrono::milliseconds{300};
constexpr Duration time_to_think = std::chrono::seconds{3};
constexpr Duration exit_pair = std::chrono::seconds{2};

}  // namespace

RollCall::RollCall(const Catalogue& catalogue, std::vector<std::string> seats,
                   std::function<void(const std::string&)> say)
    : catalogue_(catalogue), seats_(std::move(seats)), say_(std::move(say)) {}

void RollCall::ready() {
  say_("Fewer players than seats? Hold any two buttons on one controller for 2 s to finish.");
  ask();
}

void RollCall::ask() {
  for (const std::string& seat : seats_)
    if (!taken_.contains(seat)) return say_(fmt::format("{}: press any button on your controller.", seat));
  say_("All seats are taken. Wrong seat? Press again to leave it.");
}

void RollCall::arrived(int node, const Description& description, Time now) {
  now_ = now;
  if (is_playable(catalogue_, description)) gathering_.arrive(node, description);
}

void RollCall::left(int node, Time now) {
  now_ = now;
  gathering_.leave(node);
  for (auto& [unit, hand] : hands_)
    if (hand.down.erase(node) != 0) hand.two_since.reset();
}

/// The unit of the node, and the part that the press belongs to.
void RollCall::on_report(int node, const Report& report) {
  waited(report.time);
  const auto member = done() ? std::nullopt : gathering_.find(node);
  if (!member) return;
  Hand& hand = hands_[member->unit.node];
  std::vector<Code> buttons;
  std::vector<std::string> pressed;
  for (const std::string& part : unit_parts(catalogue_, member->unit)) {
    const Attachment attachment = member->attachment(catalogue_, part);
    for (const Control& control : attachment.controls)
      if (control.type == ControlType::button) buttons.push_back(control.code);
    if (hand.notices[part].update(attachment, report.changes) && part != hid::own_part) pressed.push_back(part);
  }
  follow_hand(hand, node, report, buttons);
  // A shared control, such as a coin door, does not identify a player.
  if (pressed.size() == 1) press(member->unit, pressed.front(), report.time);
}

void RollCall::waited(Time now) {
  now_ = now;
  settle();
}

/// The unit's buttons that are down, including those without a role, and since when there are two.
void RollCall::follow_hand(Hand& hand, int node, const Report& report, const std::vector<Code>& buttons) const {
  const auto count = [&hand] {
    std::size_t all = 0;
    for (const auto& [number, codes] : hand.down) all += codes.size();
    return all;
  };
  if (count() == 0) hand.before = taken_;
  std::vector<Code>& down = hand.down[node];
  for (const Change& change : report.changes) {
    if (change.code.type != ev_key && std::ranges::find(buttons, change.code) == buttons.end()) continue;
    std::erase(down, change.code);
    if (change.value != 0) down.push_back(change.code);
  }
  if (count() < 2)
    hand.two_since.reset();
  else if (!hand.two_since)
    hand.two_since = report.time;
}

std::optional<Time> RollCall::exit_at() const {
  std::optional<Time> first;
  for (const auto& [unit, hand] : hands_)
    if (hand.two_since && (!first || *hand.two_since + exit_pair < *first)) first = *hand.two_since + exit_pair;
  return first;
}

/// The presses of the exit combination claimed and freed seats unintentionally.
void RollCall::keep_as_before(const std::string& unit) {
  std::erase_if(taken_, [&](const auto& entry) { return entry.second.unit.node == unit; });
  for (const auto& [seat, sitting] : hands_[unit].before)
    if (sitting.unit.node == unit) taken_.try_emplace(seat, sitting);
}

void RollCall::settle() {
  for (const auto& [unit, hand] : hands_) {
    if (left_early_ || !hand.two_since || now_ - *hand.two_since < exit_pair) continue;
    left_early_ = true;
    keep_as_before(unit);
    say_("Finished with two held buttons. All seats taken so far are saved.");
  }
}

void RollCall::press(const Description& unit, const std::string& part, Time time) {
  const auto before = last_press_.find({unit.node, part});
  const bool bounces = before != last_press_.end() && time - before->second < deaf_after_press;
  last_press_[{unit.node, part}] = time;
  if (bounces) return;
  const auto at = std::ranges::find_if(
      taken_, [&](const auto& entry) { return entry.second.unit.node == unit.node && entry.second.part == part; });
  if (at != taken_.end()) {
    say_(fmt::format("\"{}\" leaves {}.", gathering_.name_among_all(unit, part), at->first));
    taken_.erase(at);
    full_since_.reset();
    return ask();
  }
  const auto free = std::ranges::find_if(seats_, [this](const std::string& seat) { return !taken_.contains(seat); });
  if (free == seats_.end())
    return say_(fmt::format("\"{}\" was pressed, but every seat is taken.", gathering_.name_among_all(unit, part)));
  taken_[*free] = {*free, unit, part};
  say_(fmt::format("\"{}\" takes {}.", gathering_.name_among_all(unit, part), *free));
  if (taken_.size() == seats_.size()) full_since_ = time;
  ask();
}

bool RollCall::done() const { return left_early_ || (full_since_ && now_ - *full_since_ >= time_to_think); }

std::optional<Time> RollCall::next_due() const {
  const auto out = exit_at();
  if (!full_since_) return out;
  const Time end = *full_since_ + time_to_think;
  return out && *out < end ? out : end;
}

std::vector<RollCall::Seated> RollCall::seated() const {
  std::vector<Seated> all;
  for (const std::string& seat : seats_)
    if (const auto at = taken_.find(seat); at != taken_.end()) all.push_back(at->second);
  return all;
}

Rig RollCall::applied_to(Rig rig, bool shared) const {
  std::vector<std::string> done;
  for (const Seated& seated : seated()) {
    const RigUnit* known = find_unit(rig, seated.unit, done, seated.part);
    const auto candidates = matches(rig, seated.unit, seated.part);
    const auto free = [&](const Match& match) {
      return match.confidence == MatchConfidence::maybe && std::ranges::find(done, match.unit->name) == done.end();
    };
    if (known == nullptr && std::ranges::count_if(candidates, free) == 1)
      known = std::ranges::find_if(candidates, free)->unit;
    if (known == nullptr) {
      rig.units.push_back(new_unit(rig, seated.unit, seated.seat, seated.part));
      done.push_back(rig.units.back().name);
      continue;
    }
    const auto entry = std::ranges::find(rig.units, known->name, &RigUnit::name);
    entry->seat = seated.seat;
    entry->socket = seated.unit.socket;
    done.push_back(entry->name);
  }
  if (!shared) clear_seats(rig, done);
  return rig;
}

/// The previous units of these seats lose them but stay in the rig.
void RollCall::clear_seats(Rig& rig, const std::vector<std::string>& seated) const {
  for (RigUnit& unit : rig.units)
    if (taken_.contains(unit.seat) && unit.part != hid::own_part &&
        std::ranges::find(seated, unit.name) == seated.end())
      unit.seat.clear();
}

}  // namespace omnipar::inline abi_0::play
