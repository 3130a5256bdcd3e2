// Makes the names that units report safe for a terminal.
#include "omnipar/identity.hpp"
#include "text/utf8.hpp"

namespace omnipar::inline abi_0 {

std::string printable(std::string_view name) {
  constexpr int most_characters = 60;
  std::string shown;
  for (int characters = 0; !name.empty(); ++characters) {
    if (characters == most_characters) return shown + "…";
    shown += text::next_character(name);
  }
  return shown.empty() ? "(no name)" : shown;
}

std::string plain_word(std::string_view name) {
  std::string word;
  for (const char c : name) {
    const bool letter = (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9');
    const bool capital = c >= 'A' && c <= 'Z';
    if (letter || capital)
      word += capital ? static_cast<char>(c - 'A' + 'a') : c;
    else if (!word.empty() && word.back() != '-')
      word += '-';
  }
  while (word.ends_with('-')) word.pop_back();
  constexpr std::size_t longest = 40;
  if (word.empty() || word.front() < 'a') word = "unit-" + word;
  return word.substr(0, longest);
}

}  // namespace omnipar::inline abi_0
