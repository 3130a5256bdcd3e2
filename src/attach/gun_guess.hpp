// A gun that calls itself a joystick: its stick stays where it was put, which no stick does.
#pragma once

#include <cstdint>
#include <vector>

#include "omnipar/attachment.hpp"
#include "omnipar/description.hpp"

namespace omnipar::inline abi_0::attach {

/// True if a unit without a sheet could be one: two axes, no other axis and no hat, and a few buttons.
[[nodiscard]] bool may_be_gun(const Description& node, const Attachment& attachment) noexcept;

/// Looks four times a second where the two axes are. It is a gun when they stood still at several places away from the
/// middle without having gone back there; it is none when they did go back a few times.
class GunGuess {
 public:
  enum class Verdict : std::uint8_t { open, gun, stick };

  /// Where it is now, -1..1 each way.
  Verdict look(double x, double y);

 private:
  struct Place {
    double x = 0, y = 0;
  };
  std::vector<Place> stood_;  ///< since it was last at home
  Place last_;
  bool was_away_ = false;
  int returns_ = 0;
};

}  // namespace omnipar::inline abi_0::attach
