// The virtual devices of a plan's ports: what a paced reader shows goes out as reports.
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
  /// The engine and its reader, of which all that is shown here is taken, must outlive the outlets. No device is made
  /// yet.
  Outlets(os::Door& door, const Engine& engine, const PacedReader& reader, OffScreen off_screen);

  /// Starts the keeper and makes the devices of all ports, in order of port; their nodes come in that
  /// order too, by number and as text, for programs sort them either way.
  /// `play`: which of several that play at once.
  [[nodiscard]] std::optional<Diagnostic> start(int play = 1);
  /// Adapts to another plan of the engine: finds routes again and creates missing devices.
  [[nodiscard]] std::optional<Diagnostic> route_anew();
  /// Makes the device that keys of the desktop are passed on by, if it is not there yet.
  [[nodiscard]] std::optional<Diagnostic> open_passed_on_keys();
  /// Presses or releases a desktop key. Has no effect before that device is open.
  void pass_on(Code code, bool down);
  /// Writes the reader's changes, at most one report for each device. Returns true if anything was written.
  bool flush(Time now);
  /// When a device that has refused a report is written to again.
  [[nodiscard]] std::optional<Time> next_due() const noexcept;
  [[nodiscard]] Keeper& keeper() noexcept { return keeper_; }
  [[nodiscard]] const Keeper& keeper() const noexcept { return keeper_; }
  [[nodiscard]] const std::vector<VirtualDevice>& devices() const noexcept { return devices_; }
  /// True if a gun or pointer comes out there.
  [[nodiscard]] bool says_off_screen(DeviceKey device) const noexcept;
  /// Reports that a device would not take. What they would have said is said again until it is taken.
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
    bool shared = false;                    ///< another target of the port comes out at the same code
    double from = 0, to_end = 1;            ///< where 0 and 1 of it come out, in parts of the range
    /// Of a gun's axes and of its sight, which comes out at no code of its own: all three.
    struct Gun {
      std::uint16_t x = 0, y = 0, sight = 0;
    };
    std::optional<Gun> gun;
  };

  struct Outgoing {
    std::vector<input_event> report;
    bool behind = false;  ///< the device has refused a report, and shows something old
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
  Time again_at_{};                 ///< when those that are behind are written to again
  std::uint64_t refused_ = 0;
};

}  // namespace omnipar::inline abi_0::outlet
