#include "outlet/form.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <utility>

namespace omnipar::outlet {
namespace {

constexpr NativeRange stick_range{-32768, 32767, 0};
constexpr NativeRange trigger_range{0, 255, 0};
constexpr NativeRange hat_range{-1, 1, 0};

constexpr std::array places = std::to_array<std::pair<std::string_view, Code>>({
    {"south", code::btn_south},
    {"east", code::btn_east},
    {"north", code::btn_north},
    {"west", code::btn_west},
    {"left-shoulder", code::btn_tl},
    {"right-shoulder", code::btn_tr},
    {"select", code::btn_select},
    {"coin", code::btn_select},
    {"start", code::btn_start},
    {"home", code::btn_mode},
    {"left-stick-press", code::btn_thumbl},
    {"right-stick-press", code::btn_thumbr},
    {"dpad-up", code::abs_hat0y},
    {"dpad-down", code::abs_hat0y},
    {"dpad-left", code::abs_hat0x},
    {"dpad-right", code::abs_hat0x},
    {"left-trigger", code::abs_z},
    {"right-trigger", code::abs_rz},
    {"pedal", code::abs_rz},
    {"wheel", code::abs_x},
});

}  // namespace

const std::vector<Code>& pad_keys() {
  static const std::vector<Code> keys{code::btn_south,  code::btn_east,  code::btn_north, code::btn_west,
                                      code::btn_tl,     code::btn_tr,    code::btn_tl2,   code::btn_tr2,
                                      code::btn_select, code::btn_start, code::btn_mode,  code::btn_thumbl,
                                      code::btn_thumbr};
  return keys;
}

const std::vector<PadAxis>& pad_axes() {
  static const std::vector<PadAxis> axes{
      {code::abs_x, stick_range},   {code::abs_y, stick_range},   {code::abs_z, trigger_range},
      {code::abs_rx, stick_range},  {code::abs_ry, stick_range},  {code::abs_rz, trigger_range},
      {code::abs_hat0x, hat_range}, {code::abs_hat0y, hat_range},
  };
  return axes;
}

std::string pad_name(int port) { return fmt::format("Omnipar port {} pad", port); }
std::string pad_phys(int port) { return fmt::format("{}port{}/pad", our_mark, port); }

input_id pad_id(int port) {
  constexpr std::uint16_t open_community_vendor = 0x1209;
  constexpr std::uint16_t pad_form = 0x0001;
  return {BUS_VIRTUAL, open_community_vendor, pad_form, static_cast<std::uint16_t>(port)};
}

std::optional<Code> pad_code(std::string_view place, std::string_view target) {
  const bool sideways = target.ends_with("-x");
  if (place == "left-stick") return sideways ? code::abs_x : code::abs_y;
  if (place == "right-stick") return sideways ? code::abs_rx : code::abs_ry;
  const auto* const at = std::ranges::find(places, place, &std::pair<std::string_view, Code>::first);
  if (at == places.end()) return std::nullopt;
  return at->second;
}

std::vector<input_event> neutral_report() {
  std::vector<input_event> events;
  const auto add = [&events](Code code, std::int32_t value) {
    input_event event{};
    event.type = code.type;
    event.code = code.number;
    event.value = value;
    events.push_back(event);
  };
  for (const Code code : pad_keys()) add(code, 0);
  for (const PadAxis& axis : pad_axes()) add(axis.code, axis.range.rest);
  add({EV_SYN, SYN_REPORT}, 0);
  return events;
}

}  // namespace omnipar::outlet
