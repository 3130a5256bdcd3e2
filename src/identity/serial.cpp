#include "identity/serial.hpp"

#include <algorithm>

namespace omnipar::inline abi_0 {

std::string identity::plain_serial(std::string_view serial) {
  std::string plain;
  for (const char c : serial)
    if (c != ':' && c != '-') plain += c >= 'A' && c <= 'Z' ? static_cast<char>(c - 'A' + 'a') : c;
  return plain;
}

bool identity::is_address(std::string_view serial) {
  constexpr std::size_t digits_of_an_address = 12;
  const std::string plain = identity::plain_serial(serial);
  const auto is_digit = [](char c) { return (c >= '0' && c <= '9') || (c >= 'a' && c <= 'f'); };
  return plain.size() == digits_of_an_address && std::ranges::all_of(plain, is_digit) &&
         std::ranges::count(plain, plain.front()) != static_cast<std::ptrdiff_t>(digits_of_an_address);
}

}  // namespace omnipar::inline abi_0
