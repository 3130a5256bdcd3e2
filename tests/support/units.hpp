// Units for tests, and a bench to plug them into. All are from the fictional Marrowby room.
#pragma once

#include <string>
#include <vector>

#include "omnipar/omnipar.hpp"

namespace omnipar::test {

/// A pad that follows the gamepad convention: all buttons, hat, two sticks of 16 bits, two triggers.
[[nodiscard]] Description plain_pad(std::string name = "Marrowby Twin-Stick Pad");
/// A pad whose twelve buttons the kernel only numbers; each trigger sends both a button and an axis.
[[nodiscard]] Description numbered_pad(std::string name = "Marrowby Cheap Pad");
/// One side of a two-player panel: a digital stick reported as a hat, eight buttons, nothing analog.
[[nodiscard]] Description panel(std::string name = "Marrowby Panel");
/// An old pad of the joystick kind: buttons from BTN_TRIGGER, stick of 8 bits.
[[nodiscard]] Description old_stick(std::string name = "Marrowby Old Stick");

/// A trackball with a button and a spinner on its side, at a seat.
[[nodiscard]] Attachment trackball(const std::string& seat);

/// The unit's attachment at a seat, with everything at rest.
[[nodiscard]] Attachment seated(const Description& description, const std::string& seat);

/// A fictional machine that has one of everything: ports 1 and 2 accept "kit", with directions, buttons
/// a to d, a stick, a throttle that is not self-centering, a pedal, a wheel and a pointer, all with default sources.
[[nodiscard]] SystemSheet kit_system();
[[nodiscard]] Catalogue kit_catalogue();

/// The plan of a profile that must be valid.
[[nodiscard]] Plan plan_of(const Catalogue& catalogue, const Profile& profile);
[[nodiscard]] Plan plan_of(const std::string& system);

}  // namespace omnipar::test
