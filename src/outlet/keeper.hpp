// The keeper: a small process that holds the virtual devices too. When the player's end of the socket
// closes, however that comes about, it writes a neutral report to each device, gives readers three
// frames, and removes them.
//
// The player:   holds --keeper is gone--> starts another, gives it all devices
//               holds --close--> waits for the keeper's end
// The keeper:   keeps --a message with a device--> keeps it too
//               keeps --end of file--> neutral, three frames, removes all, ends
#pragma once

#include <sys/types.h>

#include <vector>

#include "os/door.hpp"

namespace omnipar::outlet {

class Keeper {
 public:
  explicit Keeper(os::Door& door) noexcept : door_(door) {}
  ~Keeper() { close(); }
  Keeper(const Keeper&) = delete;
  Keeper& operator=(const Keeper&) = delete;

  /// Starts the process; 0, or minus the error number.
  int start();
  /// Gives it a device to hold; the player keeps its own descriptor.
  int give(int device);
  /// Readable when the keeper is gone.
  [[nodiscard]] int descriptor() const noexcept { return socket_.get(); }
  /// Starts another and gives it all devices; 0, or minus the error number.
  int start_again();
  /// Lets the keeper end everything, and waits until it has.
  void close();
  [[nodiscard]] pid_t process() const noexcept { return process_; }

 private:
  os::Door& door_;
  os::Descriptor socket_;
  pid_t process_ = -1;
  std::vector<int> devices_;
};

}  // namespace omnipar::outlet
