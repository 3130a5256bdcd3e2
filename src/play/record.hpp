// Recording a trace of the units that are there.
#pragma once

#include <functional>
#include <string>

#include "play/listen.hpp"

#include <tl/expected.hpp>

namespace omnipar::play {

struct RecordOptions {
  ListenOptions listen;
  std::string about;                            ///< for the head
  std::function<bool(const std::string&)> put;  ///< takes a line; false ends the recording
  std::function<void(const std::string&)> say;  ///< one line for the person at a time
};

/// Records as `listen` listens: the number of reports. Fails as that does.
[[nodiscard]] tl::expected<std::size_t, Diagnostic> record(os::Door& door, const RecordOptions& options);

}  // namespace omnipar::play
