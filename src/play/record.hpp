// Recording a trace of the units that are there.
#pragma once

#include <functional>
#include <memory>
#include <string>
#include <vector>

#include "omnipar/session.hpp"
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
  std::size_t left_out = 0;         ///< keys that went down and are not in the trace
  std::size_t raw = 0;              ///< raw reports
  std::vector<std::string> gaps{};  ///< units that another program had alone for a while: what they said is missing
};

/// Records as `listen` listens, and the raw reports of units that are played by those. Fails as that does. Keys that
/// are no controls of the unit, or whose role is a key, are left out unless they are asked for: they may be what
/// somebody typed. So are all raw reports of a unit that has such keys.
[[nodiscard]] tl::expected<Recorded, Diagnostic> record(os::Door& door, const RecordOptions& options);

/// Records what a session hears, which others cannot while it has its units alone. Units that it reads by their raw
/// reports are left out.
class SessionRecording {
 public:
  /// The options' catalogue must outlive it.
  explicit SessionRecording(RecordOptions options);
  ~SessionRecording();
  SessionRecording(const SessionRecording&) = delete;
  SessionRecording& operator=(const SessionRecording&) = delete;
  /// The session that is opened with these options is recorded, and must not outlive this.
  void listen_to(SessionOptions& session);
  [[nodiscard]] const Recorded& recorded() const noexcept;

 private:
  class Impl;
  std::unique_ptr<Impl> impl_;
};

}  // namespace omnipar::inline abi_0::play
