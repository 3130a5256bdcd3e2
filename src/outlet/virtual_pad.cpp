#include "outlet/virtual_pad.hpp"

#include <fcntl.h>
#include <linux/uinput.h>

#include <array>
#include <cerrno>
#include <cstring>

#include <fmt/format.h>

namespace omnipar::outlet {

namespace {
constexpr const char* uinput = "/dev/uinput";
}

tl::expected<os::Descriptor, Diagnostic> VirtualPad::open_uinput(os::Door& door) {
  const int number = door.open(uinput, O_RDWR | O_NONBLOCK);
  if (number >= 0) return os::Descriptor{door, number};
  return tl::unexpected(Diagnostic{"no-uinput", Severity::error,
                                   fmt::format("no virtual controller can be made: {}", std::strerror(-number)), uinput,
                                   "'sudo omnipar doctor --mend' mends this once and for all"});
}

std::optional<Diagnostic> VirtualPad::check(os::Door& door) {
  const auto opened = open_uinput(door);
  if (!opened) return opened.error();
  return std::nullopt;
}

tl::expected<VirtualPad, Diagnostic> VirtualPad::make(os::Door& door, int port) {
  auto opened = open_uinput(door);
  if (!opened) return tl::unexpected(opened.error());
  VirtualPad pad{door, port, std::move(*opened)};
  const int result = pad.set_up();
  if (result < 0)
    return tl::unexpected(
        Diagnostic{"uinput-refused", Severity::error,
                   fmt::format("the kernel refused the virtual pad of port {}: {}", port, std::strerror(-result)),
                   uinput, "'omnipar doctor' looks for the cause"});
  pad.find_node();
  return pad;
}

int VirtualPad::set_up() {
  const int file = descriptor_.get();
  int result = 0;
  const auto also = [&](int next) {
    if (result >= 0) result = next;
  };
  also(door_->control(file, UI_SET_EVBIT, static_cast<unsigned long>(EV_KEY)));
  also(door_->control(file, UI_SET_EVBIT, static_cast<unsigned long>(EV_ABS)));
  for (const Code code : pad_keys()) also(door_->control(file, UI_SET_KEYBIT, static_cast<unsigned long>(code.number)));
  for (const PadAxis& axis : pad_axes()) {
    uinput_abs_setup setup{};
    setup.code = axis.code.number;
    setup.absinfo.minimum = axis.range.minimum;
    setup.absinfo.maximum = axis.range.maximum;
    also(door_->control(file, UI_ABS_SETUP, &setup));
  }
  uinput_setup setup{};
  setup.id = pad_id(port_);
  const std::string name = pad_name(port_);
  name.copy(setup.name, sizeof(setup.name) - 1);
  also(door_->control(file, UI_DEV_SETUP, &setup));
  std::string phys = pad_phys(port_);
  also(door_->control(file, UI_SET_PHYS, phys.data()));
  also(door_->control(file, UI_DEV_CREATE, 0UL));
  return result;
}

void VirtualPad::find_node() {
  std::array<char, 64> name{};
  if (door_->control(descriptor_.get(), UI_GET_SYSNAME(name.size()), name.data()) < 0) return;
  for (const std::string& entry : door_->names_in(fmt::format("/sys/devices/virtual/input/{}", name.data())))
    if (entry.starts_with("event")) node_ = "/dev/input/" + entry;
}

bool VirtualPad::write(std::span<const input_event> events) {
  return os::write_all(*door_, descriptor_.get(), std::as_bytes(events)) == 0;
}

}  // namespace omnipar::outlet
