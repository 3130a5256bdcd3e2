// The page on which the targets of a gun are drawn full-screen by a browser: a library of its own, loaded when a page
// is wanted.
#pragma once

#include <string>

namespace omnipar::page {

/// A server on the loopback address alone. Its functions may be called from one thread; it serves from another one.
struct TargetServer {
  /// Begins to serve, on this port or, if it is 0, on any that is free. The port; 0 if it cannot be had. `path` is
  /// where the page lies, which nobody can guess.
  int (*start)(int port, std::string& path);
  /// What the page shows from now on: JSON with "words", "note", "target" and "shots".
  void (*show)(const std::string& json);
  /// Ends at once, whatever clients are doing.
  void (*stop)();
};

}  // namespace omnipar::page

/// The one thing that is looked up in it: made by the same build as whoever calls it.
extern "C" [[gnu::visibility("default")]] const omnipar::page::TargetServer* omnipar_target_server() noexcept;
