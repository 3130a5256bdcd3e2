#include "play/feedback.hpp"

namespace omnipar::play {
namespace {

/// How many pulses of rumble say it.
int pulses_of(Turn what) {
  switch (what) {
    case Turn::goes_on:
      return 1;
    case Turn::frozen:
      return 2;
    case Turn::swapped:
      return 3;
    case Turn::unit_lost:
      return 4;
  }
  return 0;
}

constexpr std::uint32_t all_leds = ~std::uint32_t{0};

}  // namespace

std::uint32_t leds_of(int port, int count) noexcept {
  return port >= 1 && port <= count ? std::uint32_t{1} << (port - 1) : all_leds;
}

bool Feedback::find_desktop() {
  if (wish_.notify) desktop_ = host::open_desktop();
  return desktop_ != nullptr || !wish_.notify;
}

void Feedback::take() {
  if (desktop_ && !desktop_->take()) desktop_.reset();
}

void Feedback::seat(std::vector<PortPart> playing) {
  if (playing == playing_) return;
  playing_ = std::move(playing);
  show_leds();
}

void Feedback::tell(Turn what, const std::string& words, Time now) {
  constexpr Duration a_while = std::chrono::seconds{3};
  if (what == Turn::frozen || what == Turn::goes_on) frozen_ = what == Turn::frozen;
  if (what == Turn::unit_lost) numbers_again_ = now + a_while;
  if (wish_.call) wish_.call(what);
  if (wish_.feel)
    for (const PortPart& playing : playing_) rumble_.pulse(playing.part, pulses_of(what));
  if (desktop_) desktop_->show(words);
  show_leds();
}

void Feedback::show_numbers_again() {
  numbers_again_.reset();
  show_leds();
}

void Feedback::show_leds() {
  if (!wish_.leds) return;
  for (const auto [part, port] : playing_) {
    const int count = nodes_.count_of_leds(part);
    if (count == 0) continue;
    const std::uint32_t awake = numbers_again_ ? all_leds : leds_of(port, count);
    nodes_.show_leds(part, frozen_ ? 0 : awake);
  }
}

}  // namespace omnipar::play
