// What a node's place in /sys tells.
#include <fcntl.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cstdlib>
#include <string_view>

#include <fmt/format.h>

#include "host/node.hpp"
#include "os/our_mark.hpp"

namespace omnipar::host {
namespace {

constexpr std::string_view devices = "/sys/devices/";

/// The codes of one type ("key", "rel", "abs") that a device in /sys has: words of hexadecimal digits, the highest
/// first.
std::vector<std::uint16_t> codes_in(os::Door& door, const std::string& folder, const char* type) {
  constexpr std::size_t word = 8 * sizeof(unsigned long);
  std::vector<std::uint16_t> codes;
  std::string text = line_of(door, fmt::format("{}/capabilities/{}", folder, type));
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

/// True if a device in /sys has a key of a joystick or a pad.
bool is_pad(os::Door& door, const std::string& folder) {
  constexpr std::uint16_t first_button = 0x120, behind_the_last = 0x140;
  return std::ranges::any_of(codes_in(door, folder, "key"),
                             [](std::uint16_t code) { return code >= first_button && code < behind_the_last; });
}

/// A hexadecimal number of a small file.
std::uint16_t id_in(os::Door& door, const std::string& path) {
  return static_cast<std::uint16_t>(std::strtoul(line_of(door, path).c_str(), nullptr, 16));
}

/// The number at the end of "input12", or of "1-1:1.3"; -1 if there is none.
int number_behind(std::string_view name, std::string_view head) {
  int number = -1;
  if (name.starts_with(head)) std::from_chars(name.data() + head.size(), name.data() + name.size(), number);
  return number;
}

/// Pads that the same interface has made before this one. They are there by then: what makes them numbers them.
int pads_before(os::Door& door, const std::string& syspath) {
  const std::size_t at = syspath.rfind("/input/input");
  if (at == std::string::npos) return 0;
  const std::string folder = syspath.substr(0, at + 6);
  const int own = number_behind(std::string_view{syspath}.substr(at + 7), "input");
  int before = 0;
  for (const std::string& name : door.names_in(folder)) {
    const int number = number_behind(name, "input");
    if (number >= 0 && number < own && is_pad(door, fmt::format("{}/{}", folder, name))) ++before;
  }
  return before;
}

/// Interfaces of the device with a lower number and the same class: those of a keyboard or a mouse are others.
int interfaces_before(os::Door& door, const std::string& syspath) {
  const std::string own = interface_folder(syspath);
  if (own.empty()) return 0;
  const std::size_t slash = own.rfind('/');
  const std::string device = own.substr(0, slash);
  const std::string head = own.substr(slash + 1, own.rfind('.') - slash);  // "1-1:1."
  const auto kind = [&door](const std::string& folder) {
    return line_of(door, folder + "/bInterfaceClass") + line_of(door, folder + "/bInterfaceSubClass") +
           line_of(door, folder + "/bInterfaceProtocol");
  };
  const std::string own_kind = kind(own);
  const int own_number = interface_of(syspath);
  int before = 0;
  for (const std::string& name : door.names_in(device)) {
    const int number = number_behind(name, head);
    if (number >= 0 && number < own_number && kind(fmt::format("{}/{}", device, name)) == own_kind) ++before;
  }
  return before;
}

}  // namespace

std::string line_of(os::Door& door, const std::string& path) {
  const os::Descriptor file{door, door.open(path, O_RDONLY)};
  std::array<std::byte, 512> piece{};
  const ssize_t got = file ? door.read(file.get(), piece) : 0;
  const std::string text{reinterpret_cast<const char*>(piece.data()),
                         static_cast<std::size_t>(std::max<ssize_t>(0, got))};
  return text.substr(0, text.find('\n'));
}

Description describe_unopened(os::Door& door, const std::string& path, const std::string& syspath) {
  const std::string folder = syspath.substr(0, syspath.rfind('/'));
  Description d;
  d.name = line_of(door, folder + "/name");
  d.bus = id_in(door, folder + "/id/bustype");
  d.vendor = id_in(door, folder + "/id/vendor");
  d.product = id_in(door, folder + "/id/product");
  d.version = id_in(door, folder + "/id/version");
  d.serial = line_of(door, folder + "/uniq");
  const std::string phys = line_of(door, folder + "/phys");
  d.socket = socket_of(syspath);
  if (d.socket.empty()) d.socket = phys;
  d.device = device_of(syspath);
  d.interface = interface_of(syspath);
  d.half = half_of(door, syspath);
  d.node = path;
  d.made_by_program = is_made_by_program(syspath);
  d.ours = d.made_by_program && phys.starts_with(os::our_mark);
  for (const std::uint16_t number : codes_in(door, folder, "key")) d.codes.push_back({key(number), 0, 1, 0});
  for (const std::uint16_t number : codes_in(door, folder, "rel")) d.codes.push_back({relative(number), 0, 0, 0});
  for (const std::uint16_t number : codes_in(door, folder, "abs")) d.codes.push_back({absolute(number), 0, 0, 0});
  return d;
}

std::string half_of(os::Door& door, const std::string& syspath) {
  if (is_made_by_program(syspath)) return {};  // they lie side by side, and are no halves of one another
  const int interfaces = interfaces_before(door, syspath);
  const int pads = pads_before(door, syspath);
  if (interfaces == 0 && pads == 0) return {};
  const std::string interface = std::to_string(interfaces + 1);
  return pads == 0 ? interface : interface + "." + std::to_string(pads + 1);
}

std::string socket_of(const std::string& syspath) {
  // …/devices/PLATFORM/usbN/N-P/N-P.Q/N-P.Q:1.0/…: the last part before the interface has the ports
  const std::size_t bus = syspath.find("/usb");
  if (!syspath.starts_with(devices) || bus == std::string::npos) return {};
  const std::size_t colon = syspath.find(':', bus);
  if (colon == std::string::npos) return {};
  const std::size_t interface = syspath.rfind('/', colon);
  const std::string_view name{syspath.data() + interface + 1, colon - interface - 1};
  const std::size_t dash = name.find('-');
  if (dash == std::string_view::npos) return {};
  const std::string platform = syspath.substr(devices.size(), bus - devices.size());
  return platform + ":" + std::string{name.substr(dash + 1)};
}

std::string device_of(const std::string& syspath) {
  if (std::string socket = socket_of(syspath); !socket.empty()) return socket;
  // …/BUS:VENDOR:PRODUCT.NUMBER/input/inputN/eventN, or …/hidraw/hidrawN
  const std::size_t input = std::min(syspath.find("/input/input"), syspath.find("/hidraw/"));
  if (input == std::string::npos) return {};
  const std::size_t slash = syspath.rfind('/', input - 1);
  const std::string_view name = std::string_view{syspath}.substr(slash + 1, input - slash - 1);
  constexpr std::size_t length_of_ids = 14;  // "0005:1209:0002"
  const bool is_hid = name.size() > length_of_ids && name[4] == ':' && name[9] == ':' && name[length_of_ids] == '.';
  return is_hid ? std::string{name} : std::string{};
}

int interface_of(const std::string& syspath) {
  // …/N-P.Q:1.2/…: the number behind the point
  const std::size_t bus = syspath.find("/usb");
  if (!syspath.starts_with(devices) || bus == std::string::npos) return -1;
  const std::size_t colon = syspath.find(':', bus);
  const std::size_t point = colon == std::string::npos ? colon : syspath.find('.', colon);
  if (point == std::string::npos) return -1;
  int number = -1;
  std::from_chars(syspath.data() + point + 1, syspath.data() + syspath.size(), number);
  return number;
}

std::string interface_folder(const std::string& syspath) {
  const std::size_t bus = syspath.find("/usb");
  if (!syspath.starts_with(devices) || bus == std::string::npos) return {};
  const std::size_t colon = syspath.find(':', bus);
  return colon == std::string::npos ? std::string{} : syspath.substr(0, syspath.find('/', colon));
}

bool is_made_by_program(const std::string& syspath) {
  return syspath.starts_with(std::string{devices} + "virtual/input/");
}

}  // namespace omnipar::host
