#include "evening/feedback.hpp"

namespace omnipar::inline abi_0::evening {
namespace {

/// The number of rumble pulses.
int pulses_of(Turn what) {
  switch (what) {
    case Turn::resumed:
    case Turn::unit_back:
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

bool Feedback::find_desktop() {
  if (options_.notify) desktop_ = host::open_desktop();
  return desktop_ != nullptr || !options_.notify;
}

void Feedback::process() {
  if (desktop_ && !desktop_->process()) desktop_.reset();
}

void Feedback::tell(Turn what, const std::string& words, Time now) {
  constexpr Duration a_while = std::chrono::seconds{3};
  if (what == Turn::frozen || what == Turn::resumed) frozen_ = what == Turn::frozen;
  if (what == Turn::unit_lost) numbers_again_ = now + a_while;
  if (options_.call) options_.call(what);
  if (options_.feel)
    for (const PortInfo& port : session_.plan().ports()) session_.pulse(port.number, pulses_of(what));
  if (desktop_) desktop_->show(words);
  show_leds();
}

void Feedback::show_numbers_again() {
  numbers_again_.reset();
  show_leds();
}

void Feedback::show_leds() {
  if (!options_.leds) return;
  for (const PortInfo& port : session_.plan().ports()) {
    if (frozen_)
      session_.light(port.number, 0);
    else if (numbers_again_)
      session_.light(port.number, all_leds);
    else
      session_.light_number(port.number);
  }
}

}  // namespace omnipar::inline abi_0::evening
