// Raw reports to values. A report whose words are unchanged costs one comparison per word.
#include <algorithm>
#include <bit>
#include <cstring>

#include "hid/pages.hpp"
#include "omnipar/hid.hpp"

namespace omnipar::inline abi_0::hid {
namespace {

constexpr std::uint32_t word_bits = 64;

/// Directions of a hat, clockwise from the top; 0: none (the kernel's numbering).
constexpr std::array<std::array<std::int8_t, 2>, 9> directions{
    {{0, 0}, {0, -1}, {1, -1}, {1, 0}, {1, 1}, {0, 1}, {-1, 1}, {-1, 0}, {-1, -1}}};

std::int32_t hat_half(Kind half, std::int64_t value, std::int64_t minimum, std::int64_t maximum) noexcept {
  if (value < minimum || value > maximum) return 0;
  const std::int64_t direction = (value - minimum) * 8 / (maximum - minimum + 1) + 1;
  return directions.at(static_cast<std::size_t>(direction)).at(half == Kind::hat_x ? 0 : 1);
}

}  // namespace

Decoder::Decoder(const Descriptor& descriptor, std::span<const std::size_t> opaque) : numbered_(descriptor.numbered) {
  const std::vector<ReportControl> controls = controls_of(descriptor);
  values_.assign(controls.size(), 0);
  null_.assign(controls.size(), false);
  layouts_.emplace_back();  // of no report
  std::size_t most_at_once = 1;
  int array_field = -1;
  for (std::size_t c = 0; c < controls.size(); ++c) {
    const ReportControl& control = controls[c];
    Layout& at = layout_for(descriptor, descriptor.fields[control.field].report);
    layout_at_.push_back(static_cast<std::uint16_t>(&at - layouts_.data()));
    if (control.kind == Kind::opaque && std::ranges::find(opaque, c) == opaque.end()) continue;
    ++most_at_once;
    if (control.kind != Kind::key) {
      (control.kind == Kind::counts ? at.counting : at.slots).push_back(slot_of(descriptor, control, c));
    } else if (std::exchange(array_field, int{control.field}) != int{control.field}) {
      at.arrays.push_back(add_array(descriptor, controls, c));
      most_at_once += 2 * std::size_t{at.arrays.back().count};
    }
  }
  for (Layout& at : layouts_) sort_slots(at);
  words_.assign(std::ranges::max_element(layouts_, {}, &Layout::words)->words + 2, 0);
  changes_.reserve(most_at_once);
}

/// The entry of a report, created if there is none yet.
Decoder::Layout& Decoder::layout_for(const Descriptor& descriptor, std::uint8_t report) {
  std::uint16_t& number = layout_of_.at(report);
  if (number != 0) return layouts_[number];
  number = static_cast<std::uint16_t>(layouts_.size());
  Layout& made = layouts_.emplace_back();
  made.bytes = descriptor.report_bytes(FieldType::input, report) - (numbered_ ? 1 : 0);
  made.words = (made.bytes + 7) / 8;
  made.last.assign(made.words, 0);
  made.changed.assign(made.words + 1, 0);
  return made;
}

Decoder::Slot Decoder::slot_of(const Descriptor& descriptor, const ReportControl& control, std::size_t index) {
  const Field& field = descriptor.fields[control.field];
  Slot slot{field.bit + control.element * field.size, static_cast<std::uint8_t>(field.size), control.kind};
  slot.is_signed = field.minimum < 0;
  slot.has_null = field.has_null();
  slot.clamps = field.minimum < field.maximum;
  slot.control = static_cast<std::uint16_t>(index);
  slot.minimum = field.minimum;
  slot.maximum = field.maximum;
  const std::uint64_t bits = (std::uint64_t{1} << slot.size) - 1;
  const std::uint32_t shift = slot.bit % word_bits;
  slot.mask = bits << shift;
  if (shift + slot.size > word_bits) slot.rest = bits >> (word_bits - shift);
  return slot;
}

/// The array whose first key is the control at that index.
Decoder::Array Decoder::add_array(const Descriptor& descriptor, std::span<const ReportControl> controls,
                                  std::size_t first) {
  const ReportControl& key = controls[first];
  const Field& field = descriptor.fields[key.field];
  Array array{field.bit, static_cast<std::uint8_t>(field.size), static_cast<std::uint16_t>(field.count)};
  array.first = static_cast<std::uint16_t>(first);
  array.minimum = field.minimum + key.element;
  array.is_signed = field.minimum < 0;
  array.down = down_.size();
  for (std::size_t k = first; k < controls.size() && controls[k].field == key.field; ++k) ++array.usages;
  const auto rollover = std::ranges::find(field.usages, usage::key_rollover);
  array.can_roll_over = rollover != field.usages.end();
  array.rolled_over = field.minimum + static_cast<std::int32_t>(rollover - field.usages.begin());
  down_.resize(down_.size() + field.count, -1);
  return array;
}

/// In order of their bits, with the index of the first one in each word.
void Decoder::sort_slots(Layout& at) {
  std::ranges::stable_sort(at.slots, {}, &Slot::bit);
  for (std::size_t word = 0; word < at.words; ++word) {
    std::size_t i = 0;
    while (i < at.slots.size() && at.slots[i].bit + at.slots[i].size <= word * word_bits) ++i;
    at.first.push_back(i);
  }
}

std::uint32_t Decoder::bits(std::uint32_t at, std::uint32_t size) const noexcept {
  const std::size_t word = at / word_bits;
  const std::uint32_t shift = at % word_bits;
  std::uint64_t both = words_[word] >> shift;
  if (shift + size > word_bits) both |= words_[word + 1] << (word_bits - shift);
  return static_cast<std::uint32_t>(both & ((std::uint64_t{1} << size) - 1));
}

void Decoder::set(std::size_t control, std::int32_t value) noexcept {
  if (values_[control] == value) return;
  values_[control] = value;
  changes_.push_back({code_of(control), value});
}

void Decoder::store(const Slot& slot) noexcept {
  const std::uint32_t raw = bits(slot.bit, slot.size);
  std::int64_t value = raw;
  if (slot.is_signed) {
    const std::uint32_t unused = 32U - slot.size;
    value = static_cast<std::int32_t>(raw << unused) >> unused;
  }
  if (slot.kind == Kind::hat_x || slot.kind == Kind::hat_y)
    return set(slot.control, hat_half(slot.kind, value, slot.minimum, slot.maximum));
  if (slot.kind == Kind::button) return set(slot.control, value != 0 ? 1 : 0);
  if (slot.clamps) {
    const bool outside = value < slot.minimum || value > slot.maximum;
    if (slot.has_null) null_[slot.control] = outside;
    if (slot.has_null && outside) return;
    value = std::clamp<std::int64_t>(value, slot.minimum, slot.maximum);
  }
  if (slot.kind == Kind::counts) {
    if (value != 0) changes_.push_back({code_of(slot.control), static_cast<std::int32_t>(value)});
    return;
  }
  if (first_ && slot.kind == Kind::value && value == 0) changes_.push_back({code_of(slot.control), 0});
  set(slot.control, static_cast<std::int32_t>(value));
}

/// An array lists the keys that are down. Duplicates count once; values without a usage are ignored.
void Decoder::store(const Array& array) noexcept {
  const auto value_of = [&](std::uint32_t i) {
    const std::uint32_t raw = bits(array.bit + i * array.size, array.size);
    const std::uint32_t unused = 32U - array.size;
    return array.is_signed ? static_cast<std::int32_t>(raw << unused) >> unused : std::int64_t{raw};
  };
  const auto control_of = [&](std::uint32_t i) {
    const std::int64_t index = value_of(i) - array.minimum;
    return index >= 0 && index < array.usages ? static_cast<std::int32_t>(array.first + index) : -1;
  };
  if (array.can_roll_over)
    for (std::uint32_t i = 0; i < array.count; ++i)
      if (value_of(i) == array.rolled_over) return;
  std::int32_t* const down = down_.data() + array.down;
  const auto is_listed = [&](std::int32_t control) {
    for (std::uint32_t i = 0; i < array.count; ++i)
      if (control_of(i) == control) return true;
    return false;
  };
  for (std::uint32_t i = 0; i < array.count; ++i)
    if (down[i] >= 0 && !is_listed(down[i])) set(static_cast<std::size_t>(down[i]), 0);
  for (std::uint32_t i = 0; i < array.count; ++i) {
    down[i] = control_of(i);
    if (down[i] >= 0) set(static_cast<std::size_t>(down[i]), 1);
  }
}

void Decoder::store_changed(const Layout& layout) noexcept {
  const std::uint64_t* const changed = layout.changed.data();
  const Slot* const slots = layout.slots.data();
  const Slot* const end = slots + layout.slots.size();
  const Slot* slot = slots;
  for (std::size_t w = 0; w < layout.words; ++w) {
    if (changed[w] == 0) continue;
    const auto behind = static_cast<std::uint32_t>((w + 1) * word_bits);
    for (slot = std::max(slot, slots + layout.first[w]); slot != end && slot->bit < behind; ++slot) {
      const std::uint64_t* const at = changed + slot->bit / word_bits;
      if (((at[0] & slot->mask) | (at[1] & slot->rest)) != 0) store(*slot);
    }
  }
  for (const Array& array : layout.arrays) store(array);
}

void Decoder::assume(std::size_t control, std::int32_t value) noexcept {
  values_[control] = value;
  layouts_[layout_at_[control]].is_new = true;
}

std::span<const Change> Decoder::decode(std::span<const std::uint8_t> report) noexcept {
  changes_.clear();
  if (report.empty()) return changes_;
  Layout& layout = layouts_[layout_of_[numbered_ ? report.front() : 0]];
  if (numbered_) report = report.subspan(1);
  if (layout.words == 0 || report.size() < layout.bytes) return changes_;
  words_[layout.words - 1] = 0;
  words_[layout.words] = 0;
  std::memcpy(words_.data(), report.data(), layout.bytes);
  if constexpr (std::endian::native == std::endian::big)
    for (std::size_t w = 0; w < layout.words; ++w) words_[w] = __builtin_bswap64(words_[w]);
  std::uint64_t any = 0;
  for (std::size_t w = 0; w < layout.words; ++w) {
    layout.changed[w] = layout.is_new ? ~std::uint64_t{0} : words_[w] ^ layout.last[w];
    any |= layout.changed[w];
    layout.last[w] = words_[w];
  }
  first_ = !layout.known;
  layout.known = true;
  layout.is_new = false;
  if (any != 0) store_changed(layout);
  for (const Slot& slot : layout.counting) store(slot);
  return changes_;
}

}  // namespace omnipar::inline abi_0::hid
