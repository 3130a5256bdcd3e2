#include "host/pairings.hpp"

#include <systemd/sd-bus.h>

#include <algorithm>
#include <cstdint>
#include <memory>
#include <string>
#include <string_view>

namespace omnipar::inline abi_0::host {
namespace {

struct Close {
  void operator()(sd_bus* bus) const noexcept { sd_bus_flush_close_unref(bus); }
  void operator()(sd_bus_message* message) const noexcept { sd_bus_message_unref(message); }
};

/// A device as described by the daemon.
struct PairedDevice {
  inspect::PairedFact fact;
  bool paired = false;
  std::uint32_t device_class = 0;
  std::uint16_t appearance = 0;

  /// By the class of device (Bluetooth's assigned numbers: major class 5, peripheral) or, for those of low energy, by
  /// the appearance (0x03c0 to 0x03ff, human interface device).
  [[nodiscard]] bool is_played_on() const noexcept {
    constexpr unsigned peripheral = 5, interface_device = 0x03c0 >> 6;
    return (device_class >> 8 & 0x1fU) == peripheral || appearance >> 6 == interface_device;
  }
};

/// Iterates over the entries of a dictionary of this type; `read` reads the value after each key.
template <typename Read>
void each_entry(sd_bus_message* reply, const char* entry, char key_type, Read read) {
  if (sd_bus_message_enter_container(reply, 'a', (std::string{"{"} + entry + "}").c_str()) <= 0) return;
  while (sd_bus_message_enter_container(reply, 'e', entry) > 0) {
    const char* key = "";
    if (sd_bus_message_read_basic(reply, key_type, &key) > 0) read(std::string_view{key});
    sd_bus_message_exit_container(reply);
  }
  sd_bus_message_exit_container(reply);
}

void read_field(sd_bus_message* reply, std::string_view field, PairedDevice& device) {
  const char* text = "";
  int flag = 0;
  if (field == "Alias" && sd_bus_message_read(reply, "v", "s", &text) > 0)
    device.fact.name = text;
  else if (field == "Address" && sd_bus_message_read(reply, "v", "s", &text) > 0)
    device.fact.address = text;
  else if (field == "Paired" && sd_bus_message_read(reply, "v", "b", &flag) > 0)
    device.paired = flag != 0;
  else if (field == "Class")
    sd_bus_message_read(reply, "v", "u", &device.device_class);
  else if (field == "Appearance")
    sd_bus_message_read(reply, "v", "q", &device.appearance);
  else
    sd_bus_message_skip(reply, "v");
}

std::vector<inspect::PairedFact> devices_in(sd_bus_message* reply) {
  std::vector<inspect::PairedFact> found;
  each_entry(reply, "oa{sa{sv}}", 'o', [&](std::string_view) {
    PairedDevice device;
    each_entry(reply, "sa{sv}", 's', [&](std::string_view interface) {
      if (interface == "org.bluez.Device1")
        each_entry(reply, "sv", 's', [&](std::string_view field) { read_field(reply, field, device); });
      else
        sd_bus_message_skip(reply, "a{sv}");
    });
    if (device.paired && device.is_played_on()) found.push_back(device.fact);
  });
  std::ranges::sort(found, {}, &inspect::PairedFact::address);
  return found;
}

}  // namespace

std::optional<std::vector<inspect::PairedFact>> paired_units() {
  sd_bus* opened = nullptr;
  if (sd_bus_open_system(&opened) < 0) return std::nullopt;
  const std::unique_ptr<sd_bus, Close> bus{opened};
  constexpr std::uint64_t two_seconds = 2'000'000;
  sd_bus_set_method_call_timeout(bus.get(), two_seconds);
  sd_bus_message* answer = nullptr;
  const int result = sd_bus_call_method(bus.get(), "org.bluez", "/", "org.freedesktop.DBus.ObjectManager",
                                        "GetManagedObjects", nullptr, &answer, "");
  const std::unique_ptr<sd_bus_message, Close> reply{answer};
  if (result < 0) return std::nullopt;
  return devices_in(reply.get());
}

}  // namespace omnipar::inline abi_0::host
