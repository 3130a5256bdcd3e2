// What players are told, in sentences.
#pragma once

#include <string>

#include "omnipar/events.hpp"
#include "omnipar/session.hpp"

namespace omnipar::inline abi_0 {

/// "Player 2"; two on one plug are "Player 1a" and "Player 1b". A seat without a port is only its name.
[[nodiscard]] std::string player_of(const Plan& plan, const std::string& seat);

/// What players are told of an event of this session: sentences, mostly one, each on a line of its own, without the
/// last line's end. Empty where nothing need be said. Some speak of how things are, and are right at the moment of the
/// event.
[[nodiscard]] std::string to_text(const SessionEvent& event, const Session& session);

/// Asks the next player to press; empty if no seat is free.
[[nodiscard]] std::string invitation(const Session& session);

/// "is not where it was, and others look just like it".
[[nodiscard]] std::string to_text(Doubt doubt);

}  // namespace omnipar::inline abi_0
