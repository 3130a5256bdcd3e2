// Recognises a gun that presents itself as a joystick: unlike a stick, its position is not self-centering.
#pragma once

#include <cstdint>
#include <vector>

#include "omnipar/attachment.hpp"
#include "omnipar/description.hpp"

namespace omnipar::inline abi_0::attach {

/// True if a unit without a sheet could be one: two axes, no other axis and no hat, and a few buttons.
[[nodiscard]] bool may_be_gun(const Description& node, const Attachment& attachment) noexcept;

/// Receives the position of the two axes four times a second. They belong to a gun once they have been still at several
/// positions away from the centre without returning to it, and to a stick once they have returned a few times.
class GunGuess {
 public:
  enum class Verdict : std::uint8_t { open, gun, stick };

  /// Adds the current position, -1..1 on each axis.
  Verdict look(double x, double y);

 private:
  struct Place {
    double x = 0, y = 0;
  };
  std::vector<Place> stood_;  ///< since it was last at the centre
  Place last_;
  bool was_away_ = false;
  int returns_ = 0;
};

}  // namespace omnipar::inline abi_0::attach
