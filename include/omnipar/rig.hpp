// The rig: this household's units, how each is recognised, and where it belongs; and its screens.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

#include "omnipar/calibration.hpp"
#include "omnipar/screen.hpp"

namespace omnipar::inline abi_0 {

/// A unit of this household. It is recognised by its model (vendor, product, name) together with its
/// serial number where it has one, else with the socket it is plugged into; and by which half of its device it is.
struct RigUnit {
  std::string name;
  std::string seat;
  std::uint16_t vendor = 0;
  std::uint16_t product = 0;
  std::string model;         ///< the name that the unit gives itself
  std::string serial;        ///< empty: has none
  std::string socket;        ///< empty: unknown
  std::string part{};        ///< the part of the unit that this is; empty: the whole
  std::string connection{};  ///< "wireless" or "wired": the one to use if there are both; empty: wired
  std::string half{};        ///< of a device with several controllers: which one (see `Description::half`)
  friend bool operator==(const RigUnit&, const RigUnit&) = default;
};

struct Rig {
  std::vector<RigUnit> units;
  std::vector<Calibration> calibrations;
  std::vector<Screen> screens{};
  friend bool operator==(const Rig&, const Rig&) = default;
};

}  // namespace omnipar::inline abi_0
