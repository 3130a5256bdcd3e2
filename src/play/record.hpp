// Recording a trace of the units that are there.
#pragma once

#include <functional>
#include <string>

#include "play/listen.hpp"

#include <tl/expected.hpp>

namespace omnipar::inline abi_0::play {

struct RecordOptions {
  ListenOptions listen;
  std::string about;                            ///< for the head
  std::function<bool(const std::string&)> put;  ///< takes a line; false ends the recording
  std::function<void(const std::string&)> say;  ///< one line for the person at a time
  bool with_keys = false;                       ///< also keys of keyboards, which may be what somebody typed
};

struct Recorded {
  std::size_t reports = 0;
  std::size_t left_out = 0;  ///< keys that went down and are not in the trace
  std::size_t raw = 0;       ///< raw reports
};

/// Records as `listen` listens, and the raw reports of units that are played by those. Fails as that does. Keys that
/// are no controls of the unit, or whose role is a key, are left out unless they are asked for: they may be what
/// somebody typed. So are all raw reports of a unit that has such keys.
[[nodiscard]] tl::expected<Recorded, Diagnostic> record(os::Door& door, const RecordOptions& options);

}  // namespace omnipar::inline abi_0::play
