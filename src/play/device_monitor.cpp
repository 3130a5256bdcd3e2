#include "play/device_monitor.hpp"

#include <csignal>
#include <span>

namespace omnipar::inline abi_0::play {

std::optional<Diagnostic> DeviceMonitor::begin(std::span<const int> signals) {
  if (!signals.empty() && !signals_.begin(signals))
    return Diagnostic{"no-signals", Severity::error, "cannot receive signals", "", "try again"};
  watch_ = host::open_watch();
  if (!watch_ || watch_->descriptor() < 0)
    return Diagnostic{"no-udev", Severity::error, "cannot monitor devices", "", "'omnipar doctor' looks for the cause"};
  if (auto failure = waiter_.begin()) return failure;
  if (signals_.descriptor() >= 0)
    if (auto failure = waiter_.also(signals_.descriptor(), {Waited::signals})) return failure;
  return waiter_.also(watch_->descriptor(), {Waited::watch});
}

std::optional<Diagnostic> DeviceMonitor::watch_node(int node) {
  return waiter_.also(nodes_.descriptor(node), {Waited::node, static_cast<std::size_t>(node)}, true);
}

bool DeviceMonitor::wait(std::optional<Time> until, const Other& other) {
  node_events_wait_ = signals_wait_ = false;
  if (!waiter_.wait(until)) return false;
  waiter_.each_ready([&](Ready ready) {
    if (ready.what == Waited::node)
      nodes_.mark_ready(static_cast<int>(ready.which));
    else if (ready.what == Waited::watch)
      node_events_wait_ = true;
    else if (ready.what == Waited::signals)
      signals_wait_ = true;
    else
      other(ready);
  });
  return true;
}

std::optional<host::NodeEvent> DeviceMonitor::next_node_event() {
  auto event = node_events_wait_ ? watch_->next() : std::nullopt;
  node_events_wait_ = event.has_value();
  return event;
}

std::optional<os::CaughtSignal> DeviceMonitor::next_signal() {
  auto signal = signals_wait_ ? signals_.next() : std::nullopt;
  signals_wait_ = signal.has_value();
  return signal;
}

void DeviceMonitor::give_back(const std::function<void()>& awaits, const Other& other,
                              const std::function<void(int node)>& left) {
  constexpr Duration patience = std::chrono::seconds{5};
  const Time until = door_.now() + patience;
  if (nodes_.anything_down() && awaits) awaits();
  bool told_again = false;
  while (nodes_.anything_down() && !told_again && door_.now() < until && wait(until, other)) {
    for (const int node : nodes_.drain(door_.now()).gone) left(node);
    while (next_node_event()) {
    }
    while (const auto caught = next_signal()) told_again = told_again || caught->number != SIGCHLD;
  }
  nodes_.close_all();
}

}  // namespace omnipar::inline abi_0::play
