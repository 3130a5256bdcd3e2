#include "outlet/force.hpp"

#include <linux/uinput.h>

#include <array>

namespace omnipar::inline abi_0::outlet {
namespace {

void answer_upload(os::Files& door, int device, std::int32_t request, std::vector<ForceRequest>& into) {
  uinput_ff_upload upload{};
  upload.request_id = static_cast<std::uint32_t>(request);
  if (door.control(device, UI_BEGIN_FF_UPLOAD, &upload) < 0) return;
  const bool fits = upload.effect.id >= 0 && upload.effect.id < most_effects;
  if (fits) into.push_back({ForceKind::upload, upload.effect.id, upload.effect, 0});
  upload.retval = fits ? 0 : -ENOSPC;
  static_cast<void>(door.control(device, UI_END_FF_UPLOAD, &upload));
}

void answer_erase(os::Files& door, int device, std::int32_t request, std::vector<ForceRequest>& into) {
  uinput_ff_erase erase{};
  erase.request_id = static_cast<std::uint32_t>(request);
  if (door.control(device, UI_BEGIN_FF_ERASE, &erase) < 0) return;
  if (erase.effect_id < most_effects) into.push_back({ForceKind::erase, static_cast<int>(erase.effect_id), {}, 0});
  erase.retval = 0;
  static_cast<void>(door.control(device, UI_END_FF_ERASE, &erase));
}

void handle(os::Files& door, int device, const input_event& event, std::vector<ForceRequest>& into) {
  if (event.type == EV_UINPUT && event.code == UI_FF_UPLOAD) return answer_upload(door, device, event.value, into);
  if (event.type == EV_UINPUT && event.code == UI_FF_ERASE) return answer_erase(door, device, event.value, into);
  if (event.type != EV_FF) return;  // LEDs and the like
  if (event.code == FF_GAIN) into.push_back({ForceKind::strength, 0, {}, event.value});
  if (event.code < most_effects) into.push_back({ForceKind::play, event.code, {}, event.value});
}

}  // namespace

const std::vector<std::uint16_t>& force_codes() {
  static const std::vector<std::uint16_t> codes{FF_RUMBLE, FF_PERIODIC, FF_CONSTANT, FF_SQUARE, FF_TRIANGLE,
                                                FF_SINE,   FF_SAW_UP,   FF_SAW_DOWN, FF_GAIN};
  return codes;
}

void answer(os::Files& door, int device, std::vector<ForceRequest>& into) {
  std::array<input_event, most_effects> events{};
  for (;;) {
    const ssize_t got = door.read(device, std::as_writable_bytes(std::span{events}));
    if (got <= 0) return;
    const std::size_t count = static_cast<std::size_t>(got) / sizeof(input_event);
    for (const input_event& event : std::span{events}.first(count)) handle(door, device, event, into);
    if (count < events.size()) return;
  }
}

}  // namespace omnipar::inline abi_0::outlet
