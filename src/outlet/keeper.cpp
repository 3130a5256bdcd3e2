#include "outlet/keeper.hpp"

#include <linux/close_range.h>
#include <linux/uinput.h>
#include <sys/prctl.h>
#include <unistd.h>

#include <array>
#include <csignal>
#include <utility>

#include "outlet/form.hpp"

namespace omnipar::outlet {
namespace {

constexpr Duration three_frames{50'000};

void end_devices(os::Door& door, const std::vector<int>& devices) {
  const std::vector<input_event> neutral = neutral_report();
  for (const int device : devices) os::write_all(door, device, std::as_bytes(std::span{neutral}));
  if (!devices.empty()) door.sleep(three_frames);
  for (const int device : devices) {
    door.control(device, UI_DEV_DESTROY, 0UL);
    door.close(device);
  }
}

/// Nothing but the socket stays open, so that the keeper holds no unit and no terminal; a Ctrl-C that
/// is meant for the player does not reach it.
void leave_everything_but(int socket) {
  ::setsid();
  for (const int signal : {SIGINT, SIGTERM, SIGHUP, SIGPIPE}) ::signal(signal, SIG_IGN);
  ::prctl(PR_SET_NAME, "omnipar-keeper");
  ::close_range(0, static_cast<unsigned>(socket) - 1, 0);
  ::close_range(static_cast<unsigned>(socket) + 1, ~0U, 0);
}

[[noreturn]] void keep(os::Door& door, int socket) {
  leave_everything_but(socket);
  std::vector<int> devices;
  std::array<std::byte, 8> message{};
  for (;;) {
    int device = -1;
    const ssize_t got = door.receive(socket, message, device);
    if (device >= 0) devices.push_back(device);
    if (got <= 0) break;
  }
  end_devices(door, devices);
  ::_exit(0);
}

}  // namespace

int Keeper::start() {
  int ends[2] = {-1, -1};
  const int result = door_.pair_of_sockets(ends);
  if (result < 0) return result;
  os::Descriptor ours{door_, ends[0]};
  os::Descriptor theirs{door_, ends[1]};
  const pid_t child = door_.fork();
  if (child < 0) return child;
  if (child == 0) keep(door_, theirs.get());
  process_ = child;
  socket_ = std::move(ours);
  return 0;
}

int Keeper::give(int device) {
  constexpr std::array<std::byte, 1> here_is_one{std::byte{1}};
  const ssize_t sent = door_.send(socket_.get(), here_is_one, device);
  if (sent < 0) return static_cast<int>(sent);
  devices_.push_back(device);
  return 0;
}

int Keeper::start_again() {
  socket_.reset();
  if (process_ > 0) door_.wait_for(process_);
  process_ = -1;
  int result = start();
  const std::vector<int> devices = std::exchange(devices_, {});
  for (const int device : devices)
    if (result == 0) result = give(device);
  devices_ = devices;
  return result;
}

void Keeper::close() {
  socket_.reset();
  if (process_ > 0) door_.wait_for(process_);
  process_ = -1;
}

}  // namespace omnipar::outlet
