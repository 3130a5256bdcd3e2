// Messages for players.
#pragma once

#include <string>

#include "omnipar/events.hpp"
#include "omnipar/session.hpp"

namespace omnipar::inline abi_0 {

/// Returns the name of a player: "Player 2"; two players on one plug are "Player 1a" and "Player 1b". For a seat
/// without a port, returns the seat.
[[nodiscard]] std::string player_of(const Plan& plan, const std::string& seat);

/// Returns the message for an event, one sentence or more, each on its own line, without a final line end. Empty if the
/// event needs none. Call it right after the event: some messages describe the current state.
[[nodiscard]] std::string to_text(const SessionEvent& event, const Session& session);

/// Returns a message that asks the next player to press a button, or an empty string if no seat is free.
[[nodiscard]] std::string invitation(const Session& session);

/// Returns a phrase such as "is in another socket, and others look the same".
[[nodiscard]] std::string to_text(Doubt doubt);

}  // namespace omnipar::inline abi_0
