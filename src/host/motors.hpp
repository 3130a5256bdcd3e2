// The motors of an event node. Some drivers answer an upload after half a minute, or never, so a separate process sends
// the requests and the session never waits. (Grabbing and closing such a node still wait: the kernel serialises them.)
#pragma once

#include <linux/input.h>

#include <bitset>
#include <string>

#include "os/door.hpp"

namespace omnipar::inline abi_0::host {

/// The process starts with the first effect and ends with this object; one that hangs is left to the kernel. Effect
/// numbers are Omnipar's own. Failures are ignored: rumble is not essential.
class Motors {
 public:
  /// The node's descriptor must stay open until the first effect.
  Motors(os::Door& door, int node) noexcept : door_(door), node_(node) {}

  /// Uploads an effect, or replaces the one with its id. 0, or minus the error number.
  int put(ff_effect& effect) noexcept;
  void erase(int number) noexcept;
  /// 0 times: stops it.
  void play(int number, int times) noexcept;
  /// True while the driver has unfinished requests: another request to the node may then block for long.
  [[nodiscard]] bool is_waiting() noexcept;

 private:
  struct Message;
  int start() noexcept;
  int tell(const Message& message) noexcept;
  void read_answers() noexcept;
  [[noreturn]] static void serve(os::Door& door, int socket, const std::string& node);

  static constexpr std::size_t most_effects = 64;
  os::Door& door_;
  int node_;
  os::Descriptor socket_;
  int unanswered_ = 0;
  std::bitset<most_effects> taken_;
};

/// The name of the process in process lists.
inline constexpr const char* motors_process = "omnipar-motors";

}  // namespace omnipar::inline abi_0::host
