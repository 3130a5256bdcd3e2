// Raw reports of 64 bytes: the cost of decoding per changed field.
#include <chrono>
#include <cstdio>
#include <cstring>
#include <random>
#include <vector>

#include "omnipar/hid.hpp"

namespace hid = omnipar::hid;

namespace {

using Bytes = std::vector<std::uint8_t>;

/// 32 buttons, a hat, 12 axes of 16 bits, 8 unaligned ones of 12 bits, and vendor-defined bytes.
Bytes descriptor_of_64_bytes() {
  hid::Descriptor made;
  made.collections.push_back({-1, 1, {0x01, 0x05}});
  std::uint32_t bit = 0;
  const auto add = [&](std::uint32_t size, std::uint32_t count, hid::Usage first, std::int32_t maximum) {
    hid::Field field;
    field.size = size;
    field.count = count;
    field.bit = bit;
    field.flags = 2;
    field.maximum = maximum;
    field.collection = 0;
    for (std::uint32_t i = 0; i < count; ++i)
      field.usages.push_back({first.page, static_cast<std::uint16_t>(first.id + i)});
    bit += size * count;
    made.fields.push_back(field);
  };
  add(1, 32, {0x09, 1}, 1);
  add(4, 1, {0x01, 0x39}, 7);
  add(16, 6, {0x01, 0x30}, 65535);
  add(16, 6, {0x01, 0x40}, 65535);
  add(12, 8, {0x02, 0xb0}, 4095);
  add(4, 1, {0xff00, 1}, 15);
  add(8, (512 - bit) / 8, {0xff00, 2}, 255);
  return hid::to_bytes(made);
}

/// Realistic input: an occasional button, usually one or two axes.
std::vector<Bytes> reports_of_a_hand(std::size_t count) {
  std::mt19937 dice{1};
  std::vector<Bytes> reports;
  Bytes report(64);
  for (std::size_t i = 0; i < count; ++i) {
    if (dice() % 8 == 0) report[dice() % 4] ^= static_cast<std::uint8_t>(1U << (dice() % 8));
    for (auto axes = 1 + dice() % 2; axes > 0; --axes) report[5 + dice() % 36] = static_cast<std::uint8_t>(dice());
    reports.push_back(report);
  }
  return reports;
}

}  // namespace

[[gnu::noinline]] std::size_t run_decode(hid::Decoder& decoder, const std::vector<Bytes>& reports) {
  std::size_t changed = 0;
  for (const Bytes& report : reports) changed += decoder.decode(report).size();
  return changed;
}

int main(int count, char** words) {
  const bool once = count > 1 && std::strcmp(words[1], "--once") == 0;
  const auto descriptor = hid::read_descriptor(descriptor_of_64_bytes());
  if (!descriptor) return 1;
  hid::Decoder decoder{*descriptor};
  const auto reports = reports_of_a_hand(once ? 2'000 : 500'000);
  const auto start = std::chrono::steady_clock::now();
  const std::size_t changed = run_decode(decoder, reports);
  const std::chrono::duration<double, std::nano> took = std::chrono::steady_clock::now() - start;
  std::printf("changed fields: %zu\n", changed);
  if (!once)
    std::printf("decoding: %.1f ns a changed field, %.1f ns a report of 64 bytes\n",
                took.count() / static_cast<double>(changed), took.count() / static_cast<double>(reports.size()));
  return 0;
}
