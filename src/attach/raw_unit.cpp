#include "omnipar/raw_unit.hpp"

#include <algorithm>
#include <chrono>
#include <iterator>
#include <string>

#include "omnipar/identity.hpp"

namespace omnipar::inline abi_0 {
namespace {

constexpr Duration at_once = std::chrono::milliseconds{100};
constexpr Duration silence_that_means_empty = std::chrono::milliseconds{500};
constexpr Duration moment_behind_a_loss = std::chrono::milliseconds{50};

hid::Descriptor descriptor_of(const Description& node) {
  auto read = hid::read_descriptor(node.descriptor);
  return read ? std::move(*read) : hid::Descriptor{};
}

const PartSheet* part_sheet(const Catalogue& catalogue, const Description& node, const std::string& part) {
  const UnitSheet* sheet = find_unit_sheet(catalogue, node);
  if (sheet == nullptr) return nullptr;
  const auto found = std::ranges::find(sheet->parts, part, &PartSheet::name);
  return found == sheet->parts.end() ? nullptr : &*found;
}

using Indices = std::vector<std::size_t>;

/// Vendor-defined controls that the sheet needs.
Indices opaque_wanted(const Catalogue& catalogue, const Description& node, const hid::Descriptor& descriptor,
                      std::span<const hid::ReportControl> controls) {
  Indices wanted;
  const UnitSheet* sheet = find_unit_sheet(catalogue, node);
  if (sheet == nullptr) return wanted;
  const auto want = [&](const std::string& name) {
    const auto index = name.empty() ? std::nullopt : hid::find_control(descriptor, controls, name);
    if (index && controls[*index].kind == hid::Kind::opaque) wanted.push_back(*index);
  };
  for (const ControlSheet& control : sheet->controls) want(control.raw);
  for (const PartSheet& part : sheet->parts) want(part.plugged);
  return wanted;
}

}  // namespace

RawUnit::RawUnit(const Catalogue& catalogue, const Description& node, Time opened)
    : descriptor_(descriptor_of(node)),
      controls_(hid::controls_of(descriptor_)),
      socket_of_(controls_.size(), -1),
      rests_(controls_.size()),
      decoder_(descriptor_, opaque_wanted(catalogue, node, descriptor_, controls_)),
      opened_(opened) {
  find_sockets(catalogue, node);
  find_rests(catalogue, node);
  socket_changes_.reserve(sockets_.size());
  std::size_t most = decoder_.most_changes() + controls_.size();
  for (const Socket& socket : sockets_) most += socket.controls.size();
  changes_.reserve(most);
}

void RawUnit::find_sockets(const Catalogue& catalogue, const Description& node) {
  const auto parts = unit_parts(catalogue, node);
  const auto indices = part_controls(catalogue, node);
  const UnitSheet* sheet = find_unit_sheet(catalogue, node);
  const bool streams = sheet != nullptr && sheet->streams && parts.size() > 1;
  for (std::size_t part = 0; part < indices.size(); ++part) {
    Socket socket;
    if (streams) socket.reports = reports_of(indices[part]);
    for (std::size_t other = 0; other < indices.size(); ++other)
      if (other != part && (reports_of(indices[other]) & socket.reports).any()) socket.reports.reset();
    socket.controls = indices[part];
    if (const PartSheet* said = part_sheet(catalogue, node, parts[part]); said != nullptr && !said->plugged.empty()) {
      socket.sign = hid::find_control(descriptor_, controls_, said->plugged);
      socket.sign_bits = said->plugged_bits;
      socket.sign_empty = said->empty_is;
    }
    add_socket(static_cast<std::uint16_t>(part), std::move(socket));
  }
}

std::bitset<256> RawUnit::reports_of(const std::vector<std::size_t>& controls) const {
  std::bitset<256> reports;
  for (const std::size_t index : controls) reports.set(descriptor_.fields[controls_[index].field].report);
  return reports;
}

/// Buttons, keys and hats rest at 0; sticks as their sheet or range says.
void RawUnit::find_rests(const Catalogue& catalogue, const Description& node) {
  for (std::size_t index = 0; index < controls_.size(); ++index)
    if (controls_[index].kind != hid::Kind::value && controls_[index].kind != hid::Kind::counts &&
        controls_[index].kind != hid::Kind::opaque)
      rests_[index] = 0;
  for (const std::string& part : unit_parts(catalogue, node))
    for (const Control& control : attach_node(catalogue, node, node, part).controls)
      if (const auto kind = role_kind(control.role); kind == RoleKind::stick || kind == RoleKind::dpad)
        rests_[control.code.number] = control.rest;
}

void RawUnit::add_socket(std::uint16_t part, Socket socket) {
  socket.part = part;
  socket.last_heard = opened_;
  for (const std::size_t index : socket.controls)
    if (descriptor_.fields[controls_[index].field].has_null() && controls_[index].kind == hid::Kind::value)
      socket.may_be_empty.push_back(index);
  if (socket.may_be_empty.empty() && !socket.sign && socket.reports.none()) return;
  for (const std::size_t index : socket.controls) socket_of_[index] = static_cast<int>(sockets_.size());
  sockets_.push_back(std::move(socket));
}

void RawUnit::begin_as(const Description& event_node) {
  const auto codes = hid::kernel_codes(descriptor_, controls_);
  for (std::size_t index = 0; index < controls_.size(); ++index) {
    if (codes[index].fate != hid::Fate::kept || controls_[index].kind != hid::Kind::button) continue;
    const CodeRange* range = event_node.find(codes[index].code);
    if (range != nullptr && range->value != 0) decoder_.assume(index, 1);
  }
}

bool RawUnit::is_button(std::size_t control) const noexcept {
  return controls_[control].kind == hid::Kind::button || controls_[control].kind == hid::Kind::key;
}

/// Nothing before the first report.
std::optional<bool> RawUnit::is_plugged(const Socket& socket, Time now) const noexcept {
  if (socket.reports.any() && now - socket.last_heard >= silence_that_means_empty) return false;
  if (socket.sign) {
    if (!decoder_.has_come(*socket.sign)) return std::nullopt;
    const auto said = static_cast<std::uint32_t>(decoder_.value(*socket.sign));
    return (said & socket.sign_bits) != socket.sign_empty;
  }
  std::optional<bool> plugged;
  if (socket.reports.any() && socket.last_heard != opened_) plugged = true;
  for (const std::size_t index : socket.may_be_empty) {
    if (!decoder_.has_come(index)) continue;
    if (decoder_.has_value(index)) return true;
    plugged = false;
  }
  return plugged;
}

/// Sockets, and the state of those whose plug was just connected.
void RawUnit::look_into_sockets(Time now) noexcept {
  changes_.clear();
  socket_changes_.clear();
  for (Socket& socket : sockets_) {
    const std::optional<bool> before = socket.plugged;
    socket.plugged = is_plugged(socket, now);
    socket.was_put_in = before == false && socket.plugged == true;
    const bool found_empty = before != false && socket.plugged == false;
    if (socket.was_put_in || found_empty) socket_changes_.push_back({socket.part, socket.was_put_in});
  }
  for (const Socket& socket : sockets_) {
    if (!socket.was_put_in) continue;
    for (const std::size_t index : socket.controls)
      if (controls_[index].kind != hid::Kind::counts && decoder_.has_come(index))
        changes_.push_back({hid::code_of(index), decoder_.value(index)});
  }
}

bool RawUnit::is_reported(const Change& change, bool as_found) const noexcept {
  const std::size_t index = change.code.number;
  if (as_found && is_button(index) && change.value != 0) return false;
  if (socket_of_[index] < 0) return true;
  const Socket& socket = sockets_[static_cast<std::size_t>(socket_of_[index])];
  return !socket.was_put_in && socket.plugged != false;
}

RawUnit::Update RawUnit::feed(std::span<const std::uint8_t> report, Time now) noexcept {
  const auto changes = decoder_.decode(report);
  const std::uint8_t id = descriptor_.numbered && !report.empty() ? report.front() : 0;
  sure_.set(id);
  for (Socket& socket : sockets_)
    if (socket.reports.test(id)) socket.last_heard = now;
  look_into_sockets(now);
  const bool as_found = now < opened_ + at_once;
  std::ranges::copy_if(changes, std::back_inserter(changes_),
                       [&](const Change& change) { return is_reported(change, as_found); });
  return {changes_, socket_changes_};
}

void RawUnit::may_have_lost(Time now) noexcept {
  unsure_until_ = now + moment_behind_a_loss;
  sure_.reset();
}

void RawUnit::let_go_unsure() noexcept {
  unsure_until_.reset();
  for (std::size_t index = 0; index < rests_.size(); ++index) {
    if (!rests_[index] || sure_.test(descriptor_.fields[controls_[index].field].report)) continue;
    if (!decoder_.has_come(index) || decoder_.value(index) == *rests_[index]) continue;
    const Change gone{hid::code_of(index), *rests_[index]};
    decoder_.assume(index, gone.value);
    if (is_reported(gone, false)) changes_.push_back(gone);
  }
}

RawUnit::Update RawUnit::advance(Time now) noexcept {
  look_into_sockets(now);
  if (unsure_until_ && now >= *unsure_until_) let_go_unsure();
  return {changes_, socket_changes_};
}

std::optional<Time> RawUnit::next_due() const noexcept {
  std::optional<Time> due = unsure_until_;
  for (const Socket& socket : sockets_) {
    if (socket.reports.none() || socket.plugged == false) continue;
    const Time silent = socket.last_heard + silence_that_means_empty;
    if (!due || silent < *due) due = silent;
  }
  return due;
}

}  // namespace omnipar::inline abi_0
