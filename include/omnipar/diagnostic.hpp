// Diagnostics: errors, warnings and notes.
#pragma once

#include <string>
#include <vector>

namespace omnipar::inline abi_0 {

enum class Severity { note, warning, error };

/// A problem, described for people. `id` is stable and documented in docs/diagnostics.md. `place` is a file and line, a
/// binding or a unit; `hint` is the next step. Both can be empty.
struct Diagnostic {
  std::string id;
  Severity severity = Severity::error;
  std::string message;
  std::string place;
  std::string hint;
  std::string excerpt{};  ///< the line of the file with a caret below the place; may be empty
  friend bool operator==(const Diagnostic&, const Diagnostic&) = default;
};

using Diagnostics = std::vector<Diagnostic>;

/// Returns `place: message [id]`, followed by the excerpt and the hint on their own lines if present. Does not end with
/// a line break.
[[nodiscard]] std::string to_text(const Diagnostic& diagnostic);

/// Sorts by file and line. Diagnostics without a line stay first, in their order.
void sort_by_place(Diagnostics& problems);

}  // namespace omnipar::inline abi_0
