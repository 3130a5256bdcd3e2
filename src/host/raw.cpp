#include "host/raw.hpp"

#include <fcntl.h>
#include <linux/hidraw.h>
#include <sys/ioctl.h>

#include <algorithm>
#include <cerrno>

#include "omnipar/hid.hpp"

namespace omnipar::inline abi_0::host {

std::string hid_folder(const std::string& syspath) {
  // …/DEVICE/input/inputN/eventN, or …/DEVICE/hidraw/hidrawN
  const std::size_t below = std::min(syspath.find("/input/input"), syspath.find("/hidraw/"));
  return below == std::string::npos ? std::string{} : syspath.substr(0, below);
}

std::vector<std::uint8_t> report_descriptor_of(os::Files& door, const std::string& hid_folder) {
  if (hid_folder.empty()) return {};
  const os::Descriptor file{door, door.open(hid_folder + "/report_descriptor", O_RDONLY)};
  std::vector<std::uint8_t> bytes(hid::most_bytes);
  const ssize_t got = file ? door.read(file.get(), std::as_writable_bytes(std::span{bytes})) : 0;
  bytes.resize(static_cast<std::size_t>(std::max<ssize_t>(got, 0)));
  return bytes;
}

std::string raw_node_of(os::Files& door, const std::string& hid_folder) {
  if (hid_folder.empty()) return {};
  const auto names = door.names_in(hid_folder + "/hidraw");
  return names.empty() ? std::string{} : "/dev/" + names.front();
}

std::unique_ptr<RawNode> RawNode::open(os::Files& door, const std::string& path, const Description& sibling,
                                       int& error) {
  os::Descriptor file{door, door.open(path, O_RDWR | O_NONBLOCK)};
  const bool takes_output = static_cast<bool>(file);
  if (!file) file = os::Descriptor{door, door.open(path, O_RDONLY | O_NONBLOCK)};
  error = std::min(file.get(), 0);
  if (!file) return nullptr;
  int size = 0;
  error = door.control(file.get(), HIDIOCGRDESCSIZE, &size);
  if (error < 0) return nullptr;
  auto bytes = std::make_unique<hidraw_report_descriptor>();
  bytes->size = static_cast<std::uint32_t>(std::clamp(size, 0, HID_MAX_DESCRIPTOR_SIZE));
  error = door.control(file.get(), HIDIOCGRDESC, bytes.get());
  if (error < 0) return nullptr;
  error = 0;
  Description description = sibling;
  description.codes.clear();
  description.node = path;
  description.descriptor.assign(bytes->value, bytes->value + bytes->size);
  return std::unique_ptr<RawNode>{new RawNode{door, std::move(file), takes_output, std::move(description)}};
}

std::optional<std::span<const std::uint8_t>> RawNode::next() noexcept {
  const ssize_t got = door_.read(file_.get(), std::as_writable_bytes(std::span{buffer_}));
  if (got == -EAGAIN) return std::span<const std::uint8_t>{};
  if (got <= 0) return std::nullopt;
  return std::span{buffer_}.first(static_cast<std::size_t>(got));
}

}  // namespace omnipar::inline abi_0::host
