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

/// Nothing but the socket stays open, so that the keeper holds no unit and no terminal; a Ctrl-C that
/// is meant for the player does not reach it.
void leave_everything_but(int socket) {
  ::setsid();
  for (const int signal : {SIGINT, SIGTERM, SIGHUP, SIGPIPE}) ::signal(signal, SIG_IGN);
  ::prctl(PR_SET_NAME, "omnipar-keeper");
  ::close_range(0, static_cast<unsigned>(socket) - 1, 0);
  ::close_range(static_cast<unsigned>(socket) + 1, ~0U, 0);
}

}  // namespace

void Keeper::keep(os::Door& door, int socket) {
  leave_everything_but(socket);
  std::vector<Given> devices;
  std::array<std::byte, 8> message{};
  for (;;) {
    int device = -1;
    const ssize_t got = door.receive(socket, message, device);
    if (device >= 0) devices.push_back({device, static_cast<FormKind>(message[0])});
    if (got <= 0) break;
  }
  for (const Given& given : devices) {
    const std::vector<input_event> neutral = neutral_report(given.form);
    os::write_all(door, given.device, std::as_bytes(std::span{neutral}));
  }
  if (!devices.empty()) door.sleep(three_frames);
  for (const Given& given : devices) {
    door.control(given.device, UI_DEV_DESTROY, 0UL);
    door.close(given.device);
  }
  ::_exit(0);
}

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

int Keeper::give(int device, FormKind form) {
  const std::array<std::byte, 1> message{static_cast<std::byte>(form)};
  const ssize_t sent = door_.send(socket_.get(), message, device);
  if (sent < 0) return static_cast<int>(sent);
  devices_.push_back({device, form});
  return 0;
}

int Keeper::start_again() {
  socket_.reset();
  if (process_ > 0) door_.wait_for(process_);
  process_ = -1;
  int result = start();
  const std::vector<Given> devices = std::exchange(devices_, {});
  for (const Given& given : devices)
    if (result == 0) result = give(given.device, given.form);
  devices_ = devices;
  return result;
}

void Keeper::close() {
  socket_.reset();
  if (process_ > 0) door_.wait_for(process_);
  process_ = -1;
}

}  // namespace omnipar::outlet
