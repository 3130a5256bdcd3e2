#include "host/watch.hpp"

#include <sys/stat.h>

#include <algorithm>
#include <cerrno>
#include <cstdlib>
#include <string_view>

#include "host/udev.hpp"

namespace omnipar::inline abi_0::host {
namespace {

constexpr std::string_view event_nodes = "/dev/input/event";

std::optional<NodePath> path_of(udev_device* device) {
  const char* node = udev_device_get_devnode(device);
  const char* syspath = udev_device_get_syspath(device);
  if (node == nullptr || syspath == nullptr || !std::string_view{node}.starts_with(event_nodes)) return std::nullopt;
  return NodePath{node, syspath};
}

long number_of(const NodePath& where) { return std::strtol(where.path.c_str() + event_nodes.size(), nullptr, 10); }

class UdevWatch final : public Watch {
 public:
  explicit UdevWatch(Udev udev) : udev_(std::move(udev)) {
    struct stat unused {};
    const bool udevd_runs = ::stat("/run/udev/control", &unused) == 0;
    monitor_.reset(udev_monitor_new_from_netlink(udev_.get(), udevd_runs ? "udev" : "kernel"));
    if (!monitor_) return;
    if (udev_monitor_filter_add_match_subsystem_devtype(monitor_.get(), "input", nullptr) < 0 ||
        udev_monitor_enable_receiving(monitor_.get()) < 0)
      monitor_.reset();
  }

  int descriptor() const noexcept override { return monitor_ ? udev_monitor_get_fd(monitor_.get()) : -1; }

  std::optional<NodeEvent> next() override {
    while (monitor_) {
      errno = 0;
      const Device device{udev_monitor_receive_device(monitor_.get())};
      if (!device && errno == EINTR) continue;
      if (!device) return std::nullopt;
      const char* action = udev_device_get_action(device.get());
      auto path = path_of(device.get());
      if (action == nullptr || !path) continue;
      if (std::string_view{action} == "add") return NodeEvent{true, std::move(*path)};
      if (std::string_view{action} == "remove") return NodeEvent{false, std::move(*path)};
    }
    return std::nullopt;
  }

  std::vector<NodePath> present() override {
    std::vector<NodePath> paths;
    const Enumerate list{udev_enumerate_new(udev_.get())};
    if (!list || udev_enumerate_add_match_subsystem(list.get(), "input") < 0 ||
        udev_enumerate_scan_devices(list.get()) < 0)
      return paths;
    for (udev_list_entry* entry = udev_enumerate_get_list_entry(list.get()); entry != nullptr;
         entry = udev_list_entry_get_next(entry)) {
      const Device device{udev_device_new_from_syspath(udev_.get(), udev_list_entry_get_name(entry))};
      if (!device) continue;
      if (auto path = path_of(device.get())) paths.push_back(std::move(*path));
    }
    std::ranges::sort(paths, {}, number_of);
    return paths;
  }

 private:
  Udev udev_;
  Monitor monitor_;
};

}  // namespace

std::unique_ptr<Watch> open_watch() {
  Udev udev{udev_new()};
  if (!udev) return nullptr;
  return std::make_unique<UdevWatch>(std::move(udev));
}

}  // namespace omnipar::inline abi_0::host
