// The page on which a browser draws the targets of a gun full-screen: a separate library, loaded on
// demand.
#pragma once

#include <string>

namespace omnipar::page {

/// A server on the loopback address only. Its functions must be called from one thread; it serves from another one.
struct TargetServer {
  /// Starts the server on a port, or on any free one if it is 0. Returns the port, or 0 on failure. `path` receives the
  /// unguessable path of the page.
  int (*start)(int port, std::string& path);
  /// Sets what the page shows: JSON with "words", "note", "target" and "shots".
  void (*show)(const std::string& json);
  /// Stops at once, whatever clients are doing.
  void (*stop)();
};

}  // namespace omnipar::page

/// The only exported symbol; built together with its caller.
extern "C" [[gnu::visibility("default")]] const omnipar::page::TargetServer* omnipar_target_server() noexcept;
