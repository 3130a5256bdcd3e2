#include "host/desktop.hpp"

#include <systemd/sd-bus.h>

#include <cstdint>

namespace omnipar::inline abi_0::host {
namespace {

class BusDesktop final : public Desktop {
 public:
  explicit BusDesktop(sd_bus* bus) noexcept : bus_(bus) {}
  ~BusDesktop() override { sd_bus_close_unref(bus_); }
  BusDesktop(const BusDesktop&) = delete;
  BusDesktop& operator=(const BusDesktop&) = delete;

  int descriptor() const noexcept override { return sd_bus_get_fd(bus_); }

  bool process() noexcept override {
    int result = 0;
    do result = sd_bus_process(bus_, nullptr);
    while (result > 0);
    return result == 0;
  }

  /// Desktop Notifications Specification 1.2: Notify(name, replaces, icon, summary, body, actions, hints, timeout).
  void show(const std::string& words) noexcept override {
    constexpr std::int32_t as_default = -1;
    sd_bus_call_method_async(bus_, nullptr, "org.freedesktop.Notifications", "/org/freedesktop/Notifications",
                             "org.freedesktop.Notifications", "Notify", &BusDesktop::shown, this, "susssasa{sv}i",
                             "Omnipar", last_, "input-gaming", "Omnipar", words.c_str(), 0, 0, as_default);
  }

 private:
  static int shown(sd_bus_message* reply, void* self, sd_bus_error* /*error*/) noexcept {
    sd_bus_message_read(reply, "u", &static_cast<BusDesktop*>(self)->last_);
    return 0;
  }

  sd_bus* bus_;
  std::uint32_t last_ = 0;  ///< id of the current message; 0: none
};

}  // namespace

std::unique_ptr<Desktop> open_desktop() {
  sd_bus* bus = nullptr;
  if (sd_bus_open_user(&bus) < 0) return nullptr;
  return std::make_unique<BusDesktop>(bus);
}

}  // namespace omnipar::inline abi_0::host
