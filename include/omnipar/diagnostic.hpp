// The one error type of the library.
#pragma once

#include <string>
#include <vector>

namespace omnipar {

enum class Severity { note, warning, error };

/// One thing that is wrong, for a person. `id` is stable and has an entry in docs/diagnostics.md;
/// `place` says where (a file and line, a binding, a unit) and may be empty; `hint` says what to do
/// next and may be empty.
struct Diagnostic {
  std::string id;
  Severity severity = Severity::error;
  std::string message;
  std::string place;
  std::string hint;
  friend bool operator==(const Diagnostic&, const Diagnostic&) = default;
};

using Diagnostics = std::vector<Diagnostic>;

/// `place: message [id]`, and the hint on a line of its own if there is one. No final line break.
[[nodiscard]] std::string to_text(const Diagnostic& diagnostic);

}  // namespace omnipar
