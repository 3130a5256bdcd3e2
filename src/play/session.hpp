// The playing itself: nodes in, virtual pads out, until somebody ends it.
#pragma once

#include <functional>
#include <string>

#include "omnipar/catalogue.hpp"
#include "omnipar/plan.hpp"
#include "omnipar/rig.hpp"
#include "os/door.hpp"

namespace omnipar::play {

struct SessionOptions {
  Catalogue catalogue;                          ///< the sheets by which units are known
  Rig rig;                                      ///< units in it sit down by themselves
  Profile profile;                              ///< of the plan; its ports can be swapped by a hot action
  bool with_virtual = false;                    ///< take units that other programs made, too
  std::function<void(const std::string&)> say;  ///< one line for the person at a time
};

enum class SessionEnd { asked, chord, failed };

struct Played {
  SessionEnd how = SessionEnd::asked;
  Rig rig;  ///< with the units that sat down
};

/// Plays a plan until SIGINT, SIGTERM, SIGHUP or the plan's exit action. When it returns, everything
/// is at rest and the virtual pads are gone. Failures have been said.
[[nodiscard]] Played play(os::Door& door, const Plan& plan, const SessionOptions& options);

}  // namespace omnipar::play
