// The sheet of a unit model: its raw codes and their roles.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "omnipar/report.hpp"
#include "omnipar/role.hpp"

namespace omnipar::inline abi_0 {

/// How a model identifies itself. An empty name matches any name.
struct UnitIdentity {
  std::uint16_t vendor = 0;
  std::uint16_t product = 0;
  std::string name;
  friend bool operator==(const UnitIdentity&, const UnitIdentity&) = default;
};

/// A position on the unit in millimetres, right and down from its top left corner.
struct Spot {
  double x = 0;
  double y = 0;
  friend bool operator==(const Spot&, const Spot&) = default;
};

/// A control: a raw code and its role. `axis` is the axis of a stick or d-pad.
struct ControlSheet {
  std::string node;  ///< the kind of node that reports it ("keys", "mouse"); empty: the unit's main node
  Code code;
  std::string role;
  Axis axis = Axis::none;
  std::string label;  ///< what it looks like: "red, top left"
  std::optional<Spot> spot;
  std::optional<std::int32_t> rest;  ///< for an axis, if not the middle or the lower end
  std::vector<std::string> parts;    ///< the parts it belongs to; empty: all
  bool reversed = false;             ///< for axes: left and right, or up and down, are reversed
  double own_dead_zone = 0;          ///< the built-in dead zone, as a fraction of a full push
  /// For a stick or yoke: its axes are independent and can both be at their ends.
  bool square = false;
  bool off_screen = false;  ///< for a button: sent instead of another one with its role while pointing off-screen
  int half = 0;             ///< combined pedals: -1 the lower half of the axis, 1 the upper half; 0: the whole axis
  std::string raw{};        ///< instead of the code: a control of raw reports, such as "hid:0/x#2"
};

/// A part of a unit that is used as if it were a unit: the left half of a panel.
struct PartSheet {
  std::string name;
  std::string title;
  std::string plugged{};  ///< the raw report control that shows whether this socket is filled; may be empty
  std::uint32_t plugged_bits = ~std::uint32_t{0};  ///< its relevant bits,
  std::uint32_t empty_is = 0;                      ///< and their value for an empty socket
};

struct UnitSheet {
  std::string name;
  std::string title;
  std::vector<UnitIdentity> identities;
  std::vector<PartSheet> parts;  ///< empty: the unit has no parts
  std::vector<ControlSheet> controls;
  bool streams = false;  ///< sends reports continuously while in range
};

}  // namespace omnipar::inline abi_0
