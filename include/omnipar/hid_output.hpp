// Output reports: the motors and LEDs in a report descriptor, and the reports that control them.
#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include "omnipar/hid.hpp"

namespace omnipar::inline abi_0::hid {

/// The kind of an output.
enum class OutputKind : std::uint8_t {
  motor,  ///< the magnitude of an effect (USB Device Class Definition for Physical Interface Devices 1.0, 5.5)
  led,    ///< a player LED or generic indicator (HID Usage Tables 1.3, 11)
};

/// A motor or LED.
struct Output {
  OutputKind kind = OutputKind::motor;
  std::uint16_t field = 0;
  std::uint16_t element = 0;
  friend bool operator==(const Output&, const Output&) = default;
};

/// Returns all motors and LEDs in the order of their fields. Feature reports, and values of more than 32 bits, are
/// excluded.
[[nodiscard]] std::vector<Output> outputs_of(const Descriptor& descriptor);

/// Returns the player of each output, as an index into `players`, or -1 if it belongs to all. `players` lists the
/// controls of each player. An output belongs to the player in whose collection it is, otherwise to the one whose
/// report has its id, otherwise outputs are distributed in turn if their number allows it.
[[nodiscard]] std::vector<int> players_of(const Descriptor& descriptor, std::span<const ReportControl> controls,
                                          std::span<const Output> outputs,
                                          std::span<const std::vector<std::size_t>> players);

/// Encodes the output reports of a unit. Initially all motors and LEDs are off. Does not allocate after construction.
class Encoder {
 public:
  explicit Encoder(const Descriptor& descriptor);

  /// Sets the strength of a motor or the brightness of an LED, 0 to 1, for the next report of its field.
  void set(const Output& output, double level) noexcept;
  /// Returns the report of a field, starting with its id, or 0 if reports are not numbered (as required by
  /// `/dev/hidraw*`). A report with motors runs them for the longest time it can express.
  [[nodiscard]] std::span<const std::uint8_t> report_of(const Output& output) const noexcept;
  /// Returns true if the motor's report contains a duration, so that it has to be sent repeatedly.
  [[nodiscard]] bool must_be_repeated(const Output& motor) const noexcept;

 private:
  struct Report {
    std::uint8_t id = 0;
    bool has_duration = false;
    std::vector<std::uint8_t> bytes;
  };
  void put(const Field& field, std::uint32_t element, std::int64_t value) noexcept;
  void prepare_motors(const Descriptor& descriptor);
  [[nodiscard]] std::size_t place_of(std::uint8_t id) const noexcept;

  std::vector<Field> fields_;
  std::vector<Report> reports_;
};

}  // namespace omnipar::inline abi_0::hid
