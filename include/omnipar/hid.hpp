// Raw HID: report descriptors (USB HID 1.11), their controls and parts, the codes that the Linux kernel assigns, and
// decoding of raw reports.
#pragma once

#include <array>
#include <compare>
#include <cstddef>
#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/description.hpp"
#include "omnipar/diagnostic.hpp"
#include "omnipar/report.hpp"

#include <tl/expected.hpp>

namespace omnipar::inline abi_0::hid {

inline constexpr std::size_t most_bytes = 4096;   ///< of a descriptor
inline constexpr std::size_t most_reports = 256;  ///< of each type
inline constexpr std::size_t most_controls = 2048;
inline constexpr std::size_t deepest = 64;  ///< nesting depth of collections and of push items
// The limit for reports is `largest_raw_report`.

/// A usage of the HID usage tables: a page and an id on that page.
struct Usage {
  std::uint16_t page = 0;
  std::uint16_t id = 0;
  // NOLINTNEXTLINE(modernize-use-nullptr): the 0 of a rewritten comparison is no pointer
  friend auto operator<=>(const Usage&, const Usage&) = default;
};

/// Converts a usage to a word ("x", "hat-switch", "button-3", "key-a", or "0c.e9" if it has none), and back.
[[nodiscard]] std::string word_of(Usage usage);
[[nodiscard]] std::optional<Usage> usage_of(std::string_view word);

struct Collection {
  int parent = -1;        ///< the enclosing collection; -1: none
  std::uint8_t type = 0;  ///< 0 physical, 1 application, 2 logical, others as in HID 1.11, 6.2.2.6
  Usage usage;
  friend bool operator==(const Collection&, const Collection&) = default;
};

enum class FieldType : std::uint8_t { input, output, feature };

/// A main item of the descriptor: `count` elements of `size` bits each.
struct Field {
  FieldType type = FieldType::input;
  std::uint8_t report = 0;  ///< the report's id; 0 if reports are not numbered
  std::uint32_t bit = 0;    ///< its first bit, after the id
  std::uint32_t size = 0;
  std::uint32_t count = 0;
  std::uint32_t flags = 0;  ///< the item's bits
  std::int32_t minimum = 0, maximum = 0;
  std::int32_t physical_minimum = 0, physical_maximum = 0;
  std::int32_t unit_exponent = 0;
  std::uint32_t unit = 0;
  int collection = -1;
  std::vector<Usage> usages;  ///< for variables, one for each element; for arrays, one for each value from `minimum`

  [[nodiscard]] bool is_constant() const noexcept { return (flags & 1U) != 0; }
  [[nodiscard]] bool is_variable() const noexcept { return (flags & 2U) != 0; }
  [[nodiscard]] bool is_relative() const noexcept { return (flags & 4U) != 0; }
  [[nodiscard]] bool has_null() const noexcept { return (flags & 64U) != 0; }
  friend bool operator==(const Field&, const Field&) = default;
};

struct Descriptor {
  std::vector<Collection> collections;
  std::vector<Field> fields;  ///< including padding, which has no usages
  bool numbered = false;      ///< reports start with their id

  /// Returns the size of a report in bytes, including its id if reports are numbered; 0 if there is no such report.
  [[nodiscard]] std::size_t report_bytes(FieldType type, std::uint8_t report) const noexcept;
  /// Returns the application collection that contains a collection, or -1.
  [[nodiscard]] int application_of(int collection) const noexcept;
};

/// Parses a report descriptor. Fails with `bad-descriptor`; its place is the byte offset of the error.
[[nodiscard]] tl::expected<Descriptor, Diagnostic> read_descriptor(std::span<const std::uint8_t> bytes);

/// Encodes a descriptor. `read_descriptor` returns the same descriptor unless the limits are exceeded: all global items
/// are written before each field. Collections and fields must be in the order in which they were parsed.
[[nodiscard]] std::vector<std::uint8_t> to_bytes(const Descriptor& descriptor);

/// The kind of an input control in raw reports.
enum class Kind : std::uint8_t {
  value,   ///< a position within its range
  counts,  ///< relative movement since the last report
  button,  ///< a bit, or a value that is not 0
  hat_x,   ///< -1, 0, 1: half of a hat
  hat_y,
  key,     ///< a value of an array
  opaque,  ///< a vendor-defined value whose meaning is unknown
};

/// A control in raw reports. Its code is `code_of` its index in the list of controls.
struct ReportControl {
  Kind kind = Kind::value;
  std::uint16_t field = 0;
  std::uint16_t element = 0;  ///< for an array, the index of the usage
  Usage usage;
  int nth = 1;  ///< its number among the controls with this usage in this report
  std::int32_t minimum = 0, maximum = 1;
};

/// Returns all input controls in the order of their fields. Constants and values of more than 32 bits are excluded.
[[nodiscard]] std::vector<ReportControl> controls_of(const Descriptor& descriptor);

/// Returns the code of the control with this index.
[[nodiscard]] constexpr Code code_of(std::size_t index) noexcept { return {ev_hid, static_cast<std::uint16_t>(index)}; }

/// Returns the name of a control, the same for all units of a model: "hid:0/x", "hid:2/button-3#2",
/// "hid:1/hat-switch.x".
[[nodiscard]] std::string name_of(const Descriptor& descriptor, const ReportControl& control);
/// Returns true if `name` is a valid control name.
[[nodiscard]] bool is_name(std::string_view name);
/// Returns the index of the control with this name, or nothing.
[[nodiscard]] std::optional<std::size_t> find_control(const Descriptor& descriptor,
                                                      std::span<const ReportControl> controls, std::string_view name);

/// How the kernel's generic driver (6.1) reports a control.
enum class Fate : std::uint8_t {
  kept,    ///< with its own code
  shared,  ///< with a code shared with other controls, of which the last moved is reported
  lost,    ///< not at all
};
struct KernelCode {
  Fate fate = Fate::lost;
  int node = -1;  ///< index of the unit's node, in the kernel's order
  Code code;
};
/// Returns the kernel's code of each control, by the rules of drivers/hid/hid-input.c. Touch screens, telephones and
/// vendor-defined pages are not covered and returned as lost.
[[nodiscard]] std::vector<KernelCode> kernel_codes(const Descriptor& descriptor,
                                                   std::span<const ReportControl> controls);

/// The same for some of the controls, as if the unit had no others. `which` are indices of `controls`, in order.
[[nodiscard]] std::vector<KernelCode> kernel_codes(const Descriptor& descriptor,
                                                   std::span<const ReportControl> controls,
                                                   std::span<const std::size_t> which);

/// Returns the indices of controls of joysticks and game pads, without keyboards, mice and opaque controls.
[[nodiscard]] std::vector<std::size_t> played_on(const Descriptor& descriptor, std::span<const ReportControl> controls);

/// Returns the indices of the opaque controls.
[[nodiscard]] std::vector<std::size_t> opaque_of(std::span<const ReportControl> controls);

/// The name of the part that serves all players of a unit.
inline constexpr std::string_view own_part = "own";

/// A part of a unit, found in its descriptor: one for each player, and one for all ("own").
struct Part {
  std::string name;                   ///< "player-1", "player-2", "own"
  std::vector<std::size_t> controls;  ///< indices
};
/// Returns the parts of the playable controls: by application collection, otherwise by sibling collections with the
/// same usages, otherwise by report id, otherwise by repeated usages. Empty if there is only one part.
[[nodiscard]] std::vector<Part> parts_of(const Descriptor& descriptor, std::span<const ReportControl> controls);

/// Decodes raw reports. Contains the state of all controls, so copying is expensive.
class Decoder {
 public:
  /// Creates a decoder. `opaque` lists the opaque controls to include.
  explicit Decoder(const Descriptor& descriptor, std::span<const std::size_t> opaque = {});

  /// Returns the changes of a raw report. The first report with an id contains the state of all its controls, including
  /// those at 0, except for released buttons. Reports with unknown ids, and reports that are too short, cause no
  /// changes, as in the kernel. The result is valid until the next call. Does not allocate.
  [[nodiscard]] std::span<const Change> decode(std::span<const std::uint8_t> report) noexcept;

  /// Sets the last value of a control. The next report that contains it is returned completely. For a value of an
  /// array, only 0 is allowed. Does not allocate.
  void assume(std::size_t control, std::int32_t value) noexcept;

  /// Returns the largest number of changes in a report.
  [[nodiscard]] std::size_t most_changes() const noexcept { return changes_.capacity(); }
  /// Returns the last value of a control, initially 0.
  [[nodiscard]] std::int32_t value(std::size_t control) const noexcept { return values_[control]; }
  /// Returns false while a control with a null state reports it: nothing is plugged in.
  [[nodiscard]] bool has_value(std::size_t control) const noexcept { return !null_[control]; }
  /// Returns true after the first report that contains the control.
  [[nodiscard]] bool has_come(std::size_t control) const noexcept { return layouts_[layout_at_[control]].known; }

 private:
  struct Slot {
    std::uint32_t bit = 0;
    std::uint8_t size = 0;
    Kind kind = Kind::value;
    bool is_signed = false;
    bool has_null = false;
    bool clamps = false;
    std::uint16_t control = 0;
    std::int32_t minimum = 0, maximum = 0;
    std::uint64_t mask = 0;  ///< its bits in its first word,
    std::uint64_t rest = 0;  ///< and in the next
  };
  struct Array {
    std::uint32_t bit = 0;
    std::uint8_t size = 0;
    std::uint16_t count = 0;
    std::uint16_t first = 0;  ///< control of the usage of `minimum`
    std::uint16_t usages = 0;
    std::int32_t minimum = 0;
    bool is_signed = false;
    bool can_roll_over = false;  ///< one value means that too many keys are pressed:
    std::int32_t rolled_over = 0;
    std::size_t down = 0;  ///< index of its last values
  };
  struct Layout {
    bool known = false;  ///< the report has been seen
    bool is_new = true;  ///< the next report is returned completely
    std::size_t bytes = 0;
    std::size_t words = 0;
    std::vector<Slot> slots;         ///< in order of their bits
    std::vector<std::size_t> first;  ///< by word: the first slot that touches it
    std::vector<Slot> counting;
    std::vector<Array> arrays;
    std::vector<std::uint64_t> last;
    std::vector<std::uint64_t> changed;  ///< bits of the last report that differ from the one before
  };

  [[nodiscard]] Layout& layout_for(const Descriptor& descriptor, std::uint8_t report);
  [[nodiscard]] static Slot slot_of(const Descriptor& descriptor, const ReportControl& control, std::size_t index);
  [[nodiscard]] Array add_array(const Descriptor& descriptor, std::span<const ReportControl> controls,
                                std::size_t first);
  static void sort_slots(Layout& at);

  [[nodiscard]] std::uint32_t bits(std::uint32_t at, std::uint32_t size) const noexcept;
  void set(std::size_t control, std::int32_t value) noexcept;
  void store(const Slot& slot) noexcept;
  void store(const Array& array) noexcept;
  void store_changed(const Layout& layout) noexcept;

  bool numbered_ = false;
  bool first_ = false;                          ///< the current report is the first with its id
  std::array<std::uint16_t, 256> layout_of_{};  ///< by report id; 0: none
  std::vector<Layout> layouts_;
  std::vector<std::uint16_t> layout_at_;  ///< by control
  std::vector<std::uint64_t> words_;      ///< of the current report, and two more
  std::vector<std::int32_t> values_;
  std::vector<bool> null_;
  std::vector<std::int32_t> down_;  ///< of arrays: the last values
  std::vector<Change> changes_;
};

}  // namespace omnipar::inline abi_0::hid
