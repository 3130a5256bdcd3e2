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
#include "outlet/form.hpp"

namespace omnipar::outlet {

class Keeper {
 public:
  explicit Keeper(os::Door& door) noexcept : door_(door) {}
  ~Keeper() { close(); }
  Keeper(const Keeper&) = delete;
  Keeper& operator=(const Keeper&) = delete;

  /// Starts the process; 0, or minus the error number.
  int start();
  /// Gives it a device to hold, of this form; the player keeps its own descriptor.
  int give(int device, FormKind form);
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
  struct Given {
    int device = -1;
    FormKind form = FormKind::pad;
  };
  std::vector<Given> devices_;

  [[noreturn]] static void keep(os::Door& door, int socket);
};

}  // namespace omnipar::outlet
