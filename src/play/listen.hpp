// Listening to the units that are there, until somebody has heard enough.
#pragma once

#include <optional>

#include "omnipar/catalogue.hpp"
#include "omnipar/description.hpp"
#include "omnipar/diagnostic.hpp"
#include "omnipar/report.hpp"
#include "os/door.hpp"

namespace omnipar::play {

/// Who listens. Times begin at 0 when listening begins.
class Ears {
 public:
  virtual ~Ears() = default;
  /// Everything that was there from the beginning has arrived; from now on it is heard.
  virtual void ready() = 0;
  virtual void arrived(int node, const Description& description, Time now) = 0;
  virtual void left(int node, Time now) = 0;
  virtual void heard(int node, const Report& report) = 0;
  /// Nothing has happened up to here.
  virtual void waited(Time now) = 0;
  [[nodiscard]] virtual bool done() const = 0;
  /// When `waited` should be called next although nothing happens; never, if nothing.
  [[nodiscard]] virtual std::optional<Time> next_due() const = 0;
};

struct ListenOptions {
  const Catalogue* catalogue = nullptr;  ///< models that are listened to although they look like something else
  bool with_virtual = false;             ///< units that other programs made, too
  bool hold = false;  ///< nobody else hears them meanwhile; taken, and given back, while nothing on them is down
  std::optional<Duration> longest;  ///< ends by itself after so long, and everything is let go
};

/// Listens until the ears have done, the time is over, or SIGINT, SIGTERM or SIGHUP. Fails with `no-signals`,
/// `no-udev` or `cannot-wait`.
[[nodiscard]] std::optional<Diagnostic> listen(os::Door& door, const ListenOptions& options, Ears& ears);

}  // namespace omnipar::play
