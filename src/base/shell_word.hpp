// Quotes words of suggested commands, which people paste into a shell.
#pragma once

#include <string>
#include <string_view>

namespace omnipar::inline abi_0::base {

/// The word quoted so that a shell reads it as exactly one word, whatever it contains.
[[nodiscard]] inline std::string shell_word(std::string_view word) {
  constexpr std::string_view plain = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_-./,:=@%+~";
  if (!word.empty() && word.find_first_not_of(plain) == std::string_view::npos) return std::string{word};
  std::string quoted = "'";
  for (const char c : word) quoted += c == '\'' ? std::string{"'\\''"} : std::string{c};
  return quoted + "'";
}

}  // namespace omnipar::inline abi_0::base
