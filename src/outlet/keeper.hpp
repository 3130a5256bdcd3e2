// The keeper: a small process that holds the virtual devices too. When the player's end of the socket
// closes, however that comes about, it writes a neutral report to each device, gives readers three
// frames, and removes them.
//
// It holds last words to units, too: reports that set to rest what goes on when nobody is there to end it, as motors do
// that are moved by raw reports.
//
// The player:   holds --keeper is gone--> starts another, gives it all devices and last words
//               holds --close--> takes the last words back, waits for the keeper's end
// The keeper:   keeps --a message with a device or a last word--> keeps it too
//               keeps --end of file--> neutral, three frames, removes all, says the last words, ends
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
  /// Gives it a device to hold, of this form; the player keeps its own descriptor.
  int give(int device, FormKind form);
  /// Gives it a report to write to this descriptor if we are killed. `unit` is a number of the caller's choice, for
  /// `forget`. The player keeps the descriptor, which must stay open until then. 0, or minus the error number.
  int give_last_word(int unit, int descriptor, std::span<const std::uint8_t> report);
  /// Takes a unit's last words back: it has gone, or has been set to rest. One that has none is ignored.
  void forget(int unit);
  /// Readable when the keeper is gone.
  [[nodiscard]] int descriptor() const noexcept { return socket_.get(); }
  /// Starts another and gives it all devices and last words; 0, or minus the error number.
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
