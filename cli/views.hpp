// Output of a trace during replay: a table for people, or samples for programs.
#pragma once

#include <functional>
#include <memory>
#include <string>

#include "omnipar/reader.hpp"
#include "omnipar/session.hpp"

namespace omnipar::cli {

/// Receives lines.
using LineSink = std::function<void(const std::string& line)>;

/// An observer. Events and frames come in order of time; an event at the time of a frame comes first.
class View {
 public:
  virtual ~View() = default;
  /// Called before each event of a unit. Raw reports are passed as changes.
  virtual void act(const TraceEvent& event, const Description& unit) = 0;
  virtual void on_event(const SessionEvent& event, Time now) = 0;
  /// The machine has taken a sample; the reader shows it.
  virtual void frame(Time time, const Reader& reader) = 0;
  /// Must be called after the last frame.
  virtual void end() = 0;
};

/// Each event on its own line, and beside it what each port then sees, in the machine's next
/// frame. `pace`, if given, is called before a line is printed, with the time that it belongs to.
[[nodiscard]] std::unique_ptr<View> table_view(const Plan& plan, LineSink sink, std::function<void(Time)> pace = {});

/// JSON Lines: {"t":us,"port":n,"changed":{target:native value}} for each frame that differs from the one
/// before, {"t":us,"action":action}, and {"t":us,"seat":…,"unit":…,"event":"seated"|"back"|"joined"|"gone"|"asked"|"no
/// use"|"no seat"|"empty"|"put in"|"out"}.
[[nodiscard]] std::unique_ptr<View> sample_view(const Plan& plan, LineSink sink);

/// Plays a room with this profile to its end, or until its exit action fires, with one sample per frame. Returns the
/// final rig; `ranges` receives the learned ranges. `pace`, for a table, is called before a line is printed, with the
/// time that it belongs to.
[[nodiscard]] tl::expected<Rig, Diagnostics> play_through(SessionOptions options, Room room, bool json,
                                                          const LineSink& sink, std::function<void(Time)> pace = {},
                                                          std::vector<Calibration>* ranges = nullptr);

}  // namespace omnipar::cli
