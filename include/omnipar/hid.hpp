// Raw HID: report descriptors (USB HID 1.11) into fields and controls, what the Linux kernel makes of them, the
// parts that they fall into, and raw reports into values.
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
inline constexpr std::size_t deepest = 64;  ///< collections within collections, and pushes
// A report is at most `largest_raw_report` bytes long.

/// What a field is for, by the HID usage tables: a page and a usage on it.
struct Usage {
  std::uint16_t page = 0;
  std::uint16_t id = 0;
  // NOLINTNEXTLINE(modernize-use-nullptr): the 0 of a rewritten comparison is no pointer
  friend auto operator<=>(const Usage&, const Usage&) = default;
};

/// A word for a usage ("x", "hat-switch", "button-3", "key-a", "0c.e9" where there is none), and back.
[[nodiscard]] std::string word_of(Usage usage);
[[nodiscard]] std::optional<Usage> usage_of(std::string_view word);

struct Collection {
  int parent = -1;        ///< the one around it; -1: none
  std::uint8_t type = 0;  ///< 0 physical, 1 application, 2 logical, others as HID 1.11, 6.2.2.6
  Usage usage;
  friend bool operator==(const Collection&, const Collection&) = default;
};

enum class FieldType : std::uint8_t { input, output, feature };

/// What one main item of the descriptor declares: `count` elements of `size` bits each.
struct Field {
  FieldType type = FieldType::input;
  std::uint8_t report = 0;  ///< the report's id; 0 if reports are not numbered
  std::uint32_t bit = 0;    ///< where it begins, behind the id
  std::uint32_t size = 0;
  std::uint32_t count = 0;
  std::uint32_t flags = 0;  ///< the item's own bits
  std::int32_t minimum = 0, maximum = 0;
  std::int32_t physical_minimum = 0, physical_maximum = 0;
  std::int32_t unit_exponent = 0;
  std::uint32_t unit = 0;
  int collection = -1;
  std::vector<Usage> usages;  ///< of variables: an element each; of arrays: a value each, from `minimum` on

  [[nodiscard]] bool is_constant() const noexcept { return (flags & 1U) != 0; }
  [[nodiscard]] bool is_variable() const noexcept { return (flags & 2U) != 0; }
  [[nodiscard]] bool is_relative() const noexcept { return (flags & 4U) != 0; }
  [[nodiscard]] bool has_null() const noexcept { return (flags & 64U) != 0; }
  friend bool operator==(const Field&, const Field&) = default;
};

struct Descriptor {
  std::vector<Collection> collections;
  std::vector<Field> fields;  ///< padding, too: fields without usages
  bool numbered = false;      ///< reports begin with their id

  /// Bytes of a report, with its id if they are numbered; 0 if there is no such report.
  [[nodiscard]] std::size_t report_bytes(FieldType type, std::uint8_t report) const noexcept;
  /// The application collection that a collection is in, or -1.
  [[nodiscard]] int application_of(int collection) const noexcept;
};

/// Reads a report descriptor. Fails with `bad-descriptor`, whose place is the byte at which it goes wrong.
[[nodiscard]] tl::expected<Descriptor, Diagnostic> read_descriptor(std::span<const std::uint8_t> bytes);

/// The descriptor as bytes; `read_descriptor` reads the same of it, unless they are too many, for what applies to a
/// field is written before each. Collections must be in the order in which they open, and fields in that in which they
/// lie in them, as they have been read.
[[nodiscard]] std::vector<std::uint8_t> to_bytes(const Descriptor& descriptor);

/// What one input control is in raw reports.
enum class Kind : std::uint8_t {
  value,   ///< a position in its range
  counts,  ///< movements since the last report
  button,  ///< a bit, or a value that is not 0
  hat_x,   ///< -1, 0, 1: half of a hat
  hat_y,
  key,     ///< one of those that an array can name
  opaque,  ///< a maker's own value: only what it is called is known
};

/// One thing that a hand moves; its code is `code_of` its index in the list of controls.
struct Control {
  Kind kind = Kind::value;
  std::uint16_t field = 0;
  std::uint16_t element = 0;  ///< of an array: which usage
  Usage usage;
  int nth = 1;  ///< of the controls with this usage in this report
  std::int32_t minimum = 0, maximum = 1;
};

/// All input controls, in the order of their fields. Constants and values of more than 32 bits are none.
[[nodiscard]] std::vector<Control> controls_of(const Descriptor& descriptor);

/// The code of the control of that index.
[[nodiscard]] constexpr Code code_of(std::size_t index) noexcept { return {ev_hid, static_cast<std::uint16_t>(index)}; }

/// A control's name, the same for all units of a model: "hid:0/x", "hid:2/button-3#2", "hid:1/hat-switch.x".
[[nodiscard]] std::string name_of(const Descriptor& descriptor, const Control& control);
/// True if a control could be called so.
[[nodiscard]] bool is_name(std::string_view name);
/// The index of the control of that name, or nothing.
[[nodiscard]] std::optional<std::size_t> find_control(const Descriptor& descriptor, std::span<const Control> controls,
                                                      std::string_view name);

/// What the kernel's generic driver (6.1) makes of a control.
enum class Fate : std::uint8_t {
  kept,    ///< a code of its own
  shared,  ///< a code that others have, too: who moved last is heard
  lost,    ///< no code
};
struct KernelCode {
  Fate fate = Fate::lost;
  int node = -1;  ///< which of the unit's nodes, in the order in which the kernel makes them
  Code code;
};
/// For each control, by drivers/hid/hid-input.c. Touch screens, telephones and makers' own pages are not followed:
/// lost.
[[nodiscard]] std::vector<KernelCode> kernel_codes(const Descriptor& descriptor, std::span<const Control> controls);

/// The same for some of the controls, as if the unit had no others. `which` are indices of `controls`, in order.
[[nodiscard]] std::vector<KernelCode> kernel_codes(const Descriptor& descriptor, std::span<const Control> controls,
                                                   std::span<const std::size_t> which);

/// The indices of the controls that are played on: those of joysticks and game pads, not of keyboards and mice, and no
/// opaque ones.
[[nodiscard]] std::vector<std::size_t> played_on(const Descriptor& descriptor, std::span<const Control> controls);

/// The indices of the opaque ones.
[[nodiscard]] std::vector<std::size_t> opaque_of(std::span<const Control> controls);

/// What the part that serves all players of a unit is called.
inline constexpr std::string_view own_part = "own";

/// A part that a descriptor falls into by itself: a player's, or what serves all ("own").
struct Part {
  std::string name;                   ///< "player-1", "player-2", "own"
  std::vector<std::size_t> controls;  ///< indices
};
/// The parts of what is played on: by application collection, else by collections with the same usages side by side,
/// else by report id, else by usages that come again and again. None if it is one piece.
[[nodiscard]] std::vector<Part> parts_of(const Descriptor& descriptor, std::span<const Control> controls);

/// Decodes reports. Not copied lightly: it holds the state of all controls.
class Decoder {
 public:
  /// `opaque`: indices of the opaque controls that are wanted; the others are passed over.
  explicit Decoder(const Descriptor& descriptor, std::span<const std::size_t> opaque = {});

  /// What a raw report changes, as one commit; the first report of an id tells where everything stands that it holds,
  /// also at 0, but for buttons that are up. Reports of unknown
  /// ids and those that are too short change nothing, as the kernel has it. Valid until the next call. Does not
  /// allocate.
  [[nodiscard]] std::span<const Change> decode(std::span<const std::uint8_t> report) noexcept;

  /// From now on this is a control's last value, and the next report that holds it is told whole. Of a key of an array
  /// only 0 can be assumed. Does not allocate.
  void assume(std::size_t control, std::int32_t value) noexcept;

  /// So many changes a report can make at the most.
  [[nodiscard]] std::size_t most_changes() const noexcept { return changes_.capacity(); }
  /// The last value of a control; at first 0.
  [[nodiscard]] std::int32_t value(std::size_t control) const noexcept { return values_[control]; }
  /// False while a control that can say so says that it has no value: nothing is plugged in there.
  [[nodiscard]] bool has_value(std::size_t control) const noexcept { return !null_[control]; }
  /// True once a report that holds the control has come.
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
    std::uint64_t mask = 0;  ///< its bits in the word in which it begins,
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
    bool can_roll_over = false;  ///< one value says that too many keys are down:
    std::int32_t rolled_over = 0;
    std::size_t down = 0;  ///< where its last values begin
  };
  struct Layout {
    bool known = false;  ///< the report has been seen
    bool anew = true;    ///< all of the next one is told
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
  [[nodiscard]] static Slot slot_of(const Descriptor& descriptor, const Control& control, std::size_t index);
  [[nodiscard]] Array add_array(const Descriptor& descriptor, std::span<const Control> controls, std::size_t first);
  static void sort_slots(Layout& at);

  [[nodiscard]] std::uint32_t bits(std::uint32_t at, std::uint32_t size) const noexcept;
  void set(std::size_t control, std::int32_t value) noexcept;
  void take(const Slot& slot) noexcept;
  void take(const Array& array) noexcept;
  void take_changed(const Layout& layout) noexcept;

  bool numbered_ = false;
  bool first_ = false;                          ///< the report in hand is the first of its id
  std::array<std::uint16_t, 256> layout_of_{};  ///< by report id; 0: none
  std::vector<Layout> layouts_;
  std::vector<std::uint16_t> layout_at_;  ///< by control
  std::vector<std::uint64_t> words_;      ///< of the report in hand, and two more
  std::vector<std::int32_t> values_;
  std::vector<bool> null_;
  std::vector<std::int32_t> down_;  ///< of arrays: the last values
  std::vector<Change> changes_;
};

}  // namespace omnipar::inline abi_0::hid
