#include "host/leds.hpp"

#include <fcntl.h>
#include <linux/input.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <string_view>

#include <fmt/format.h>

namespace omnipar::inline abi_0::host {
namespace {

constexpr std::string_view led_of_player = ":player-";  // Documentation/leds/well-known-leds.txt of the kernel

bool has_bit(std::span<const std::uint8_t> bits, unsigned number) {
  return (bits[number / 8] >> (number % 8) & 1) != 0;
}

}  // namespace

Leds::Leds(os::Files& door, int node, const std::string& syspath) : door_(door), node_(node) {
  // …/DEVICE/input/inputN/eventN has its LEDs in …/DEVICE/leds
  if (const std::size_t input = syspath.rfind("/input/input"); input != std::string::npos)
    find_files(syspath.substr(0, input) + "/leds");
  if (files_.empty()) find_codes();
}

Leds::~Leds() {
  if (!touched_) return;
  std::uint32_t before = 0;
  for (std::size_t i = 0; i < codes_.size(); ++i) before |= (codes_[i].second ? 1U : 0U) << i;
  for (std::size_t i = 0; i < files_.size(); ++i) before |= (files_[i].was_lit ? 1U : 0U) << i;
  show(before);
}

void Leds::find_codes() {
  constexpr unsigned first = LED_MISC;  // lower codes are a keyboard's locks, and power and mute
  std::array<std::uint8_t, LED_CNT / 8 + 1> has{};
  std::array<std::uint8_t, LED_CNT / 8 + 1> lit{};
  if (door_.control(node_, EVIOCGBIT(EV_LED, has.size()), has.data()) < 0) return;
  if (door_.control(node_, EVIOCGLED(lit.size()), lit.data()) < 0) return;
  for (std::uint16_t number = first; number < LED_CNT; ++number)
    if (has_bit(has, number)) codes_.emplace_back(number, has_bit(lit, number));
}

void Leds::find_files(const std::string& folder) {
  for (const std::string& name : door_.names_in(folder)) {
    const std::size_t at = name.rfind(led_of_player);
    if (at == std::string::npos) continue;
    File file{0, fmt::format("{}/{}/brightness", folder, name)};
    std::from_chars(name.data() + at + led_of_player.size(), name.data() + name.size(), file.number);
    const os::Descriptor open{door_, door_.open(file.path, O_RDWR)};
    std::byte first{};
    if (!open || door_.read(open.get(), std::span{&first, 1}) <= 0) continue;
    file.was_lit = first != std::byte{'0'};
    files_.push_back(file);
  }
  std::ranges::sort(files_, {}, &File::number);
}

void Leds::show(std::uint32_t which) noexcept {
  touched_ = true;
  for (std::size_t i = 0; i < files_.size(); ++i) light(files_[i], (which >> i & 1) != 0);
  if (codes_.empty()) return;
  std::array<input_event, LED_CNT + 1> report{};
  for (std::size_t i = 0; i < codes_.size(); ++i) {
    report.at(i).type = EV_LED;
    report.at(i).code = codes_[i].first;
    report.at(i).value = static_cast<std::int32_t>(which >> i & 1);
  }
  report.at(codes_.size()).type = EV_SYN;
  os::write_all(door_, node_, std::as_bytes(std::span{report}.first(codes_.size() + 1)));
}

void Leds::light(const File& file, bool lit) noexcept {
  const os::Descriptor open{door_, door_.open(file.path, O_WRONLY)};
  const std::byte word{static_cast<unsigned char>(lit ? '1' : '0')};
  if (open) os::write_all(door_, open.get(), std::span{&word, 1});
}

}  // namespace omnipar::inline abi_0::host
