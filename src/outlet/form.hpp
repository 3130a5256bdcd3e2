// The forms of virtual devices, fixed by kind and independent of the plan: programs number buttons by the device's
// codes, and udev classifies devices by them.
#pragma once

#include <linux/input.h>

#include <compare>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/plan.hpp"
#include "omnipar/report.hpp"
#include "omnipar/system_sheet.hpp"

namespace omnipar::inline abi_0::outlet {

enum class FormKind : std::uint8_t {
  pad,       ///< the complete gamepad convention of the kernel
  keyboard,  ///< keys 1 to 127 and the further function keys; the kernel repeats
  mouse,     ///< movements, two wheels, five buttons
  pointer,   ///< a position (0..65535 along each axis), three buttons
  desktop,   ///< volume, media and brightness keys that a grabbed unit passes on to the desktop; belongs to no port
};

struct FormAxis {
  Code code;
  NativeRange range;
};

struct Form {
  std::string_view word;  ///< as in the device's name
  std::uint16_t product = 0;
  std::vector<Code> keys;  ///< in the order in which they are released
  std::vector<Code> movements;
  std::vector<FormAxis> axes;
  bool stays = false;  ///< its axes are not self-centering

  [[nodiscard]] const FormAxis* axis(Code code) const noexcept;
};
[[nodiscard]] const Form& form_of(FormKind kind);

/// Identifies a virtual device by its port and form.
struct DeviceKey {
  int port = 0;
  FormKind form = FormKind::pad;
  // NOLINTNEXTLINE(modernize-use-nullptr): the 0 of a rewritten comparison is no pointer
  friend auto operator<=>(const DeviceKey&, const DeviceKey&) = default;
};

/// Name, bus, ids and version follow from these alone; with several sessions, from the second on the number of the
/// session is part of name and phys.
[[nodiscard]] std::string device_name(DeviceKey device, int play = 1);
[[nodiscard]] std::string device_phys(DeviceKey device, int play = 1);
[[nodiscard]] input_id device_id(DeviceKey device);

/// The output of a target: a form and a code in it. A direction has the hat's axis.
struct DeviceCode {
  FormKind form = FormKind::pad;
  Code code;
  friend bool operator==(const DeviceCode&, const DeviceCode&) = default;
};
[[nodiscard]] std::optional<DeviceCode> device_code_of(const TargetInfo& target);

/// The devices that a plan's ports need, in order; a port whose targets have no output has a pad.
[[nodiscard]] std::vector<DeviceKey> devices_of(const Plan& plan);

/// Keys that are passed to the desktop from grabbed keyboards.
[[nodiscard]] bool is_desktop_key(Code code) noexcept;
inline constexpr DeviceKey passed_on_keys{0, FormKind::desktop};

/// A modifier key (shift, control, alt, meta): outermost when keys go down and up together.
[[nodiscard]] bool is_modifier(Code code) noexcept;

[[nodiscard]] input_event event_of(Code code, std::int32_t value) noexcept;
[[nodiscard]] input_event end_of_report() noexcept;

/// A report that returns every control of a form to rest.
[[nodiscard]] std::vector<input_event> neutral_report(FormKind kind);

}  // namespace omnipar::inline abi_0::outlet
