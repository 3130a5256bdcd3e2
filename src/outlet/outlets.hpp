// The virtual devices of a plan's ports: the output of a paced reader is written as reports.
#pragma once

#include <memory>
#include <optional>
#include <vector>

#include "omnipar/profile.hpp"
#include "omnipar/reader.hpp"
#include "outlet/keeper.hpp"
#include "outlet/virtual_device.hpp"

namespace omnipar::inline abi_0::outlet {

class Outlets {
 public:
  /// The engine and its reader must outlive the outlets. No device is created
  /// yet.
  Outlets(os::Door& door, const Engine& engine, const PacedReader& reader, OffScreen off_screen);

  /// Starts the keeper and creates the devices of all ports, in port order; their nodes are in that
  /// order, too, by number and as text, because programs sort them either way.
  /// `play`: the number of this session among several.
  [[nodiscard]] std::optional<Diagnostic> start(int play = 1);
  /// Adapts to a new plan of the engine: recomputes routes and creates missing devices.
  [[nodiscard]] std::optional<Diagnostic> route_anew();
  /// Creates the device that passes on desktop keys, if it does not exist yet.
  [[nodiscard]] std::optional<Diagnostic> open_passed_on_keys();
  /// Presses or releases a desktop key. Has no effect before that device is open.
  void pass_on(Code code, bool down);
  /// Writes the reader's changes, at most one report for each device. Returns true if anything was written.
  bool flush(Time now);
  /// When a device that rejected a report is written to again.
  [[nodiscard]] std::optional<Time> next_due() const noexcept;
  [[nodiscard]] Keeper& keeper() noexcept { return keeper_; }
  [[nodiscard]] const Keeper& keeper() const noexcept { return keeper_; }
  [[nodiscard]] const std::vector<VirtualDevice>& devices() const noexcept { return devices_; }
  /// True if it outputs a gun or pointer.
  [[nodiscard]] bool says_off_screen(DeviceKey device) const noexcept;
  /// The number of reports that a device rejected. Their contents are written again until they are accepted.
  [[nodiscard]] std::uint64_t refused() const noexcept { return refused_; }

 private:
  enum class Comes : std::uint8_t { nowhere, out, as_gun };
  struct Route {
    Comes comes = Comes::nowhere;
    int port = 0;
    std::uint16_t target = 0;  ///< of the plan
    std::optional<DeviceCode> to;
    std::optional<std::size_t> device;      ///< index into the devices
    NativeRange range{0, 1, 0};             ///< of the axis, or of a button
    std::optional<std::uint16_t> opposite;  ///< of a direction: the target at the other end of its axis
    bool negative = false;                  ///< up and left
    bool shared = false;                    ///< another target of the port has the same code
    double from = 0, to_end = 1;            ///< the positions of its 0 and 1 in the output, as fractions of the range
    /// For a gun's axes and its on-screen target, which has no code of its own: all three.
    struct Gun {
      std::uint16_t x = 0, y = 0, sight = 0;
    };
    std::optional<Gun> gun;
  };

  struct Outgoing {
    std::vector<input_event> report;
    bool behind = false;  ///< the device has rejected a report, and its state is outdated
  };

  [[nodiscard]] bool is_down(std::uint16_t target) const noexcept { return reader_.value({target}) != 0; }
  void route_port(const PortInfo& port);
  [[nodiscard]] std::int32_t value_of(const Route& route) const;
  [[nodiscard]] input_event event_of_route(const Route& route) const;
  void route_gun(const PortInfo& port, Route& route);
  [[nodiscard]] bool is_off_screen(const Route::Gun& gun) const;
  [[nodiscard]] std::int32_t place_of(const Route& route) const;
  void add_gun(std::vector<input_event>& report, const Route& route) const;
  void find_devices() noexcept;
  void write(std::size_t device, Time now);
  [[nodiscard]] std::optional<Diagnostic> make(const std::vector<DeviceKey>& keys, std::vector<VirtualDevice>& into);
  [[nodiscard]] std::optional<Diagnostic> keep(std::vector<VirtualDevice> made);

  os::Door& door_;
  OffScreen off_screen_;
  const Engine& engine_;
  const PacedReader& reader_;
  Keeper keeper_;
  int play_ = 1;
  std::vector<VirtualDevice> devices_;
  std::vector<Route> routes_;       ///< by target of the plan
  std::vector<Outgoing> outgoing_;  ///< by device
  Time again_at_{};                 ///< when outdated devices are written to again
  std::uint64_t refused_ = 0;
};

}  // namespace omnipar::inline abi_0::outlet
