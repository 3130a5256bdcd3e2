#include "play/table.hpp"

#include <algorithm>

namespace omnipar::play {

Table::Guest* Table::find(int host_unit) noexcept {
  const auto at = std::ranges::find(guests_, host_unit, &Guest::host_unit);
  return at == guests_.end() ? nullptr : &*at;
}

std::vector<std::string> Table::present() const {
  std::vector<std::string> names;
  for (const Guest& guest : guests_)
    if (guest.playing) names.push_back(guest.attachment.unit);
  return names;
}

std::vector<std::string> Table::free_seats() const {
  std::vector<std::string> seats;
  for (const std::string& seat : engine_.plan().seats())
    if (std::ranges::find(rig_.units, seat, &RigUnit::seat) == rig_.units.end()) seats.push_back(seat);
  return seats;
}

/// A seat that nobody has taken, else one whose unit is away: its player has brought another.
std::optional<std::string> Table::seat_for_newcomer() const {
  const auto untaken = free_seats();
  if (!untaken.empty()) return untaken.front();
  for (const std::string& seat : engine_.plan().seats())
    if (std::ranges::none_of(guests_, [&](const Guest& g) { return g.playing && g.attachment.seat == seat; }))
      return seat;
  return std::nullopt;
}

void Table::arrive(int host_unit, const Description& description) {
  auto attachment = recognise(catalogue_, rig_, description, present());
  if (!attachment) return;
  Guest& guest = guests_.emplace_back(Guest{host_unit, description, std::move(*attachment), {}, false});
  if (guest.attachment.seat.empty())
    listener_.waiting(guest.attachment.unit);
  else
    play(guest, true);
}

void Table::play(Guest& guest, bool again) {
  const auto unit = engine_.attach(guest.attachment);
  if (!unit) return listener_.cannot_attach(unit.error());
  guest.playing = *unit;
  listener_.seated(guest.attachment.seat, guest.attachment.unit, again);
}

void Table::leave(int host_unit) {
  Guest* guest = find(host_unit);
  if (guest == nullptr) return;
  if (guest->playing) {
    engine_.detach(*guest->playing);
    listener_.left(guest->attachment.seat, guest->attachment.unit);
  }
  guests_.erase(guests_.begin() + (guest - guests_.data()));
}

/// What a waiting unit's controls are doing, for the moment in which it takes a seat.
void Table::remember(Guest& guest, std::span<const Change> changes) {
  for (const Change& change : changes) {
    const auto known = std::ranges::find(guest.attachment.state, change.code, &Change::code);
    if (known != guest.attachment.state.end())
      known->value = change.value;
    else
      guest.attachment.state.push_back(change);
  }
}

void Table::take_seat(Guest& guest) {
  const auto seat = seat_for_newcomer();
  if (!seat) {
    if (!std::exchange(guest.told_no_seat, true)) listener_.no_seat(guest.attachment.unit);
    return;
  }
  RigUnit unit = new_unit(rig_, guest.description, *seat);
  guest.attachment.unit = unit.name;
  guest.attachment.seat = *seat;
  rig_.units.push_back(std::move(unit));
  play(guest, false);
}

void Table::report(int host_unit, const Report& report) {
  Guest* guest = find(host_unit);
  if (guest == nullptr) return;
  if (guest->playing) return engine_.feed(*guest->playing, report);
  remember(*guest, report.changes);
  if (!has_press(guest->attachment, report.changes)) return;
  engine_.advance(report.time);
  take_seat(*guest);
}

}  // namespace omnipar::play
