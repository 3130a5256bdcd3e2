// The one error type of the library.
#pragma once

#include <string>
#include <vector>

namespace omnipar::inline abi_0 {

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
  std::string excerpt{};  ///< the line of a file with a caret under the place; empty where there is none
  friend bool operator==(const Diagnostic&, const Diagnostic&) = default;
};

using Diagnostics = std::vector<Diagnostic>;

/// `place: message [id]`, then the excerpt and the hint, each on lines of its own, if there are any. No
/// final line break.
[[nodiscard]] std::string to_text(const Diagnostic& diagnostic);

/// Into the order of files and lines; those without a line stay in front, as they were.
void sort_by_place(Diagnostics& problems);

}  // namespace omnipar::inline abi_0
