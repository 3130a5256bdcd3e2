#include "play/script.hpp"

#include <algorithm>

namespace omnipar::play {

Script::Script(const Plan& plan, const Catalogue& catalogue, Rig rig, Audience& audience)
    : plan_(plan),
      engine_(plan),
      audience_(audience),
      table_(engine_, catalogue, std::move(rig), audience),
      reader_(engine_) {}

void Script::take_frame() {
  ++frame_;
  const Time time{frame_ * plan_.frame()};
  engine_.advance(time);
  reader_.next_frame();
  if (const auto exit = plan_.target(0, "exit")) ended_ = ended_ || reader_.port(0).pressed(*exit);
  audience_.frame(time, reader_);
}

/// Frames in which nothing can change are passed over.
void Script::frames_before(Time time) {
  const auto next = [this] { return Time{(frame_ + 1) * plan_.frame()}; };
  while (!ended_ && next() < time) {
    take_frame();
    if (!reader_.changed().empty()) continue;
    const Time until = std::min(time, engine_.next_due().value_or(time));
    if (next() < until) frame_ = (until.time_since_epoch() - Duration{1}) / plan_.frame();
  }
}

void Script::take(const TraceEvent& event, const Description& unit) {
  frames_before(event.time);
  if (ended_) return;
  audience_.act(event, unit);
  engine_.advance(event.time);
  switch (event.deed) {
    case Deed::plug_in: {
      Description found = unit;
      for (const Change& change : event.changes)
        for (CodeRange& range : found.codes)
          if (range.code == change.code) range.value = change.value;
      return table_.arrive(event.node, found);
    }
    case Deed::pull_out:
      return table_.leave(event.node);
    case Deed::report:
      return table_.report(event.node, {event.time, event.changes});
  }
}

void Script::finish() {
  for (int more = 0; more < 2 && !ended_; ++more) take_frame();
}

}  // namespace omnipar::play
