#include "play/script.hpp"

#include "play/hotkeys.hpp"

#include <algorithm>
#include <utility>

namespace omnipar::play {
namespace {

Description as_found(const Description& node, std::span<const Change> state) {
  Description found = node;
  for (const Change& change : state)
    for (CodeRange& range : found.codes)
      if (range.code == change.code) range.value = change.value;
  return found;
}

}  // namespace

Script::Script(const Plan& plan, const Catalogue& catalogue, Rig rig, Audience& audience, Profile profile)
    : catalogue_(catalogue),
      profile_(std::move(profile)),
      engine_(plan),
      audience_(audience),
      table_(engine_, catalogue, std::move(rig), audience),
      reader_(engine_),
      host_(
          catalogue, [this](const TraceEvent& event, const Description& node) { play(event, node); },
          [this](const Diagnostic& why) { audience_.cannot_attach(why); }) {}

void Script::take_frame() {
  ++frame_;
  const Plan plan = engine_.plan();
  const Time time{frame_ * plan.frame()};
  table_.advance(time);
  engine_.advance(time);
  reader_.next_frame();
  const auto fired = [&](std::string_view action) {
    const auto target = plan.target(0, action);
    if (!target || !reader_.port(0).pressed(*target)) return false;
    const auto index = static_cast<std::uint16_t>(plan.port(0)->first_target + target->value);
    return std::ranges::find(reader_.changed(), index) != reader_.changed().end();
  };
  ended_ = ended_ || fired(exit_action);
  audience_.frame(time, reader_);
  const bool turns = fired(freeze_action);
  if (fired(swap_action)) swap_ports();
  if (!turns) return;
  turned_ = true;
  engine_.frozen() ? engine_.thaw() : engine_.freeze();
  audience_.froze(engine_.frozen());
}

void Script::swap_ports() {
  const auto plan = swapped_plan(catalogue_, profile_);
  if (!plan) return audience_.cannot_attach(plan.error().front());
  engine_.adopt(*plan);
  turned_ = true;
  audience_.swapped(*plan);
}

/// Frames in which nothing can change are passed over.
void Script::frames_before(Time time) {
  const Duration frame = engine_.plan().frame();
  const auto next = [&] { return Time{(frame_ + 1) * frame}; };
  while (!ended_ && next() < time) {
    take_frame();
    if (!reader_.changed().empty() || std::exchange(turned_, false)) continue;
    const Time until = std::min({time, engine_.next_due().value_or(time), table_.next_due().value_or(time)});
    if (next() < until) frame_ = (until.time_since_epoch() - Duration{1}) / frame;
  }
}

void Script::play(const TraceEvent& event, const Description& unit) {
  frames_before(event.time);
  if (ended_) return;
  audience_.act(event, unit);
  table_.advance(event.time);
  engine_.advance(event.time);
  switch (event.deed) {
    case Deed::plug_in:
      return table_.arrive(event.node, as_found(unit, event.changes));
    case Deed::pull_out:
      return table_.leave(event.node);
    case Deed::report:
      return table_.report(event.node, {event.time, event.changes});
  }
}

void Script::finish() {
  settle();
  constexpr int more_frames = 2;
  host_.pass(Time{(frame_ + more_frames) * engine_.plan().frame()});
  for (int more = 0; more < more_frames && !ended_; ++more) take_frame();
}

}  // namespace omnipar::play
