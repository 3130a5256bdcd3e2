// What a node's place in /sys tells.
#include <algorithm>
#include <charconv>
#include <string_view>

#include "host/node.hpp"

namespace omnipar::host {
namespace {

constexpr std::string_view devices = "/sys/devices/";

}  // namespace

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
