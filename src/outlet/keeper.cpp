#include "outlet/keeper.hpp"

#include <linux/uinput.h>
#include <unistd.h>

#include <algorithm>
#include <cstring>
#include <utility>

#include "omnipar/report.hpp"
#include "os/helper.hpp"
#include "outlet/form.hpp"

namespace omnipar::inline abi_0::outlet {
namespace {

constexpr Duration three_frames{50'000};

enum class Kind : std::uint8_t { device, last_word, forget };

/// The start of a message; a final report follows.
struct Head {
  Kind kind = Kind::device;
  FormKind form = FormKind::pad;
  int unit = 0;
};

std::vector<std::byte> message_of(const Head& head, std::span<const std::uint8_t> report = {}) {
  std::vector<std::byte> message(sizeof head + report.size());
  std::memcpy(message.data(), &head, sizeof head);
  std::ranges::copy(std::as_bytes(report), message.begin() + sizeof head);
  return message;
}

}  // namespace

/// What the keeper holds.
struct Keeper::Kept {
  std::vector<Given> devices;
  std::vector<LastWord> last_words;

  void hold(os::Door& door, std::span<const std::byte> message, int descriptor) {
    Head head;
    if (message.size() < sizeof head) return;
    std::memcpy(&head, message.data(), sizeof head);
    const auto* report = reinterpret_cast<const std::uint8_t*>(message.data());
    if (head.kind == Kind::device && descriptor >= 0) devices.push_back({descriptor, head.form});
    if (head.kind == Kind::last_word && descriptor >= 0)
      last_words.push_back({head.unit, descriptor, {report + sizeof head, report + message.size()}});
    if (head.kind == Kind::forget) forget(door, head.unit);
  }

  void forget(os::Door& door, int unit) {
    const auto is_its = [unit](const LastWord& word) { return word.unit == unit; };
    for (const LastWord& word : last_words)
      if (is_its(word)) door.close(word.descriptor);
    std::erase_if(last_words, is_its);
  }

  void end(os::Door& door) const {
    for (const Given& given : devices) {
      const std::vector<input_event> neutral = neutral_report(given.form);
      os::write_all(door, given.device, std::as_bytes(std::span{neutral}));
    }
    if (!devices.empty()) door.sleep(three_frames);
    for (const Given& given : devices) {
      door.control(given.device, UI_DEV_DESTROY, 0UL);
      door.close(given.device);
    }
    // Units come last, because an unresponsive one blocks.
    for (const LastWord& word : last_words) os::write_all(door, word.descriptor, std::as_bytes(std::span{word.report}));
  }
};

void Keeper::keep(os::Door& door, int socket) {
  os::become_helper("omnipar-keeper", socket);
  Kept kept;
  std::vector<std::byte> message(sizeof(Head) + largest_raw_report);
  for (;;) {
    int descriptor = -1;
    const ssize_t got = door.receive(socket, message, descriptor);
    if (got <= 0) break;
    kept.hold(door, std::span{message}.first(static_cast<std::size_t>(got)), descriptor);
  }
  kept.end(door);
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
  const ssize_t sent = door_.send(socket_.get(), message_of({Kind::device, form}), device);
  if (sent < 0) return static_cast<int>(sent);
  devices_.push_back({device, form});
  return 0;
}

int Keeper::send(const LastWord& word) {
  const Head head{Kind::last_word, {}, word.unit};
  const ssize_t sent = door_.send(socket_.get(), message_of(head, word.report), word.descriptor);
  return sent < 0 ? static_cast<int>(sent) : 0;
}

int Keeper::give_last_word(int unit, int descriptor, std::span<const std::uint8_t> report) {
  last_words_.push_back({unit, descriptor, {report.begin(), report.end()}});
  return send(last_words_.back());
}

void Keeper::forget(int unit) {
  if (std::erase_if(last_words_, [unit](const LastWord& word) { return word.unit == unit; }) > 0)
    door_.send(socket_.get(), message_of({Kind::forget, {}, unit}), -1);
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
  for (const LastWord& word : last_words_)
    if (result == 0) result = send(word);
  return result;
}

void Keeper::close() {
  while (!last_words_.empty()) forget(last_words_.back().unit);
  socket_.reset();
  if (process_ > 0) door_.wait_for(process_);
  process_ = -1;
}

}  // namespace omnipar::inline abi_0::outlet
