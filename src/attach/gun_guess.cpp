#include "attach/gun_guess.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

namespace omnipar::inline abi_0::attach {

bool may_be_gun(const Description& node, const Attachment& attachment) noexcept {
  constexpr std::ptrdiff_t most_buttons = 8;
  const auto is_type = [](EventType type) {
    return [type](const CodeRange& range) { return range.code.type == type; };
  };
  const auto is_stick = [](const Control& control) {
    return control.role == "left-stick" && control.type == ControlType::two_sided;
  };
  return node.descriptor.empty() && std::ranges::count_if(node.codes, is_type(ev_abs)) == 2 &&
         std::ranges::count_if(node.codes, is_type(ev_key)) <= most_buttons &&
         std::ranges::count_if(attachment.controls, is_stick) == 2;
}

GunGuess::Verdict GunGuess::look(double x, double y) {
  constexpr double home = 0.12, away = 0.3, still = 0.02, elsewhere = 0.15;
  constexpr int returns_of_a_stick = 3;
  constexpr std::size_t places_of_a_gun = 5;
  const auto near = [](Place a, Place b, double within) {
    return std::fabs(a.x - b.x) <= within && std::fabs(a.y - b.y) <= within;
  };
  const Place now{x, y};
  const bool stands = near(now, last_, still);
  last_ = now;
  if (near(now, {}, home)) {
    if (std::exchange(was_away_, false)) {
      ++returns_;
      stood_.clear();
    }
    return returns_ >= returns_of_a_stick ? Verdict::stick : Verdict::open;
  }
  if (near(now, {}, away)) return Verdict::open;
  was_away_ = true;
  const bool is_new = std::ranges::none_of(stood_, [&](Place place) { return near(place, now, elsewhere); });
  // A stick with switches also stays in its corners.
  const bool at_an_end = std::fabs(x) > 0.97 || std::fabs(y) > 0.97;
  if (stands && is_new && !at_an_end) stood_.push_back(now);
  return stood_.size() >= places_of_a_gun ? Verdict::gun : Verdict::open;
}

}  // namespace omnipar::inline abi_0::attach
