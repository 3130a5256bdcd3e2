#include "outlet/virtual_device.hpp"

#include <fcntl.h>
#include <linux/uinput.h>

#include <array>
#include <cerrno>
#include <cstring>

#include <fmt/format.h>

#include "outlet/force.hpp"

namespace omnipar::inline abi_0::outlet {

namespace {
constexpr const char* uinput = "/dev/uinput";
}

tl::expected<os::Descriptor, Diagnostic> VirtualDevice::open_uinput(os::Files& door) {
  const int number = door.open(uinput, O_RDWR | O_NONBLOCK);
  if (number >= 0) return os::Descriptor{door, number};
  return tl::unexpected(Diagnostic{"no-uinput", Severity::error,
                                   fmt::format("cannot create virtual controllers: {}", std::strerror(-number)), uinput,
                                   "'sudo omnipar doctor --fix' fixes this permanently"});
}

std::optional<Diagnostic> VirtualDevice::check(os::Files& door) {
  const auto opened = open_uinput(door);
  if (!opened) return opened.error();
  return std::nullopt;
}

tl::expected<VirtualDevice, Diagnostic> VirtualDevice::make(os::Files& door, DeviceKey key, int play) {
  auto opened = open_uinput(door);
  if (!opened) return tl::unexpected(opened.error());
  VirtualDevice device{door, key, play, std::move(*opened)};
  const int result = device.set_up();
  if (result < 0)
    return tl::unexpected(
        Diagnostic{"uinput-refused", Severity::error,
                   fmt::format("the kernel rejected \"{}\": {}", device_name(key), std::strerror(-result)), uinput,
                   "'omnipar doctor' looks for the cause"});
  device.find_nodes();
  return device;
}

int VirtualDevice::set_up() {
  const Form& form = form_of(key_.form);
  int result = 0;
  const auto ask = [&](unsigned long request, unsigned long number) {
    if (result >= 0) result = door_->control(descriptor_.get(), request, number);
  };
  const auto tell = [&](unsigned long request, void* what) {
    if (result >= 0) result = door_->control(descriptor_.get(), request, what);
  };
  ask(UI_SET_EVBIT, EV_KEY);
  if (!form.movements.empty()) ask(UI_SET_EVBIT, EV_REL);
  if (!form.axes.empty()) ask(UI_SET_EVBIT, EV_ABS);
  if (key_.form == FormKind::keyboard) ask(UI_SET_EVBIT, EV_REP);
  if (key_.form == FormKind::pad) {
    ask(UI_SET_EVBIT, EV_FF);
    for (const std::uint16_t code : force_codes()) ask(UI_SET_FFBIT, code);
  }
  for (const Code code : form.keys) ask(UI_SET_KEYBIT, code.number);
  for (const Code code : form.movements) ask(UI_SET_RELBIT, code.number);
  for (const FormAxis& axis : form.axes) {
    uinput_abs_setup setup{};
    setup.code = axis.code.number;
    setup.absinfo.minimum = axis.range.minimum;
    setup.absinfo.maximum = axis.range.maximum;
    setup.absinfo.value = axis.range.rest;
    tell(UI_ABS_SETUP, &setup);
  }
  uinput_setup setup{};
  setup.id = device_id(key_);
  if (key_.form == FormKind::pad) setup.ff_effects_max = most_effects;
  const std::string name = this->name();
  name.copy(setup.name, sizeof(setup.name) - 1);
  tell(UI_DEV_SETUP, &setup);
  std::string phys = device_phys(key_, play_);
  tell(UI_SET_PHYS, phys.data());
  ask(UI_DEV_CREATE, 0);
  return result;
}

void VirtualDevice::find_nodes() {
  std::array<char, 64> name{};
  if (door_->control(descriptor_.get(), UI_GET_SYSNAME(name.size()), name.data()) < 0) return;
  for (const std::string& entry : door_->names_in(fmt::format("/sys/devices/virtual/input/{}", name.data()))) {
    if (entry.starts_with("event")) node_ = "/dev/input/" + entry;
    nodes_.push_back(entry);
  }
}

std::string_view VirtualDevice::node_of(std::string_view family) const noexcept {
  for (const std::string& node : nodes_)
    if (node.starts_with(family) && node.find_first_not_of("0123456789", family.size()) == std::string::npos)
      return node;
  return {};
}

bool VirtualDevice::write(std::span<const input_event> events) {
  return os::write_all(*door_, descriptor_.get(), std::as_bytes(events)) == 0;
}

}  // namespace omnipar::inline abi_0::outlet
