// Properties of a node from its position in the device tree, by libudev.
#include <libudev.h>

#include <algorithm>
#include <array>
#include <cstdlib>
#include <memory>
#include <string_view>

#include <fcntl.h>

#include "host/node.hpp"
#include "host/udev.hpp"
#include "os/our_mark.hpp"

namespace omnipar::inline abi_0::host {
namespace {

constexpr std::string_view devices = "/devices/";

/// A device; its parents belong to it. Null if there is none.
class Located {
 public:
  explicit Located(const std::string& syspath)
      : udev_(udev_new()), owned_(udev_ ? udev_device_new_from_syspath(udev_.get(), syspath.c_str()) : nullptr) {}

  [[nodiscard]] udev_device* node() const noexcept { return owned_.get(); }
  [[nodiscard]] udev_device* parent(const char* subsystem, const char* type = nullptr) const noexcept {
    return owned_ ? udev_device_get_parent_with_subsystem_devtype(owned_.get(), subsystem, type) : nullptr;
  }
  /// Devices of a subsystem whose nearest parent is this one, in no particular order.
  [[nodiscard]] std::vector<Device> children(udev_device* of, const char* subsystem) const {
    std::vector<Device> found;
    const Enumerate all{udev_enumerate_new(udev_.get())};
    if (!all || udev_enumerate_add_match_parent(all.get(), of) < 0 ||
        udev_enumerate_add_match_subsystem(all.get(), subsystem) < 0 || udev_enumerate_scan_devices(all.get()) < 0)
      return found;
    for (udev_list_entry* entry = udev_enumerate_get_list_entry(all.get()); entry != nullptr;
         entry = udev_list_entry_get_next(entry)) {
      Device child{udev_device_new_from_syspath(udev_.get(), udev_list_entry_get_name(entry))};
      udev_device* const above = child ? udev_device_get_parent(child.get()) : nullptr;
      if (above != nullptr && syspath(above) == syspath(of)) found.push_back(std::move(child));
    }
    return found;
  }

  [[nodiscard]] static std::string_view syspath(udev_device* device) { return udev_device_get_syspath(device); }

 private:
  Udev udev_;
  Device owned_;
};

/// An attribute of a device; empty if it has none.
std::string attribute(udev_device* device, const char* name) {
  const char* const value = device != nullptr ? udev_device_get_sysattr_value(device, name) : nullptr;
  return value != nullptr ? value : "";
}

std::uint16_t id(udev_device* device, const char* name) {
  return static_cast<std::uint16_t>(std::strtoul(attribute(device, name).c_str(), nullptr, 16));
}

int interface_number(udev_device* interface) {
  const std::string number = attribute(interface, "bInterfaceNumber");
  return number.empty() ? -1 : static_cast<int>(std::strtol(number.c_str(), nullptr, 16));
}

/// The codes of one type ("key", "rel", "abs") that a device has: words of hexadecimal digits, the highest first.
std::vector<std::uint16_t> codes_of(udev_device* device, const std::string& type) {
  constexpr std::size_t word = 8 * sizeof(unsigned long);
  std::vector<std::uint16_t> codes;
  std::string text = attribute(device, ("capabilities/" + type).c_str());
  for (std::size_t first = 0; !text.empty(); first += word) {
    const std::size_t space = text.rfind(' ');
    const unsigned long bits =
        std::strtoul(text.substr(space == std::string::npos ? 0 : space + 1).c_str(), nullptr, 16);
    for (std::size_t bit = 0; bit < word; ++bit)
      if ((bits >> bit & 1) != 0) codes.push_back(static_cast<std::uint16_t>(first + bit));
    text.resize(space == std::string::npos ? 0 : space);
  }
  return codes;
}

/// True if a device has a key of a joystick or a pad.
bool is_pad(udev_device* device) {
  constexpr std::uint16_t first_button = 0x120, behind_the_last = 0x140;
  return std::ranges::any_of(codes_of(device, "key"),
                             [](std::uint16_t code) { return code >= first_button && code < behind_the_last; });
}

/// "input12" is 12.
long input_number(udev_device* input) {
  const char* const number = udev_device_get_sysnum(input);
  return number != nullptr ? std::strtol(number, nullptr, 10) : -1;
}

/// Pads created earlier on the same interface. They exist by then, because their creator numbers them.
int pads_before(const Located& located) {
  udev_device* const input = located.parent("input");
  udev_device* const maker = input != nullptr ? udev_device_get_parent(input) : nullptr;
  if (maker == nullptr) return 0;
  int before = 0;
  for (const Device& other : located.children(maker, "input"))
    if (input_number(other.get()) < input_number(input) && is_pad(other.get())) ++before;
  return before;
}

/// Interfaces of the device with a lower number and the same class, which excludes those of a keyboard or a mouse.
int interfaces_before(const Located& located) {
  udev_device* const own = located.parent("usb", "usb_interface");
  udev_device* const device = located.parent("usb", "usb_device");
  if (own == nullptr || device == nullptr) return 0;
  const auto kind = [](udev_device* interface) {
    return attribute(interface, "bInterfaceClass") + attribute(interface, "bInterfaceSubClass") +
           attribute(interface, "bInterfaceProtocol");
  };
  int before = 0;
  for (const Device& other : located.children(device, "usb")) {
    const int number = interface_number(other.get());
    if (number >= 0 && number < interface_number(own) && kind(other.get()) == kind(own)) ++before;
  }
  return before;
}

std::string socket_of(const Located& located) {
  udev_device* const device = located.parent("usb", "usb_device");
  if (device == nullptr) return {};
  // Up to the root hub; its parent device identifies the bus.
  udev_device* bus = device;
  while (udev_device* const above = udev_device_get_parent_with_subsystem_devtype(bus, "usb", "usb_device"))
    bus = above;
  udev_device* const platform = udev_device_get_parent(bus);
  if (platform == nullptr) return {};
  const std::string path = udev_device_get_devpath(platform);
  return path.substr(std::min(path.size(), devices.size())) + ":" + attribute(device, "devpath");
}

std::string device_of(const Located& located) {
  if (std::string socket = socket_of(located); !socket.empty()) return socket;
  udev_device* const hid = located.parent("hid");
  return hid != nullptr ? udev_device_get_sysname(hid) : "";
}

std::string half_of(const Located& located) {
  const int interfaces = interfaces_before(located);
  const int pads = pads_before(located);
  if (interfaces == 0 && pads == 0) return {};
  const std::string interface = std::to_string(interfaces + 1);
  return pads == 0 ? interface : interface + "." + std::to_string(pads + 1);
}

}  // namespace

void locate(Description& node, const std::string& syspath) {
  const Located located{syspath};
  node.socket = socket_of(located);
  node.device = device_of(located);
  node.interface = interface_number(located.parent("usb", "usb_interface"));
  node.made_by_program = is_made_by_program(syspath);
  if (!node.made_by_program) node.half = half_of(located);  // siblings are not halves of one another
}

Description describe_unopened(const std::string& path, const std::string& syspath) {
  const Located located{syspath};
  udev_device* const input = located.parent("input");
  Description d;
  d.name = attribute(input, "name");
  d.bus = id(input, "id/bustype");
  d.vendor = id(input, "id/vendor");
  d.product = id(input, "id/product");
  d.version = id(input, "id/version");
  d.serial = attribute(input, "uniq");
  const std::string phys = attribute(input, "phys");
  locate(d, syspath);
  if (d.socket.empty()) d.socket = phys;
  d.node = path;
  d.ours = d.made_by_program && phys.starts_with(os::our_mark);
  for (const std::uint16_t number : codes_of(input, "key")) d.codes.push_back({key(number), 0, 1, 0});
  for (const std::uint16_t number : codes_of(input, "rel")) d.codes.push_back({relative(number), 0, 0, 0});
  for (const std::uint16_t number : codes_of(input, "abs")) d.codes.push_back({absolute(number), 0, 0, 0});
  return d;
}

std::string line_of(os::Files& door, const std::string& path) {
  const os::Descriptor file{door, door.open(path, O_RDONLY)};
  std::array<std::byte, 512> piece{};
  const ssize_t got = file ? door.read(file.get(), piece) : 0;
  const std::string text{reinterpret_cast<const char*>(piece.data()),
                         static_cast<std::size_t>(std::max<ssize_t>(0, got))};
  return text.substr(0, text.find('\n'));
}

std::string device_of(const std::string& syspath) { return device_of(Located{syspath}); }

std::string interface_folder(const std::string& syspath) {
  const Located located{syspath};
  udev_device* const interface = located.parent("usb", "usb_interface");
  return interface != nullptr ? udev_device_get_syspath(interface) : "";
}

bool is_made_by_program(const std::string& syspath) { return syspath.starts_with("/sys/devices/virtual/input/"); }

}  // namespace omnipar::inline abi_0::host
