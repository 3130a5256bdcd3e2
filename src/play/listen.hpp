// Listens to the connected units.
#pragma once

#include <cstdint>
#include <optional>
#include <span>

#include "omnipar/catalogue.hpp"
#include "omnipar/description.hpp"
#include "omnipar/diagnostic.hpp"
#include "omnipar/report.hpp"
#include "os/door.hpp"

namespace omnipar::inline abi_0::play {

/// A listener. Times start at 0 when listening begins.
class ReportListener {
 public:
  virtual ~ReportListener() = default;
  /// All units present at the start have arrived; reports follow.
  virtual void ready() = 0;
  virtual void arrived(int node, const Description& description, Time now) = 0;
  virtual void left(int node, Time now) = 0;
  virtual void on_report(int node, const Report& report) = 0;
  /// A report of a raw node, whose description came by `arrived`.
  virtual void on_raw_report(int node, Time time, std::span<const std::uint8_t> bytes) {
    static_cast<void>(node), static_cast<void>(time), static_cast<void>(bytes);
  }
  /// The raw node of this unit cannot be read; `error` is minus the error number.
  virtual void cannot_hear_raw(const Description& unit, int error) {
    static_cast<void>(unit), static_cast<void>(error);
  }
  /// Another program has grabbed the node, or no longer does: its next report is its current state.
  virtual void taken_away(int node, Time now) { static_cast<void>(node), static_cast<void>(now); }
  virtual void given_back(int node) { static_cast<void>(node); }
  /// Nothing has happened until now.
  virtual void waited(Time now) = 0;
  [[nodiscard]] virtual bool done() const = 0;
  /// A signal has ended listening.
  virtual void broken_off() {}
  /// When `waited` should be called next without an event; never, if nothing.
  [[nodiscard]] virtual std::optional<Time> next_due() const = 0;
};

struct ListenOptions {
  const Catalogue* catalogue = nullptr;           ///< models to listen to although they appear to be something else
  bool with_virtual = false;                      ///< also units created by other programs
  bool grab = false;                              ///< grab the units, while no button on them is pressed
  bool raw = false;                               ///< raw HID nodes of the units, too
  bool raw_where_better = false;                  ///< those of units whose event nodes are incomplete
  bool event_nodes_only = false;                  ///< also of units that are better read from their raw reports
  std::function<void(const std::string&)> say{};  ///< receives messages about units that cannot be read
  std::optional<Duration> longest;                ///< stops by itself after this duration, when everything is released
};

/// Listens until the listeners are done, the time is up, or SIGINT, SIGTERM or SIGHUP. Fails with `no-signals`,
/// `no-udev` or `cannot-wait`.
[[nodiscard]] std::optional<Diagnostic> listen(os::Door& door, const ListenOptions& options, ReportListener& listener);

}  // namespace omnipar::inline abi_0::play
