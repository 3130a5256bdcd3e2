// The rig: this household's units, how each is recognised, and where it belongs.
#pragma once

#include <cstdint>
#include <string>
#include <vector>

namespace omnipar {

/// A unit of this household. It is recognised by its model (vendor, product, name) together with its
/// serial number where it has one, else with the socket it is plugged into.
struct RigUnit {
  std::string name;
  std::string seat;
  std::uint16_t vendor = 0;
  std::uint16_t product = 0;
  std::string model;   ///< the name that the unit gives itself
  std::string serial;  ///< empty: has none
  std::string socket;  ///< empty: unknown
};

struct Rig {
  std::vector<RigUnit> units;
};

}  // namespace omnipar
