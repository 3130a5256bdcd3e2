// Output reports: the motors and LEDs of a unit that its report descriptor names, and the reports that move them.
#pragma once

#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include "omnipar/hid.hpp"

namespace omnipar::inline abi_0::hid {

enum class OutputKind : std::uint8_t {
  motor,  ///< a magnitude of an effect (USB Device Class Definition for Physical Interface Devices 1.0, 5.5)
  led,    ///< that shows a player's number, or a generic indicator (HID Usage Tables 1.3, 11)
};

/// One motor or LED.
struct Output {
  OutputKind kind = OutputKind::motor;
  std::uint16_t field = 0;
  std::uint16_t element = 0;
  friend bool operator==(const Output&, const Output&) = default;
};

/// All motors and LEDs, in the order of their fields; what is in feature reports is left alone, and so is what takes
/// more than 32 bits.
[[nodiscard]] std::vector<Output> outputs_of(const Descriptor& descriptor);

/// For each output, which of the players it is of, each given by the places of its controls: the one in whose
/// collection it lies, else the one that has a report of this id to itself, else by turns, where there are as many
/// for each. -1: it is of all of them.
[[nodiscard]] std::vector<int> players_of(const Descriptor& descriptor, std::span<const Control> controls,
                                          std::span<const Output> outputs,
                                          std::span<const std::vector<std::size_t>> players);

/// The output reports of a unit, as they were last made; at first all motors and LEDs are at rest. Does not allocate
/// once it is made.
class Encoder {
 public:
  explicit Encoder(const Descriptor& descriptor);

  /// How hard a motor turns or how brightly a LED shines, 0..1; from the next report of its field on.
  void set(const Output& output, double level) noexcept;
  /// The report of a field, with its id in front, 0 if reports are not numbered (as `/dev/hidraw*` takes it). A report
  /// with motors switches them on, for as long as it can say.
  [[nodiscard]] std::span<const std::uint8_t> report_of(const Output& output) const noexcept;
  /// True if the motor's report says for how long: then it must be said again and again.
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
