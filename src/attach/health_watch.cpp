#include "attach/health_watch.hpp"

#include <algorithm>
#include <cstdlib>

#include <fmt/format.h>

namespace omnipar::inline abi_0 {
namespace {

/// Faster than a person can press or release a button.
constexpr Duration quicker_than_hands = std::chrono::milliseconds{25};
/// Deliberate movement exceeds this fraction of the range and reverses less often.
constexpr double widest_jitter = 0.15;
constexpr int fewest_reversals = 6;

std::string bounce_words(const std::string& role, Duration burst) {
  constexpr std::int64_t finest = 5;
  const std::int64_t ms = (burst.count() + 999) / 1000;
  const std::int64_t deaf = (ms / finest + 1) * finest;
  return fmt::format("'{0}' bounces for {1} ms: debounce it in a binding with {{ use = \"{0}\", debounce = {2} }}",
                     role, ms, deaf);
}

}  // namespace

void attach::HealthWatch::follow(Axis& axis, std::int32_t value) const noexcept {
  const int direction = value > axis.last ? 1 : value < axis.last ? -1 : 0;
  if (direction != 0 && axis.direction != 0 && direction != axis.direction) ++axis.reversals;
  if (direction != 0) axis.direction = direction;
  axis.low = std::min(axis.low, value);
  axis.high = std::max(axis.high, value);
  axis.last = value;
}

/// Three changes in quick succession are a burst: an interrupted press or an interrupted release.
void attach::HealthWatch::follow(Switch& contact, Time time) const noexcept {
  const bool in_burst = contact.changes > 0 && time - contact.last < quicker_than_hands;
  if (!in_burst) contact.first_of_burst = time;
  contact.changes = in_burst ? contact.changes + 1 : 1;
  contact.last = time;
  if (contact.changes >= 3) contact.longest_burst = std::max(contact.longest_burst, time - contact.first_of_burst);
}

void attach::HealthWatch::feed(const Report& report) {
  for (const Change& change : report.changes) {
    const auto control = std::ranges::find(attachment_.controls, change.code, &Control::code);
    if (control == attachment_.controls.end()) continue;
    if (control->type == ControlType::button) {
      if (change.value == 0 || change.value == 1) follow(switches_[change.code], report.time);
    } else if (control->type != ControlType::hat && control->type != ControlType::counts) {
      const auto at = axes_.try_emplace(change.code, Axis{change.value, change.value, change.value}).first;
      follow(at->second, change.value);
    }
  }
}

bool attach::HealthWatch::bounces(Code code) const {
  const auto contact = switches_.find(code);
  return contact != switches_.end() && contact->second.longest_burst.count() > 0;
}

bool attach::HealthWatch::jitters(Code code) const {
  const auto control = std::ranges::find(attachment_.controls, code, &Control::code);
  return control != attachment_.controls.end() && jitter_of(*control) > 0;
}

double attach::HealthWatch::jitter_of(const Control& control) const {
  const auto axis = axes_.find(control.code);
  if (axis == axes_.end() || axis->second.reversals < fewest_reversals) return 0;
  const double width = static_cast<double>(control.maximum) - control.minimum;
  const double part = (static_cast<double>(axis->second.high) - axis->second.low) / width;
  return part > widest_jitter ? 0 : part;
}

std::vector<std::string> attach::HealthWatch::notes() const {
  std::vector<std::string> notes;
  for (const Control& control : attachment_.controls) {
    if (bounces(control.code)) notes.push_back(bounce_words(control.role, switches_.at(control.code).longest_burst));
    const double jitter = jitter_of(control);
    if (jitter == 0) continue;
    notes.push_back(fmt::format("'{}'{} jitters by {:.1f} % of its range at rest", control.role,
                                control.axis == omnipar::Axis::x   ? " (x)"
                                : control.axis == omnipar::Axis::y ? " (y)"
                                                                   : "",
                                100 * jitter));
  }
  return notes;
}

}  // namespace omnipar::inline abi_0
