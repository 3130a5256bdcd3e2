// What a node's place in /sys tells.
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

bool is_made_by_program(const std::string& syspath) {
  return syspath.starts_with(std::string{devices} + "virtual/input/");
}

}  // namespace omnipar::host
