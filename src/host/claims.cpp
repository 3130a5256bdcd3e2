#include "host/claims.hpp"

#include <algorithm>
#include <atomic>
#include <cstdint>
#include <cstdlib>
#include <string_view>

#include <fmt/format.h>

#include "files/read.hpp"
#include "identity/serial.hpp"

namespace omnipar::inline abi_0::host {
namespace {

// A claim is a socket bound to an abstract name: the kernel lists these names, and releases them when
// the process ends.
constexpr std::string_view family = "omnipar/claim/";

/// FNV-1a, of 64 bits: names of sockets are short.
std::string digest(std::string_view text) {
  std::uint64_t sum = 0xcbf29ce484222325;
  for (const char c : text) sum = (sum ^ static_cast<unsigned char>(c)) * 0x100000001b3;
  return fmt::format("{:016x}", sum);
}

std::string model_of(const Description& node) {
  return fmt::format("{:04x}:{:04x}\n{}\n{}\n{}\n", node.vendor, node.product, node.name, node.interface,
                     identity::plain_serial(node.serial));
}

}  // namespace

Claims::Claims(os::Door& door) : door_(door) {
  static std::atomic<int> last{0};
  const std::string self = door.real_path("/proc/self");
  prefix_ = fmt::format("{}{}/{}/", family, self.substr(self.rfind('/') + 1), ++last);
}

ClaimKeys::ClaimKeys(const Description& node)
    : by_socket(digest(model_of(node) + node.socket)), by_serial(node.serial.empty() ? "" : digest(model_of(node))) {}

void Claims::claim(const ClaimKeys& node) {
  for (const std::string& key : {node.by_socket, node.by_serial}) {
    if (key.empty() || held_.contains(key)) continue;
    os::Descriptor name{door_, door_.hold_name(prefix_ + key)};
    if (name) held_.emplace(key, std::move(name));
  }
}

void Claims::give_up(const ClaimKeys& node) {
  held_.erase(node.by_socket);
  held_.erase(node.by_serial);
}

int Claims::holder(const ClaimKeys& node, bool has_double) {
  const std::string& key = has_double || node.by_serial.empty() ? node.by_socket : node.by_serial;
  files::LineReader sockets{door_, "/proc/net/unix"};
  for (;;) {
    const auto line = sockets.next();
    if (!line || !*line) return 0;
    const std::string name{(*line)->substr(std::min((*line)->find(family), (*line)->size()))};
    if (!name.ends_with("/" + key) || name.starts_with(prefix_)) continue;
    return static_cast<int>(std::strtol(name.c_str() + family.size(), nullptr, 10));
  }
}

}  // namespace omnipar::inline abi_0::host
