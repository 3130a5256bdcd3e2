// The motors of an event node. Some drivers answer an upload after half a minute, or never; so a process of its own
// does the asking, and whoever plays meanwhile waits for nothing. (Grabbing and closing such a node wait all the same:
// the kernel lets nobody in before the answer.)
#pragma once

#include <linux/input.h>

#include <bitset>
#include <string>

#include "os/door.hpp"

namespace omnipar::inline abi_0::host {

/// Its process begins with the first effect and ends with this; one that hangs then is left to the kernel. Effects have
/// numbers of our own. What cannot be done is not told: a unit that does not shake harms nobody.
class Motors {
 public:
  /// The node's descriptor must stay open until the first effect.
  Motors(os::Door& door, int node) noexcept : door_(door), node_(node) {}

  /// Puts an effect, or, if it has a number already, another one in its place. 0, or minus the error number.
  int put(ff_effect& effect) noexcept;
  void erase(int number) noexcept;
  /// 0 times: stops it.
  void play(int number, int times) noexcept;
  /// True while the driver has requests to finish: another request to the node may then block for long.
  [[nodiscard]] bool is_waiting() noexcept;

 private:
  struct Message;
  int start() noexcept;
  int tell(const Message& message) noexcept;
  void take_answers() noexcept;
  [[noreturn]] static void serve(os::Door& door, int socket, const std::string& node);

  static constexpr std::size_t most_effects = 64;
  os::Door& door_;
  int node_;
  os::Descriptor socket_;
  int unanswered_ = 0;
  std::bitset<most_effects> taken_;
};

/// What the process is called, for whoever looks at our children.
inline constexpr const char* motors_process = "omnipar-motors";

}  // namespace omnipar::inline abi_0::host
