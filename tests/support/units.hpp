// Units for tests, and a bench to plug them into. All are from the Marrowby room, which does not exist.
#pragma once

#include <string>
#include <vector>

#include "omnipar/omnipar.hpp"

namespace omnipar::test {

/// A pad by the gamepad convention: all buttons, hat, two sticks of 16 bits, two triggers.
[[nodiscard]] Description plain_pad(std::string name = "Marrowby Twin-Stick Pad");
/// A pad whose twelve buttons the kernel has only numbered: of its triggers both a button and an axis is sent.
[[nodiscard]] Description numbered_pad(std::string name = "Marrowby Cheap Pad");
/// A two-player panel's one side: a hat from a stick with switches, eight buttons, no analog part.
[[nodiscard]] Description panel(std::string name = "Marrowby Panel");
/// An old pad of the joystick kind: buttons from BTN_TRIGGER, stick of 8 bits.
[[nodiscard]] Description old_stick(std::string name = "Marrowby Old Stick");

/// A trackball with a button and a spinner on its side, at a seat.
[[nodiscard]] Attachment trackball(const std::string& seat);

/// The unit's attachment at a seat, everything at rest.
[[nodiscard]] Attachment seated(const Description& description, const std::string& seat);

/// A made-up machine that has one of everything: port 1 and 2 take "kit", with directions, buttons
/// a to d, a stick, a throttle that stays, a pedal, a wheel and a pointer, all usual sources set.
[[nodiscard]] SystemSheet kit_system();
[[nodiscard]] Catalogue kit_catalogue();

/// The plan of a profile that must be right.
[[nodiscard]] Plan plan_of(const Catalogue& catalogue, const Profile& profile);
[[nodiscard]] Plan plan_of(const std::string& system);

}  // namespace omnipar::test
