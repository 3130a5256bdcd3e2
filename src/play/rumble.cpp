#include "play/rumble.hpp"

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <iterator>
#include <utility>

namespace omnipar::inline abi_0::play {
namespace {

bool can(std::span<const std::uint16_t> abilities, std::uint16_t what) {
  return std::ranges::find(abilities, what) != abilities.end();
}

std::uint16_t scaled(std::uint16_t value, double strength) {
  return static_cast<std::uint16_t>(std::lround(value * strength));
}
std::int16_t scaled(std::int16_t value, double strength) {
  return static_cast<std::int16_t>(std::lround(value * strength));
}

/// The strength of an effect, 0..65535.
std::uint16_t force_of(const ff_effect& effect) {
  const auto doubled = [](int value) { return static_cast<std::uint16_t>(std::min(65535, std::abs(value) * 2)); };
  if (effect.type == FF_RUMBLE) return std::max(effect.u.rumble.strong_magnitude, effect.u.rumble.weak_magnitude);
  return effect.type == FF_PERIODIC ? doubled(effect.u.periodic.magnitude) : doubled(effect.u.constant.level);
}

void scale(ff_envelope& envelope, double strength) {
  envelope.attack_level = scaled(envelope.attack_level, strength);
  envelope.fade_level = scaled(envelope.fade_level, strength);
}

void scale(ff_effect& effect, double strength) {
  if (effect.type == FF_RUMBLE) {
    effect.u.rumble.strong_magnitude = scaled(effect.u.rumble.strong_magnitude, strength);
    effect.u.rumble.weak_magnitude = scaled(effect.u.rumble.weak_magnitude, strength);
  } else if (effect.type == FF_PERIODIC) {
    effect.u.periodic.magnitude = scaled(effect.u.periodic.magnitude, strength);
    scale(effect.u.periodic.envelope, strength);
  } else {
    effect.u.constant.level = scaled(effect.u.constant.level, strength);
    scale(effect.u.constant.envelope, strength);
  }
}

constexpr std::uint16_t shake_period_ms = 50;

/// The same force with another type of effect.
bool replace(ff_effect& effect, std::span<const std::uint16_t> abilities) {
  const std::uint16_t force = force_of(effect);
  effect.u = {};
  if (can(abilities, FF_RUMBLE)) {
    effect.type = FF_RUMBLE;
    effect.u.rumble = {force, force};
  } else if (can(abilities, FF_PERIODIC) && can(abilities, FF_SINE)) {
    effect.type = FF_PERIODIC;
    effect.u.periodic.waveform = FF_SINE;
    effect.u.periodic.period = shake_period_ms;
    effect.u.periodic.magnitude = static_cast<std::int16_t>(force / 2);
  } else if (can(abilities, FF_CONSTANT)) {
    effect.type = FF_CONSTANT;
    effect.u.constant.level = static_cast<std::int16_t>(force / 2);
  } else {
    return false;
  }
  return true;
}

}  // namespace

bool translate(ff_effect& effect, std::span<const std::uint16_t> abilities, double strength) {
  const bool known = effect.type == FF_RUMBLE || effect.type == FF_PERIODIC || effect.type == FF_CONSTANT;
  if (!known) return false;
  const bool as_it_is =
      can(abilities, effect.type) && (effect.type != FF_PERIODIC || can(abilities, effect.u.periodic.waveform));
  if (!as_it_is && !replace(effect, abilities)) return false;
  scale(effect, strength);
  return true;
}

void Rumble::process(Asker asker, const std::vector<outlet::ForceRequest>& requests,
                     std::span<const host::NodePart> parts) {
  Pad& pad = pads_[asker];
  for (const outlet::ForceRequest& request : requests) {
    Effect& effect = pad.effects.at(static_cast<std::size_t>(request.effect));
    switch (request.kind) {
      case outlet::ForceKind::upload:
        upload(pad, effect, request.what);
        break;
      case outlet::ForceKind::erase:
        erase(effect);
        break;
      case outlet::ForceKind::play:
        play(pad, effect, request.value, parts);
        break;
      case outlet::ForceKind::strength:
        constexpr double full = 65535;
        pad.gain = request.value / full;
        for (Effect& other : pad.effects) put_anew(pad, other);
        break;
    }
  }
}

/// A replaced effect continues to play with its new parameters.
void Rumble::upload(const Pad& pad, Effect& effect, const ff_effect& what) {
  effect.loaded = true;
  effect.what = what;
  put_anew(pad, effect);
}

void Rumble::put_anew(const Pad& pad, Effect& effect) {
  for (auto at = effect.there.begin(); at != effect.there.end();)
    at = put(pad, effect, at->first) ? std::next(at) : effect.there.erase(at);
}

void Rumble::forget(int node) {
  const auto is_its = [node](const auto& entry) { return entry.first.node == node; };
  std::erase_if(pulses_, is_its);
  for (auto& [key, pad] : pads_)
    for (Effect& effect : pad.effects) {
      std::erase_if(effect.there, is_its);
      std::erase_if(effect.shaking, [node](host::NodePart part) { return part.node == node; });
    }
}

void Rumble::erase(Effect& effect) {
  for (const auto& [part, number] : effect.there) nodes_.erase_effect(part, number);
  effect = {};
}

/// Uploads the effect to a unit, replacing a previous one.
bool Rumble::put(const Pad& pad, Effect& effect, host::NodePart part) {
  ff_effect there = effect.what;
  const auto known = effect.there.find(part);
  there.id = static_cast<std::int16_t>(known == effect.there.end() ? -1 : known->second);
  if (!translate(there, nodes_.motors(part), strength_ * pad.gain)) return false;
  if (nodes_.put_effect(part, there) < 0) return false;
  effect.there[part] = there.id;
  return true;
}

void Rumble::play(const Pad& pad, Effect& effect, std::int32_t times, std::span<const host::NodePart> parts) {
  effect.playing = times != 0;
  if (frozen_ || !effect.loaded) return;
  if (times == 0) {
    for (const auto& [part, number] : effect.there) nodes_.play_effect(part, number, 0);
    effect.shaking.clear();
    return;
  }
  for (const host::NodePart part : parts) start(pad, effect, times, part);
}

/// Endless effects follow the players; others end on units that leave the port.
void Rumble::move(int port, std::span<const host::NodePart> parts) {
  if (frozen_) return;
  for (auto& [asker, pad] : pads_)
    if (asker.port == port) move(pad, parts);
}

void Rumble::move(Pad& pad, std::span<const host::NodePart> parts) {
  for (Effect& effect : pad.effects) {
    if (!effect.playing) continue;
    std::erase_if(effect.shaking, [&](host::NodePart part) {
      if (std::ranges::find(parts, part) != parts.end()) return false;
      nodes_.play_effect(part, effect.there[part], 0);
      return true;
    });
    for (const host::NodePart part : parts)
      if (effect.what.replay.length == 0 && !effect.shaking.contains(part)) start(pad, effect, 1, part);
  }
}

void Rumble::start(const Pad& pad, Effect& effect, std::int32_t times, host::NodePart part) {
  if (!effect.there.contains(part) && !put(pad, effect, part)) return;
  nodes_.play_effect(part, effect.there[part], times);
  effect.shaking.insert(part);
}

void Rumble::freeze() {
  frozen_ = true;
  for (auto& [key, pad] : pads_)
    for (Effect& effect : pad.effects) {
      if (!effect.playing) continue;
      effect.playing = effect.what.replay.length == 0;  // endless effects resume after the thaw
      for (const auto& [part, number] : effect.there) nodes_.play_effect(part, number, 0);
      effect.shaking.clear();
    }
}

void Rumble::pulse(host::NodePart part, int times) {
  if (strength_ == 0) return;
  ff_effect effect{};
  effect.type = FF_RUMBLE;
  const auto known = pulses_.find(part);
  effect.id = static_cast<std::int16_t>(known == pulses_.end() ? -1 : known->second);
  effect.u.rumble = {0xa000, 0xa000};
  effect.replay = {120, 80};  // ms of rumble, and of the pause before
  if (!translate(effect, nodes_.motors(part), 1) || nodes_.put_effect(part, effect) < 0) return;
  pulses_[part] = effect.id;
  nodes_.play_effect(part, effect.id, times);
}

}  // namespace omnipar::inline abi_0::play
