#include "omnipar/diagnostic.hpp"

namespace omnipar {

std::string to_text(const Diagnostic& diagnostic) {
  std::string text;
  if (!diagnostic.place.empty()) text += diagnostic.place + ": ";
  text += diagnostic.message + " [" + diagnostic.id + "]";
  if (!diagnostic.excerpt.empty()) text += "\n" + diagnostic.excerpt;
  if (!diagnostic.hint.empty()) text += "\n  " + diagnostic.hint;
  return text;
}

}  // namespace omnipar
