// Recording a trace of the units that are there.
#pragma once

#include <functional>
#include <optional>
#include <string>

#include "omnipar/diagnostic.hpp"
#include "omnipar/time.hpp"
#include "os/door.hpp"

#include <tl/expected.hpp>

namespace omnipar::play {

struct RecordOptions {
  std::string about;                            ///< for the head
  bool with_virtual = false;                    ///< take units that other programs made, too
  std::optional<Duration> longest;              ///< ends by itself after so long
  std::function<bool(const std::string&)> put;  ///< takes a line; false ends the recording
  std::function<void(const std::string&)> say;  ///< one line for the person at a time
};

/// Records until SIGINT, SIGTERM, SIGHUP or the time is over: the number of reports. Controllers alone are
/// recorded, never keyboards. Fails with `no-signals`, `no-udev` or `cannot-wait`.
[[nodiscard]] tl::expected<std::size_t, Diagnostic> record(os::Door& door, const RecordOptions& options);

}  // namespace omnipar::play
