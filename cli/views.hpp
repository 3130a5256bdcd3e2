// What is shown while a trace is played: a table for people, or samples for programs.
#pragma once

#include <functional>
#include <memory>
#include <string>

#include "omnipar/reader.hpp"
#include "omnipar/session.hpp"

namespace omnipar::cli {

/// Where lines go.
using LineSink = std::function<void(const std::string& line)>;

/// Who looks on. Acts and frames come in order of time; an act at the very moment of a frame comes first.
class View {
 public:
  virtual ~View() = default;
  /// Called before each event of a unit. Raw reports are passed as their changes.
  virtual void act(const TraceEvent& event, const Description& unit) = 0;
  virtual void on_event(const SessionEvent& event, Time now) = 0;
  /// The machine has taken a sample; the reader shows it.
  virtual void frame(Time time, const Reader& reader) = 0;
  /// To be called behind the last frame.
  virtual void end() = 0;
};

/// Each act on a line of its own, and beside it what each port then sees; a port sees it at the machine's next
/// frame. `pace`, if given, is called before a line is printed, with the time that it belongs to.
[[nodiscard]] std::unique_ptr<View> table_view(const Plan& plan, LineSink sink, std::function<void(Time)> pace = {});

/// JSON Lines: {"t":us,"port":n,"changed":{target:native value}} for each frame that differs from the one
/// before, {"t":us,"action":action}, and {"t":us,"seat":…,"unit":…,"event":"seated"|"back"|"joined"|"gone"|"asked"|"no
/// use"|"no seat"|"empty"|"put in"|"out"}.
[[nodiscard]] std::unique_ptr<View> sample_view(const Plan& plan, LineSink sink);

/// Plays a room with this profile to its end, or until its exit action fires, with a sample each frame. The rig as it
/// is then; `ranges` gets what was found by use. `pace`, for a table, is called before a line is printed, with the time
/// that it belongs to.
[[nodiscard]] tl::expected<Rig, Diagnostics> play_through(SessionOptions options, Room room, bool json,
                                                          const LineSink& sink, std::function<void(Time)> pace = {},
                                                          std::vector<Calibration>* ranges = nullptr);

}  // namespace omnipar::cli
