// Words of commands that are suggested to people, who paste them into a shell.
#pragma once

#include <string>
#include <string_view>

namespace omnipar::inline abi_0::base {

/// The word so that a shell takes it as one word, and as nothing else, whatever it holds.
[[nodiscard]] inline std::string shell_word(std::string_view word) {
  constexpr std::string_view plain = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_-./,:=@%+~";
  if (!word.empty() && word.find_first_not_of(plain) == std::string_view::npos) return std::string{word};
  std::string quoted = "'";
  for (const char c : word) quoted += c == '\'' ? std::string{"'\\''"} : std::string{c};
  return quoted + "'";
}

}  // namespace omnipar::inline abi_0::base
