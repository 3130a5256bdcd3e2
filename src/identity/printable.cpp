// Names that units give themselves, made fit for a terminal.
#include "omnipar/identity.hpp"
#include "text/utf8.hpp"

namespace omnipar {

std::string printable(std::string_view name) {
  constexpr int most_characters = 60;
  std::string shown;
  for (int characters = 0; !name.empty(); ++characters) {
    if (characters == most_characters) return shown + "…";
    shown += text::take_character(name);
  }
  return shown.empty() ? "(no name)" : shown;
}

}  // namespace omnipar
