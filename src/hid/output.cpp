#include "omnipar/hid_output.hpp"

#include <algorithm>
#include <cmath>
#include <set>

#include "hid/pages.hpp"

namespace omnipar::inline abi_0::hid {
namespace {

constexpr Usage magnitude{page::forces, 0x70}, enable_actuators{page::forces, 0x97}, duration{page::forces, 0x50};
constexpr Usage generic_indicator{page::leds, 0x4b}, player_1{page::leds, 0x61}, player_8{page::leds, 0x68};
constexpr std::uint32_t widest_output = 32;

bool can_be_told(const Field& field) {
  return field.type == FieldType::output && !field.is_constant() && field.is_variable() && field.size >= 1 &&
         field.size <= widest_output;
}

Usage usage_at(const Field& field, std::size_t element) {
  return field.usages.empty() ? Usage{} : field.usages[std::min(element, field.usages.size() - 1)];
}

/// The players that have controls in a collection.
std::set<std::size_t> players_in(const Descriptor& descriptor, std::span<const ReportControl> controls, int collection,
                                 std::span<const std::vector<std::size_t>> players) {
  const auto lies_in = [&](std::size_t index) {
    int at = descriptor.fields[controls[index].field].collection;
    while (at >= 0 && at != collection) at = descriptor.collections[static_cast<std::size_t>(at)].parent;
    return at == collection;
  };
  std::set<std::size_t> in;
  for (std::size_t p = 0; p < players.size(); ++p)
    if (std::ranges::any_of(players[p], lies_in)) in.insert(p);
  return in;
}

/// The only player in the innermost collection around an output that has any; -1 if it has several.
int player_by_collection(const Descriptor& descriptor, std::span<const ReportControl> controls, int collection,
                         std::span<const std::vector<std::size_t>> players) {
  for (; collection >= 0; collection = descriptor.collections[static_cast<std::size_t>(collection)].parent) {
    const auto in = players_in(descriptor, controls, collection, players);
    if (!in.empty()) return in.size() == 1 ? static_cast<int>(*in.begin()) : -1;
  }
  return -1;
}

int player_by_report(const Descriptor& descriptor, std::span<const ReportControl> controls, std::uint8_t report,
                     std::span<const std::vector<std::size_t>> players) {
  int only = -1;
  if (!descriptor.numbered) return only;
  for (std::size_t p = 0; p < players.size(); ++p) {
    const bool has_it = std::ranges::any_of(
        players[p], [&](std::size_t index) { return descriptor.fields[controls[index].field].report == report; });
    if (has_it && only >= 0) return -1;
    if (has_it) only = static_cast<int>(p);
  }
  return only;
}

}  // namespace

std::vector<Output> outputs_of(const Descriptor& descriptor) {
  std::vector<Output> outputs;
  for (std::size_t f = 0; f < descriptor.fields.size(); ++f) {
    const Field& field = descriptor.fields[f];
    if (!can_be_told(field)) continue;
    for (std::size_t e = 0; e < field.count && outputs.size() < most_controls; ++e) {
      const Usage usage = usage_at(field, e);
      const bool is_led = usage == generic_indicator || (usage >= player_1 && usage <= player_8);
      if (usage != magnitude && !is_led) continue;
      outputs.push_back(
          {is_led ? OutputKind::led : OutputKind::motor, static_cast<std::uint16_t>(f), static_cast<std::uint16_t>(e)});
    }
  }
  return outputs;
}

std::vector<int> players_of(const Descriptor& descriptor, std::span<const ReportControl> controls,
                            std::span<const Output> outputs, std::span<const std::vector<std::size_t>> players) {
  std::vector<int> all;
  for (const Output& output : outputs) {
    const Field& field = descriptor.fields[output.field];
    int player = player_by_collection(descriptor, controls, field.collection, players);
    if (player < 0) player = player_by_report(descriptor, controls, field.report, players);
    all.push_back(player);
  }
  for (const OutputKind kind : {OutputKind::motor, OutputKind::led}) {
    std::vector<std::size_t> of_kind;
    for (std::size_t i = 0; i < outputs.size(); ++i)
      if (outputs[i].kind == kind) of_kind.push_back(i);
    const bool none_is_known = std::ranges::all_of(of_kind, [&](std::size_t i) { return all[i] < 0; });
    if (!none_is_known || players.empty() || of_kind.size() % players.size() != 0) continue;
    const std::size_t each = of_kind.size() / players.size();
    for (std::size_t i = 0; i < of_kind.size(); ++i) all[of_kind[i]] = static_cast<int>(i / each);
  }
  return all;
}

Encoder::Encoder(const Descriptor& descriptor) : fields_(descriptor.fields) {
  const std::vector<Output> outputs = outputs_of(descriptor);
  for (const Output& output : outputs) {
    const std::uint8_t id = fields_[output.field].report;
    if (std::ranges::find(reports_, id, &Report::id) != reports_.end()) continue;
    const std::size_t bytes = descriptor.report_bytes(FieldType::output, id) + (descriptor.numbered ? 0 : 1);
    reports_.push_back({id, false, std::vector<std::uint8_t>(bytes)});
    reports_.back().bytes.front() = id;
  }
  prepare_motors(descriptor);
  for (const Output& output : outputs) set(output, 0);
}

/// All motors are on, with the longest duration and any strength; everything else in their reports is 0.
void Encoder::prepare_motors(const Descriptor& descriptor) {
  std::set<std::uint8_t> with_motors;
  for (const Output& output : outputs_of(descriptor))
    if (output.kind == OutputKind::motor) with_motors.insert(fields_[output.field].report);
  for (const Field& field : fields_) {
    if (!can_be_told(field) || !with_motors.contains(field.report)) continue;
    for (std::uint32_t e = 0; e < field.count; ++e) {
      const Usage usage = usage_at(field, e);
      if (usage != enable_actuators && usage != duration) continue;
      put(field, e, field.maximum);
      if (usage == duration) reports_[place_of(field.report)].has_duration = true;
    }
  }
}

std::size_t Encoder::place_of(std::uint8_t id) const noexcept {
  return static_cast<std::size_t>(std::ranges::find(reports_, id, &Report::id) - reports_.begin());
}

void Encoder::put(const Field& field, std::uint32_t element, std::int64_t value) noexcept {
  std::vector<std::uint8_t>& bytes = reports_[place_of(field.report)].bytes;
  const auto raw = static_cast<std::uint64_t>(value);
  for (std::uint32_t i = 0; i < field.size; ++i) {
    const std::uint32_t bit = 8 + field.bit + element * field.size + i;
    const auto mask = static_cast<std::uint8_t>(1U << bit % 8);
    std::uint8_t& byte = bytes[bit / 8];
    byte = static_cast<std::uint8_t>((raw >> i & 1) != 0 ? byte | mask : byte & ~mask);
  }
}

void Encoder::set(const Output& output, double level) noexcept {
  const Field& field = fields_[output.field];
  const double range = static_cast<double>(field.maximum) - field.minimum;
  put(field, output.element, field.minimum + std::llround(std::clamp(level, 0.0, 1.0) * range));
}

std::span<const std::uint8_t> Encoder::report_of(const Output& output) const noexcept {
  return reports_[place_of(fields_[output.field].report)].bytes;
}

bool Encoder::must_be_repeated(const Output& motor) const noexcept {
  return reports_[place_of(fields_[motor.field].report)].has_duration;
}

}  // namespace omnipar::inline abi_0::hid
