// RAII wrappers for libudev.
#pragma once

#include <libudev.h>

#include <memory>

namespace omnipar::inline abi_0::host {

template <auto unref>
struct Unref {
  template <typename T>
  void operator()(T* thing) const noexcept {
    unref(thing);
  }
};
using Udev = std::unique_ptr<udev, Unref<udev_unref>>;
using Monitor = std::unique_ptr<udev_monitor, Unref<udev_monitor_unref>>;
using Device = std::unique_ptr<udev_device, Unref<udev_device_unref>>;
using Enumerate = std::unique_ptr<udev_enumerate, Unref<udev_enumerate_unref>>;

}  // namespace omnipar::inline abi_0::host
