#include "host/motors.hpp"

#include <fcntl.h>
#include <unistd.h>

#include <array>
#include <cerrno>
#include <cstring>
#include <string>
#include <utility>

#include "os/helper.hpp"

namespace omnipar::inline abi_0::host {

struct Motors::Message {
  enum class Kind : std::uint8_t { put, erase, play };
  Kind kind = Kind::put;
  int number = 0;
  int times = 0;
  ff_effect effect{};
};

/// Only the last request for each effect counts; the kernel erases all when this process ends.
void Motors::serve(os::Door& door, int socket, const std::string& node) {
  os::become_helper(motors_process, socket);
  // Opened a second time, so that the session can close its own descriptor at once even if this process hangs.
  const int file = door.open(node, O_RDWR);
  std::array<int, 64> numbers{};
  numbers.fill(-1);
  for (;;) {
    Message message;
    int descriptor = -1;
    const ssize_t got = door.receive(socket, std::as_writable_bytes(std::span{&message, 1}), descriptor);
    if (got <= 0 || file < 0) ::_exit(0);
    int& number = numbers.at(static_cast<std::size_t>(message.number));
    if (message.kind == Message::Kind::put) {
      message.effect.id = static_cast<std::int16_t>(number);
      if (door.control(file, EVIOCSFF, &message.effect) >= 0) number = message.effect.id;
    } else if (message.kind == Message::Kind::erase && number >= 0) {
      door.control(file, EVIOCRMFF, static_cast<unsigned long>(std::exchange(number, -1)));
    } else if (message.kind == Message::Kind::play && number >= 0) {
      input_event event{};
      event.type = EV_FF;
      event.code = static_cast<std::uint16_t>(number);
      event.value = message.times;
      static_cast<void>(os::write_all(door, file, std::as_bytes(std::span{&event, 1})));
    }
    constexpr std::byte done{1};
    static_cast<void>(door.send(socket, std::span{&done, 1}, -1));
  }
}

/// Never waits: requests that the unit has no time for are lost.
int Motors::tell(const Message& message) noexcept {
  read_answers();
  const ssize_t sent = door_.send(socket_.get(), std::as_bytes(std::span{&message, 1}), -1);
  if (sent > 0) ++unanswered_;
  return sent < 0 ? static_cast<int>(sent) : 0;
}

void Motors::read_answers() noexcept {
  std::byte done{};
  int descriptor = -1;
  while (unanswered_ > 0 && door_.receive(socket_.get(), std::span{&done, 1}, descriptor) > 0) --unanswered_;
}

bool Motors::is_waiting() noexcept {
  if (socket_) read_answers();
  return unanswered_ > 0;
}

int Motors::start() noexcept {
  int ends[2] = {-1, -1};
  if (const int result = door_.pair_of_sockets(ends); result < 0) return result;
  os::Descriptor ours{door_, ends[0]};
  const os::Descriptor theirs{door_, ends[1]};
  ::fcntl(ends[0], F_SETFL, O_NONBLOCK);
  const std::string node = door_.real_path("/proc/self/fd/" + std::to_string(node_));
  const pid_t child = door_.fork();
  if (child < 0) return child;
  if (child == 0) serve(door_, theirs.get(), node);
  socket_ = std::move(ours);
  return 0;
}

int Motors::put(ff_effect& effect) noexcept {
  if (!socket_)
    if (const int result = start(); result < 0) return result;
  int number = effect.id;
  for (std::size_t free = 0; number < 0 && free < most_effects; ++free)
    if (!taken_.test(free)) number = static_cast<int>(free);
  if (number < 0) return -ENOSPC;
  const int result = tell({Message::Kind::put, number, 0, effect});
  if (result < 0) return result;
  taken_.set(static_cast<std::size_t>(number));
  effect.id = static_cast<std::int16_t>(number);
  return 0;
}

void Motors::erase(int number) noexcept {
  if (!socket_ || number < 0) return;
  static_cast<void>(tell({Message::Kind::erase, number, 0, {}}));
  taken_.reset(static_cast<std::size_t>(number));
}

void Motors::play(int number, int times) noexcept {
  if (socket_ && number >= 0) static_cast<void>(tell({Message::Kind::play, number, times, {}}));
}

}  // namespace omnipar::inline abi_0::host
