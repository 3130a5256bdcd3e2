// Save states: an engine and its readers as one flat block. The physical controls are never restored.
#include <algorithm>
#include <array>
#include <bit>
#include <cstring>
#include <utility>

#include "engine/engine_state.hpp"
#include "engine/sampler.hpp"

namespace omnipar::inline abi_0::engine {
namespace {

/// The head of a save; the engine's block follows, and then the readers.
struct SavedHead {
  std::uint64_t engine = 0;   ///< the engine's identity
  std::uint64_t wirings = 0;  ///< identifies the attached units and the plan
  std::uint64_t size = 0;     ///< of the whole save
  std::uint64_t readers = 0;
};

/// Appends values; the caller has ensured that there is space.
class Writer {
 public:
  explicit Writer(std::byte* at) noexcept : at_(at) {}
  template <typename T>
  void put(const T* values, std::size_t count) noexcept {
    std::memcpy(at_, values, count * sizeof(T));
    at_ += count * sizeof(T);
  }

 private:
  std::byte* at_;
};

class Taker {
 public:
  explicit Taker(const std::byte* at) noexcept : at_(at) {}
  template <typename T>
  void read(T* values, std::size_t count) noexcept {
    std::memcpy(values, at_, count * sizeof(T));
    skip(count * sizeof(T));
  }
  void skip(std::size_t bytes) noexcept { at_ += bytes; }

 private:
  const std::byte* at_;
};

}  // namespace

/// The physical controls and pending samples before a restore, to apply afterwards.
struct State::Present {
  std::int64_t now = 0;
  std::array<std::int32_t, max_units * max_axes> raw{};
  std::array<std::uint32_t, max_units> known{}, held_over{};
  std::array<std::uint64_t, max_units * button_words> down{};
  std::array<plan::LearnedRange, max_units * max_axes> reaches{};
  Unshown made{};  ///< since the save
};

std::size_t State::saved_size() const noexcept {
  return sizeof(SavedHead) + block.size() + samplers.size() * Sampler::saved_size(plan_data->targets.size());
}

bool State::save(std::span<std::byte> into) const noexcept {
  if (into.size() < saved_size()) return false;
  const SavedHead first{key, wirings, saved_size(), samplers.size()};
  Writer out{into.data()};
  out.put(&first, 1);
  out.put(block.data(), block.size());
  std::byte* at = into.data() + sizeof first + block.size();
  for (const Sampler* sampler : samplers) {
    sampler->save(at);
    at += Sampler::saved_size(plan_data->targets.size());
  }
  return true;
}

bool State::restore(std::span<const std::byte> saved) noexcept {
  SavedHead first;
  if (saved.size() < sizeof first) return false;
  Taker in{saved.data()};
  in.read(&first, 1);
  if (first.engine != key || first.wirings != wirings || first.size > saved.size()) return false;
  StateHead then;
  std::memcpy(&then, saved.data() + sizeof first, sizeof then);
  if (then.frozen != head->frozen) return false;
  Present present;
  note_present(present);
  in.read(block.data(), block.size());
  for (std::size_t t = 0; t < plan_data->targets.size(); ++t) {
    present.made.presses[t] -= presses[t];
    present.made.total[t] -= total[t];
  }
  put_off(present.now - head->now);
  Unshown again{};  // held controls are applied anyway
  std::copy_n(presses, plan_data->targets.size(), again.presses.begin());
  follow_hands(present);
  for (std::size_t t = 0; t < plan_data->targets.size(); ++t) again.presses[t] = presses[t] - again.presses[t];
  const std::byte* readers = saved.data() + sizeof first + block.size();
  for (Sampler* sampler : samplers)
    sampler->restore({readers, first.readers * Sampler::saved_size(plan_data->targets.size())}, present.made, again,
                     head->now - then.now);
  return true;
}

void State::note_present(Present& present) const noexcept {
  present.now = head->now;
  std::copy_n(raw, present.raw.size(), present.raw.begin());
  std::copy_n(known, present.known.size(), present.known.begin());
  std::copy_n(held_over, present.held_over.size(), present.held_over.begin());
  std::copy_n(down, present.down.size(), present.down.begin());
  std::copy_n(reaches, present.reaches.size(), present.reaches.begin());
  std::copy_n(presses, plan_data->targets.size(), present.made.presses.begin());
  std::copy_n(total, plan_data->targets.size(), present.made.total.begin());
}

/// Deadlines keep their distance to the current time.
void State::put_off(std::int64_t time) noexcept {
  if (time == 0) return;
  head->now += time;
  for (std::size_t cell = 0; cell < plan_data->gate_at.size(); ++cell)
    if (deadline[cell] != never) deadline[cell] += time;
  for (const AnalogOperation& operation : plan_data->operations)
    for (std::size_t unit = 0; is_aim(operation.kind) && unit < max_units; ++unit)
      aims[aim_of(operation, unit)].pulled += time;
  find_next_due();
}

/// Applies the current physical state like a report.
void State::follow_hands(const Present& present) noexcept {
  std::copy_n(present.reaches.begin(), present.reaches.size(), reaches);
  for (std::size_t unit = 0; unit < max_units; ++unit) {
    if (!slots[unit].used) continue;
    std::array<Change, most_codes> changes{};
    const std::size_t count = differences(present, unit, changes);
    held_over[unit] &= present.held_over.at(unit);
    if (count > 0) apply_state(unit, std::span{changes}.first(count));
  }
}

/// The differences to the current state, one change per code.
std::size_t State::differences(const Present& present, std::size_t unit,
                               std::array<Change, most_codes>& changes) const noexcept {
  const Slot& slot = slots[unit];
  std::size_t count = 0;
  const auto is_down = [&](const std::uint64_t* words, std::size_t button) {
    return (words[unit * button_words + button / 64] >> button % 64 & 1) != 0;
  };
  const auto changes_button = [&](std::size_t button) {
    return is_down(down, button) != is_down(present.down.data(), button);
  };
  const auto is_now = [&](std::size_t button) { return is_down(present.down.data(), button); };
  const auto put = [&](Code code, std::int32_t value) {
    const auto so_far = std::span{changes}.first(count);
    const bool is_known = std::ranges::find(so_far, code, &Change::code) != so_far.end();
    if (!is_known && count < changes.size()) changes[count++] = {code, value};
  };
  for (const Control& control : slot.attachment.controls) {
    const Wire& wire = slot.wires[slot.codes.find(control.code)];
    if (wire.kind == WireKind::button && changes_button(wire.button)) put(control.code, is_now(wire.button) ? 1 : 0);
    if (wire.kind == WireKind::hat && (changes_button(wire.button) || changes_button(wire.button + 1U)))
      put(control.code, is_now(wire.button) ? -1 : is_now(wire.button + 1U) ? 1 : 0);
    if (!is_axis(wire.kind)) continue;
    const auto bit = static_cast<std::uint32_t>(wire.touches);
    const std::uint32_t other = (known[unit] ^ present.known.at(unit)) | (held_over[unit] ^ present.held_over.at(unit));
    if (raw[wire.axis] != present.raw.at(wire.axis) || (other & bit) != 0) put(control.code, present.raw.at(wire.axis));
  }
  return count;
}

// -- readers ------------------------------------------------------------------------------------------------------

struct Sampler::SavedReader {
  std::uint64_t number = 0;
  std::uint64_t samples = 0;
  std::int64_t rested = 0;
  std::uint64_t behind_count = 0;
  std::uint64_t carried = 0;
};

std::size_t Sampler::saved_size(std::size_t targets) noexcept {
  constexpr std::size_t step = alignof(Shown);
  return sizeof(SavedReader) + targets * sizeof(Shown) + (targets * sizeof(Index) + step - 1) / step * step;
}

void Sampler::save(std::byte* into) const noexcept {
  const std::size_t targets = engine_.plan_data->targets.size();
  const SavedReader head{number_, samples_, rested_, behind_count_, carried_ ? 1U : 0U};
  Writer out{into};
  out.put(&head, 1);
  out.put(shown_.data(), targets);
  out.put(behind_.data(), targets);
}

void Sampler::restore(std::span<const std::byte> saved, const Unshown& made, const Unshown& again,
                      std::int64_t later) noexcept {
  const std::size_t targets = engine_.plan_data->targets.size();
  SavedReader head;
  for (; !saved.empty(); saved = saved.subspan(saved_size(targets))) {
    std::memcpy(&head, saved.data(), sizeof head);
    if (head.number == number_) break;
  }
  tail_ = engine_.head->journal_end - journal_length - 1;  // the next sample evaluates everything
  if (saved.empty()) return;
  const bool has_shown = samples_ != head.samples;
  Taker in{saved.data() + sizeof head};
  for (std::size_t t = 0; t < targets; ++t) {
    Shown then;
    in.read(&then, 1);
    undo(static_cast<Index>(t), then, made, again, has_shown);
    shown_[t].since += later;
  }
  in.read(behind_.data(), targets);
  behind_count_ = head.behind_count;
  samples_ = head.samples;
  carried_ = head.carried != 0;
  rested_ = head.rested == never ? never : head.rested + later;
  changed_count_ = 0;
}

/// Restores the shown value. Presses since then that were not shown are still pending.
void Sampler::undo(Index target, const Shown& then, const Unshown& made, const Unshown& again,
                   bool has_shown) noexcept {
  Shown& shown = shown_[target];
  const auto without = [](std::uint32_t all, std::uint32_t some) { return all - std::min(all, some); };
  const std::uint32_t saved = engine_.presses[target] - again.presses[target];
  const std::uint32_t open_then = saved - then.taken;
  const std::uint32_t shown_since = shown.presses > then.presses ? shown.presses - then.presses : 0;
  const std::uint32_t open = without(saved + made.presses[target] - shown.taken, without(open_then, shown_since));
  const std::int64_t all = engine_.total[target] + made.total[target] - shown.total;
  const std::int64_t unshown = has_shown ? all : all - (engine_.total[target] - then.total);
  if (shown.value != then.value) {
    undone_.at(target / 64) |= std::uint64_t{1} << target % 64;
    has_undone_ = true;
  }
  shown = then;
  shown.taken -= without(open, again.presses[target]);
  shown.total -= unshown;
}

/// Values that were shown differently before a restore count as changed, too.
void Sampler::add_undone() noexcept {
  has_undone_ = false;
  for (std::size_t w = 0; w < undone_.size(); ++w)
    for (std::uint64_t bits = std::exchange(undone_.at(w), 0); bits != 0; bits &= bits - 1) {
      const TargetPlace target{static_cast<Index>(w * 64 + static_cast<std::size_t>(std::countr_zero(bits)))};
      if (std::ranges::find(changed(), target) == changed().end()) changed_[changed_count_++] = target;
    }
}

}  // namespace omnipar::inline abi_0::engine
