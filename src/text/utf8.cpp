#include "text/utf8.hpp"

namespace omnipar::inline abi_0::text {

std::size_t utf8_length(std::string_view text) {
  const auto byte = [&](std::size_t i) { return i < text.size() ? static_cast<unsigned char>(text[i]) : 0U; };
  const auto follows = [&](std::size_t i, unsigned low = 0x80, unsigned high = 0xbf) {
    return byte(i) >= low && byte(i) <= high;
  };
  const unsigned first = byte(0);
  if (first < 0x80) return 1;
  if (first >= 0xc2 && first <= 0xdf) return follows(1) ? 2 : 0;
  if (first >= 0xe0 && first <= 0xef) {
    const unsigned low = first == 0xe0 ? 0xa0 : 0x80;
    const unsigned high = first == 0xed ? 0x9f : 0xbf;
    return follows(1, low, high) && follows(2) ? 3 : 0;
  }
  if (first >= 0xf0 && first <= 0xf4) {
    const unsigned low = first == 0xf0 ? 0x90 : 0x80;
    const unsigned high = first == 0xf4 ? 0x8f : 0xbf;
    return follows(1, low, high) && follows(2) && follows(3) ? 4 : 0;
  }
  return 0;
}

namespace {

/// Control characters (C0, DEL, C1) and the invisible characters that change the writing direction
/// or join letters (U+200B..U+200F, U+2028..U+202E, U+2060..U+206F).
bool is_harmful(std::string_view sequence) {
  const auto byte = [&](std::size_t i) { return static_cast<unsigned char>(sequence[i]); };
  if (sequence.size() == 1) return byte(0) < 0x20 || byte(0) == 0x7f;
  if (sequence.size() == 2) return byte(0) == 0xc2 && byte(1) < 0xa0;
  if (sequence.size() == 3 && byte(0) == 0xe2) {
    if (byte(1) == 0x80) return (byte(2) >= 0x8b && byte(2) <= 0x8f) || (byte(2) >= 0xa8 && byte(2) <= 0xae);
    return byte(1) == 0x81 && byte(2) >= 0xa0 && byte(2) <= 0xaf;
  }
  return false;
}

}  // namespace

std::string_view next_character(std::string_view& rest) {
  const std::size_t length = utf8_length(rest);
  const std::string_view character = rest.substr(0, length);
  rest.remove_prefix(length == 0 ? 1 : length);
  return length == 0 || is_harmful(character) ? "?" : character;
}

}  // namespace omnipar::inline abi_0::text
