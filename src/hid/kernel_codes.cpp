// The kernel's generic driver's codes for controls, by the rules of its drivers/hid/hid-input.c (6.1). It assigns a
// code to each usage; most repeated usages are dropped, some get the same code.
#include <algorithm>
#include <map>
#include <set>

#include "hid/kernel_keys.hpp"
#include "hid/pages.hpp"
#include "omnipar/hid.hpp"

namespace omnipar::inline abi_0::hid {
namespace {

constexpr std::uint16_t btn_misc = 0x100, btn_mouse = 0x110, btn_joystick = 0x120, btn_gamepad = 0x130,
                        btn_trigger_happy = 0x2c0, key_max = 0x2ff;
constexpr std::uint16_t abs_throttle = 0x06, abs_rudder = 0x07, abs_wheel = 0x08, abs_gas = 0x09, abs_brake = 0x0a,
                        abs_misc = 0x28;
constexpr std::uint16_t rel_misc = 0x09;

/// Linux key codes of the usages of the keyboard page; 0: none. Usages beyond the table are KEY_UNKNOWN.
constexpr std::uint8_t unk = key_unknown;
constexpr std::array<std::uint8_t, 0x100> keys_of_keyboard{
    // clang-format off
    0,   0,   0,   0,   30,  48,  46,  32,  18,  33,  34,  35,  23,  36,  37,  38,
    50,  49,  24,  25,  16,  19,  31,  20,  22,  47,  17,  45,  21,  44,  2,   3,
    4,   5,   6,   7,   8,   9,   10,  11,  28,  1,   14,  15,  57,  12,  13,  26,
    27,  43,  43,  39,  40,  41,  51,  52,  53,  58,  59,  60,  61,  62,  63,  64,
    65,  66,  67,  68,  87,  88,  99,  70,  119, 110, 102, 104, 111, 107, 109, 106,
    105, 108, 103, 69,  98,  55,  74,  78,  96,  79,  80,  81,  75,  76,  77,  71,
    72,  73,  82,  83,  86,  127, 116, 117, 183, 184, 185, 186, 187, 188, 189, 190,
    191, 192, 193, 194, 134, 138, 130, 132, 128, 129, 131, 137, 133, 135, 136, 113,
    115, 114, unk, unk, unk, 121, unk, 89,  93,  124, 92,  94,  95,  unk, unk, unk,
    122, 123, 90,  91,  85,  unk, unk, unk, unk, unk, unk, unk, 111, unk, unk, unk,
    unk, unk, unk, unk, unk, unk, unk, unk, unk, unk, unk, unk, unk, unk, unk, unk,
    unk, unk, unk, unk, unk, unk, 179, 180, unk, unk, unk, unk, unk, unk, unk, unk,
    unk, unk, unk, unk, unk, unk, unk, unk, unk, unk, unk, unk, unk, unk, unk, unk,
    unk, unk, unk, unk, unk, unk, unk, unk, 111, unk, unk, unk, unk, unk, unk, unk,
    29,  42,  56,  125, 97,  54,  100, 126, 164, 166, 165, 163, 161, 115, 114, 113,
    150, 158, 159, 128, 136, 177, 178, 176, 142, 152, 173, 140, unk, unk, unk, unk,
    // clang-format on
};

/// The preferred code of a usage; `again`: it may share the code with another usage.
struct Wanted {
  Code code;
  bool again = false;
};

class Mapping {
 public:
  explicit Mapping(const Descriptor& descriptor) : descriptor_(descriptor) {}

  std::vector<KernelCode> run(std::span<const ReportControl> controls, std::span<const std::size_t> which) {
    std::vector<KernelCode> codes(controls.size());
    for (const std::uint8_t report : reports_in_order())
      for (const std::size_t index : which)
        if (field_of(controls[index]).report == report) codes[index] = assign(controls, index);
    for (const std::size_t index : which)
      if (codes[index].fate != Fate::lost && users_[{codes[index].node, codes[index].code}] > 1)
        codes[index].fate = Fate::shared;
    for (KernelCode& code : codes)
      if (code.fate != Fate::lost) code.node = number_of(code.node);
    return codes;
  }

 private:
  const Field& field_of(const ReportControl& control) const { return descriptor_.fields[control.field]; }
  Usage usage_of(int collection) const {
    return collection < 0 ? Usage{} : descriptor_.collections[static_cast<std::size_t>(collection)].usage;
  }
  Usage physical_of(int collection) const {
    while (collection >= 0 && descriptor_.collections[static_cast<std::size_t>(collection)].type != 0)
      collection = descriptor_.collections[static_cast<std::size_t>(collection)].parent;
    return usage_of(collection);
  }

  std::vector<std::uint8_t> reports_in_order() const {
    std::vector<std::uint8_t> reports;
    for (const Field& field : descriptor_.fields)
      if (field.type == FieldType::input && std::ranges::find(reports, field.report) == reports.end())
        reports.push_back(field.report);
    return reports;
  }

  /// A report belongs to the application of its first field; one application is one node. Media and power keys
  /// join the keyboard if one precedes them.
  int node_of(std::uint8_t report) {
    const auto first = std::ranges::find_if(descriptor_.fields, [report](const Field& field) {
      return field.type == FieldType::input && field.report == report;
    });
    const Usage application = usage_of(descriptor_.application_of(first->collection));
    constexpr Usage keyboard{page::desktop, 0x06}, system{page::desktop, 0x80}, consumer{page::consumer, 0x01};
    for (std::size_t i = 0; i < applications_.size(); ++i) {
      if (applications_[i] == application) return static_cast<int>(i);
      if (applications_[i] == keyboard && (application == system || application == consumer))
        return static_cast<int>(i);
    }
    applications_.push_back(application);
    return static_cast<int>(applications_.size()) - 1;
  }

  KernelCode assign(std::span<const ReportControl> controls, std::size_t index) {
    const ReportControl& control = controls[index];
    const int node = node_of(field_of(control).report);
    if (control.kind == Kind::hat_y) {  // joins its other half
      const Code code = absolute(0x11);
      if (!last_hat_kept_) return {};
      ++users_[{node, code}];
      return {Fate::kept, node, code};
    }
    const auto wanted = wanted_by(control);
    const bool is_there = wanted && taken_.contains({node, wanted->code});
    const bool kept = wanted && (!is_there || wanted->again);
    if (control.kind == Kind::hat_x) last_hat_kept_ = kept;
    if (!kept) return {};
    taken_.insert({node, wanted->code});
    if (control.kind == Kind::hat_x) taken_.insert({node, absolute(0x11)});
    ++users_[{node, wanted->code}];
    return {Fate::kept, node, wanted->code};
  }

  std::optional<Wanted> wanted_by(const ReportControl& control) const {
    const Field& field = field_of(control);
    const std::uint16_t id = control.usage.id;
    switch (control.usage.page) {
      case page::keyboard:
        return key_wanted(id);
      case page::button:
        return button_wanted(field, id);
      case page::simulation:
        return simulation_wanted(id);
      case page::desktop:
        return desktop_wanted(control, field);
      case page::consumer:
        return consumer_wanted(id);
      case page::digitizer:
      case page::leds:
      case page::telephony:
      case page::forces:
      case page::custom:
        return std::nullopt;
      default:
        return is_left_to_drivers(control.usage.page) ? std::nullopt : unknown(field);
    }
  }

  /// Vendor pages that have drivers of their own.
  static bool is_left_to_drivers(std::uint16_t page) {
    return page == 0xff00 || page == 0xff01 || page == 0xff7f || page == 0xffbc;
  }

  static std::optional<Wanted> listed(std::span<const UsageKey> keys, std::uint16_t id) {
    const auto at = std::ranges::find(keys, id, &UsageKey::usage);
    return at != keys.end() ? std::optional{Wanted{key(at->key), true}} : std::nullopt;
  }

  static std::optional<Wanted> consumer_wanted(std::uint16_t id) {
    constexpr std::uint16_t volume = 0xe0, pan = 0x238, abs_volume = 0x20, rel_hwheel = 0x06;
    if (id == 0) return std::nullopt;
    if (id == volume) return Wanted{absolute(abs_volume), true};
    if (id == pan) return Wanted{relative(rel_hwheel), true};
    const auto known = listed(consumer_keys, id);
    return known ? known : Wanted{key(key_unknown), true};
  }

  static std::optional<Wanted> key_wanted(std::uint16_t id) {
    const std::uint8_t number = id < keys_of_keyboard.size() ? keys_of_keyboard.at(id) : unk;
    if (number == 0) return std::nullopt;
    return Wanted{key(number), true};
  }

  std::optional<Wanted> button_wanted(const Field& field, std::uint16_t id) const {
    if (id == 0) return std::nullopt;
    const auto number = static_cast<std::uint16_t>(id - 1);
    Usage owner = usage_of(descriptor_.application_of(field.collection));
    const auto is_known = [](Usage usage) {
      return usage == usage::mouse || usage == usage::pointer || usage == usage::joystick || usage == usage::game_pad;
    };
    if (!is_known(owner)) owner = physical_of(field.collection);
    constexpr std::uint16_t named = 16;
    std::uint32_t code = std::uint32_t{number} + btn_misc;
    if (owner == usage::mouse || owner == usage::pointer) code = std::uint32_t{number} + btn_mouse;
    if (owner == usage::joystick || owner == usage::game_pad) {
      const std::uint32_t first = owner == usage::joystick ? btn_joystick : btn_gamepad;
      code = number < named ? first + number : std::uint32_t{btn_trigger_happy} + number - named;
    }
    if (code > key_max) return std::nullopt;
    return Wanted{key(static_cast<std::uint16_t>(code))};
  }

  static std::optional<Wanted> simulation_wanted(std::uint16_t id) {
    switch (id) {
      case 0xba:
        return Wanted{absolute(abs_rudder)};
      case 0xbb:
        return Wanted{absolute(abs_throttle)};
      case 0xc4:
        return Wanted{absolute(abs_gas)};
      case 0xc5:
        return Wanted{absolute(abs_brake)};
      case 0xc8:
        return Wanted{absolute(abs_wheel)};
      default:
        return std::nullopt;
    }
  }

  static std::optional<Wanted> desktop_wanted(const ReportControl& control, const Field& field) {
    const std::uint16_t id = control.usage.id;
    const auto low = static_cast<std::uint16_t>(id & 0x0fU);
    constexpr std::uint16_t btn_select = 0x13a, btn_start = 0x13b;
    if (id >= 0x30 && id <= 0x35)
      return Wanted{field.is_relative() ? relative(low) : absolute(low), !field.is_relative()};
    if (id >= 0x36 && id <= 0x38) return Wanted{field.is_relative() ? relative(low) : absolute(low)};
    if (id == usage::hat_switch.id) return Wanted{absolute(0x10)};
    if (id == 0x3d) return Wanted{key(btn_start), true};
    if (id == 0x3e) return Wanted{key(btn_select), true};
    if (is_dpad(control.usage)) return Wanted{absolute(id <= usage::dpad_down.id ? 0x11 : 0x10), true};
    if ((id & 0xf0U) == 0x80 || (id & 0xf0U) == 0x90 || (id & 0xf0U) == 0xa0 || (id & 0xf0U) == 0xb0)
      return listed(system_keys, id);
    return unknown(field);
  }

  static std::optional<Wanted> unknown(const Field& field) {
    if (field.size == 1) return Wanted{key(btn_misc)};
    return Wanted{field.is_relative() ? relative(rel_misc) : absolute(abs_misc)};
  }

  /// Only applications with at least one code become nodes.
  int number_of(int application) {
    std::set<int> with_codes;
    for (const auto& [node_and_code, count] : users_) with_codes.insert(node_and_code.first);
    return static_cast<int>(std::distance(with_codes.begin(), with_codes.find(application)));
  }

  const Descriptor& descriptor_;
  std::vector<Usage> applications_;
  std::set<std::pair<int, Code>> taken_;
  std::map<std::pair<int, Code>, int> users_;
  bool last_hat_kept_ = false;
};

}  // namespace

std::vector<KernelCode> kernel_codes(const Descriptor& descriptor, std::span<const ReportControl> controls,
                                     std::span<const std::size_t> which) {
  return Mapping{descriptor}.run(controls, which);
}

std::vector<KernelCode> kernel_codes(const Descriptor& descriptor, std::span<const ReportControl> controls) {
  std::vector<std::size_t> all(controls.size());
  for (std::size_t i = 0; i < all.size(); ++i) all[i] = i;
  return kernel_codes(descriptor, controls, all);
}

}  // namespace omnipar::inline abi_0::hid
