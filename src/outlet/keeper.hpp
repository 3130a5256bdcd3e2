// The keeper: a small process that also holds the virtual devices. When the player's end of the socket
// closes for any reason, it writes a neutral report to each device, gives readers three
// frames, and removes the devices.
//
// It also holds final reports for units: reports that stop what would continue without a player, such as motors
// driven by raw reports.
//
// The player:   holds --keeper is gone--> starts another, passes it all devices and final reports
//               holds --close--> withdraws the final reports, waits for the keeper's end
// The keeper:   waits --a message with a device or a final report--> holds it, too
//               waits --end of file--> neutral, three frames, removes all, writes the final reports, ends
#pragma once

#include <sys/types.h>

#include <cstdint>
#include <span>
#include <vector>

#include "os/door.hpp"
#include "outlet/form.hpp"

namespace omnipar::inline abi_0::outlet {

class Keeper {
 public:
  explicit Keeper(os::Door& door) noexcept : door_(door) {}
  ~Keeper() { close(); }
  Keeper(const Keeper&) = delete;
  Keeper& operator=(const Keeper&) = delete;

  /// Starts the process; 0, or minus the error number.
  int start();
  /// Passes it a device of this form; the player keeps its own descriptor.
  int give(int device, FormKind form);
  /// Passes it a report to write to this descriptor if the player is killed. `unit` is a number chosen by the caller,
  /// for `forget`. The player keeps the descriptor, which must stay open until then. 0, or minus the error number.
  int give_last_word(int unit, int descriptor, std::span<const std::uint8_t> report);
  /// Withdraws a unit's final reports: it is disconnected, or has been stopped. A unit without any is ignored.
  void forget(int unit);
  /// Readable when the keeper is gone.
  [[nodiscard]] int descriptor() const noexcept { return socket_.get(); }
  /// Starts another and passes it all devices and final reports; 0, or minus the error number.
  int start_again();
  /// Ends the keeper and waits for it. The caller has stopped all units.
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
  struct LastWord {
    int unit = 0;
    int descriptor = -1;
    std::vector<std::uint8_t> report;
  };
  std::vector<LastWord> last_words_;

  struct Kept;
  [[nodiscard]] int send(const LastWord& word);
  [[noreturn]] static void keep(os::Door& door, int socket);
};

}  // namespace omnipar::inline abi_0::outlet
