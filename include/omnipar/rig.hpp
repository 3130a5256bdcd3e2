// The rig: the user's units, how each is identified, their seats, and the screens.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "omnipar/calibration.hpp"
#include "omnipar/screen.hpp"

namespace omnipar::inline abi_0 {

/// A unit in the rig. It is identified by its model (vendor, product, name) and its serial number, or without a serial
/// number by its socket; and by `half`.
struct RigUnit {
  std::string name;
  std::string seat;
  std::uint16_t vendor = 0;
  std::uint16_t product = 0;
  std::string model;         ///< the name the unit reports
  std::string serial;        ///< empty: none
  std::string socket;        ///< empty: unknown
  std::string part{};        ///< the part of the unit; empty: the whole unit
  std::string connection{};  ///< "wireless" or "wired": the one to use if both are available; empty: wired
  std::string half{};        ///< which of several controllers of a device; see `Description::half`
  friend bool operator==(const RigUnit&, const RigUnit&) = default;
};

/// A rig with the calibrations of its units.
struct Rig {
  std::vector<RigUnit> units;
  std::vector<Calibration> calibrations;
  std::vector<Screen> screens{};
  friend bool operator==(const Rig&, const Rig&) = default;
};

}  // namespace omnipar::inline abi_0
