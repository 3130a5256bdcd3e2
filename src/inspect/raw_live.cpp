#include "inspect/raw_live.hpp"

#include <algorithm>
#include <chrono>

#include <fmt/format.h>

#include "omnipar/identity.hpp"

namespace omnipar::inline abi_0::inspect {
namespace {

constexpr Duration between_lines = std::chrono::milliseconds{100};

hid::Descriptor descriptor_of(const Description& node) {
  auto read = hid::read_descriptor(node.descriptor);
  return read ? std::move(*read) : hid::Descriptor{};
}

}  // namespace

RawLive::RawLive(const Description& node)
    : name_(fmt::format("\"{}\"{}", printable(node.name), node.node.empty() ? "" : ", " + node.node)),
      descriptor_(descriptor_of(node)),
      controls_(hid::controls_of(descriptor_)),
      decoder_(descriptor_, hid::opaque_of(controls_)) {}

std::optional<std::string> RawLive::feed(std::span<const std::uint8_t> report, Time now) {
  bool at_once = false;
  for (const Change& change : decoder_.decode(report)) {
    const std::size_t index = change.code.number;
    const hid::Kind kind = controls_[index].kind;
    std::int32_t& value = unsaid_[index];
    value = kind == hid::Kind::counts ? value + change.value : change.value;
    at_once = at_once || (kind != hid::Kind::value && kind != hid::Kind::counts && kind != hid::Kind::opaque);
  }
  if (at_once) return line(now);
  if (!unsaid_.empty() && !due_) due_ = now + between_lines;
  return advance(now);
}

std::optional<std::string> RawLive::advance(Time now) {
  if (!due_ || now < *due_) return std::nullopt;
  return line(now);
}

std::string RawLive::line(Time now) {
  due_.reset();
  std::string words;
  for (const auto& [index, value] : unsaid_)
    words += fmt::format("{}{} {}{}", words.empty() ? "" : ", ", hid::name_of(descriptor_, controls_[index]),
                         controls_[index].kind == hid::Kind::counts && value > 0 ? "+" : "", value);
  unsaid_.clear();
  const auto ms = std::chrono::duration_cast<std::chrono::milliseconds>(now.time_since_epoch()).count();
  return fmt::format("{:>6}.{:03} s  {}: {}", ms / 1000, ms % 1000, name_, words);
}

}  // namespace omnipar::inline abi_0::inspect
