// The sheet of a model of unit: what its raw codes are, for everybody who owns one.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "omnipar/report.hpp"
#include "omnipar/role.hpp"

namespace omnipar::inline abi_0 {

/// How a model shows up. A name that is empty fits any name.
struct UnitIdentity {
  std::uint16_t vendor = 0;
  std::uint16_t product = 0;
  std::string name;
  friend bool operator==(const UnitIdentity&, const UnitIdentity&) = default;
};

/// A place on the unit, in millimetres to the right of and below its upper left corner.
struct Spot {
  double x = 0;
  double y = 0;
  friend bool operator==(const Spot&, const Spot&) = default;
};

/// One control: a raw code and what it is. `axis` says which half of a stick or d-pad it is.
struct ControlSheet {
  std::string node;  ///< the kind of node that reports it ("keys", "mouse"); empty: the unit's main node
  Code code;
  std::string role;
  Axis axis = Axis::none;
  std::string label;  ///< what people see there: "red, top left"
  std::optional<Spot> spot;
  std::optional<std::int32_t> rest;  ///< of an axis, where the middle or the lower end is wrong
  std::vector<std::string> parts;    ///< which parts it belongs to; none: all of them
  bool reversed = false;             ///< of an axis or counts: right and left, or down and up, are the other way round
  double own_dead_zone = 0;          ///< what the unit itself takes for rest, as a part of a full push
  /// Of a stick or yoke: its axes are independent, so that it reaches the ends of both at once.
  bool square = false;
  bool off_screen = false;  ///< of a button: sent instead of another one of its role while it points beside the screen
  int half = 0;       ///< of one axis for two pedals: -1 from the middle downwards, 1 from there upwards; 0: all of it
  std::string raw{};  ///< instead of the code: a control of raw reports, such as "hid:0/x#2"
};

/// A piece of a unit that is used as if it were a unit: the left half of a panel.
struct PartSheet {
  std::string name;
  std::string title;
  std::string plugged{};  ///< a control of raw reports that tells whether something is in this socket; empty: none does
  std::uint32_t plugged_bits = ~std::uint32_t{0};  ///< those of its bits that tell it,
  std::uint32_t empty_is = 0;                      ///< and their value while there is nothing
};

struct UnitSheet {
  std::string name;
  std::string title;
  std::vector<UnitIdentity> identities;
  std::vector<PartSheet> parts;  ///< none: the unit is used as a whole
  std::vector<ControlSheet> controls;
  bool streams = false;  ///< sends reports all the time while it is in range
};

}  // namespace omnipar::inline abi_0
