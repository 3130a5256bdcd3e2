// What is shown while a trace is played: a table for people, or samples for programs.
#pragma once

#include <functional>
#include <memory>
#include <string>

#include "play/script.hpp"

namespace omnipar::cli {

/// Where lines go.
using LineSink = std::function<void(const std::string& line)>;

class View : public play::Audience {
 public:
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

}  // namespace omnipar::cli
