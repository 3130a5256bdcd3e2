// The player LEDs of the units at each port.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <vector>

#include "host/nodes.hpp"
#include "play/at_ports.hpp"

namespace omnipar::inline abi_0::play {

class Lights {
 public:
  /// The nodes must outlive this.
  explicit Lights(host::Nodes& nodes) noexcept : nodes_(nodes) {}

  /// Sets the LEDs of a port, one bit each; without a value, to the port's number. A port without any request is
  /// unchanged.
  void set(int port, std::optional<std::uint32_t> which);
  /// Sets the units and their ports.
  void seat(std::vector<PortPart> playing);

 private:
  void show(PortPart playing);

  host::Nodes& nodes_;
  std::vector<PortPart> playing_;
  std::map<int, std::optional<std::uint32_t>> requests_;  ///< by port
};

/// The LEDs, out of `count`, for a port: the one with its number, or all if there are fewer.
[[nodiscard]] std::uint32_t leds_of(int port, int count) noexcept;

}  // namespace omnipar::inline abi_0::play
