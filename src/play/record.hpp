// Records a trace of the connected units.
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
  std::string about;                            ///< for the header
  std::function<bool(const std::string&)> put;  ///< receives a line; false ends the recording
  std::function<void(const std::string&)> say;  ///< receives one line for the user at a time
  bool with_keys = false;                       ///< include keyboard keys, which may be typed text
};

struct Recorded {
  std::size_t reports = 0;
  std::size_t left_out = 0;         ///< omitted key presses
  std::size_t raw = 0;              ///< raw reports
  std::vector<std::string> gaps{};  ///< units that another program grabbed for a while: their reports are missing
};

/// Records like `listen`, including the raw reports of units read that way. Fails like `listen`. Keys that are not
/// controls, or whose role is a key, are omitted unless requested, because they may be typed text. So are all raw
/// reports of a unit with such keys.
[[nodiscard]] tl::expected<Recorded, Diagnostic> record(os::Door& door, const RecordOptions& options);

/// Records the input of a session, which other programs cannot read while units are grabbed. Units read through raw
/// reports are omitted.
class SessionRecording {
 public:
  /// The options' catalogue must outlive it.
  explicit SessionRecording(RecordOptions options);
  ~SessionRecording();
  SessionRecording(const SessionRecording&) = delete;
  SessionRecording& operator=(const SessionRecording&) = delete;
  /// The session opened with these options is recorded, and must not outlive this.
  void listen_to(SessionOptions& session);
  [[nodiscard]] const Recorded& recorded() const noexcept;

 private:
  class Impl;
  std::unique_ptr<Impl> impl_;
};

}  // namespace omnipar::inline abi_0::play
