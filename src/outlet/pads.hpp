// The virtual pads of a plan's ports: what a paced reader shows goes out as reports.
#pragma once

#include <memory>
#include <optional>
#include <vector>

#include "omnipar/reader.hpp"
#include "outlet/keeper.hpp"
#include "outlet/virtual_pad.hpp"

namespace omnipar::outlet {

class Pads {
 public:
  /// The engine must outlive the pads. No device is made yet, but the keeper is started.
  Pads(os::Door& door, const Engine& engine);

  [[nodiscard]] std::optional<Diagnostic> start();
  /// Makes the virtual pad of a port, if it is not there yet.
  [[nodiscard]] tl::expected<const VirtualPad*, Diagnostic> open(int port);
  /// The engine has another plan: what its targets reach is found anew.
  void rewire();
  /// Writes what can be shown at `now`: one report a pad at the most.
  void flush(Time now);
  [[nodiscard]] std::optional<Time> next_due() const noexcept { return reader_.next_due(); }
  /// Hot actions that fired with the last flush, by name.
  [[nodiscard]] bool fired(std::string_view action) const;
  [[nodiscard]] Keeper& keeper() noexcept { return keeper_; }
  /// Reports that a device would not take.
  [[nodiscard]] std::uint64_t refused() const noexcept { return refused_; }

 private:
  struct Wire {
    int port = 0;
    TargetIndex target;
    std::optional<Code> code;
    NativeRange range;                    ///< of the axis
    std::optional<TargetIndex> opposite;  ///< of a direction: the other end of its axis
    bool negative = false;                ///< up and left
  };

  void wire_port(const PortInfo& port);
  [[nodiscard]] input_event event_of(const Wire& wire) const;
  [[nodiscard]] VirtualPad* pad_of(int port) noexcept;

  os::Door& door_;
  const Engine& engine_;
  PacedReader reader_;
  Keeper keeper_;
  std::vector<VirtualPad> pads_;
  std::vector<Wire> wires_;  ///< by target of the plan
  std::vector<std::vector<input_event>> reports_;
  std::uint64_t refused_ = 0;
};

}  // namespace omnipar::outlet
