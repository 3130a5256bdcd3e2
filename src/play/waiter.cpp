#include "play/waiter.hpp"

namespace omnipar::play {
namespace {

// A tag holds what is waited for in its lowest bits, and which of them above.
constexpr unsigned what_bits = 3;
constexpr std::uint64_t what_mask = (1U << what_bits) - 1;

}  // namespace

Diagnostic Waiter::failure() { return {"cannot-wait", Severity::error, "waiting for input failed", "", "try again"}; }

std::optional<Diagnostic> Waiter::begin() {
  descriptor_ = os::Descriptor{door_, door_.make_waiter()};
  if (!descriptor_) return failure();
  return std::nullopt;
}

std::optional<Diagnostic> Waiter::also(int descriptor, Ready ready, bool once) {
  const std::uint64_t tag = std::uint64_t{ready.which} << what_bits | static_cast<std::uint64_t>(ready.what);
  if (door_.wait_also_for(descriptor_.get(), descriptor, tag, once) == 0) return std::nullopt;
  return failure();
}

bool Waiter::wait(std::optional<Time> until) {
  std::array<std::uint64_t, std::tuple_size_v<decltype(ready_)>> tags{};
  const int count = door_.wait_at(descriptor_.get(), tags, until ? &*until : nullptr);
  count_ = count < 0 ? 0 : static_cast<std::size_t>(count);
  for (std::size_t i = 0; i < count_; ++i)
    ready_.at(i) = {static_cast<Waited>(tags.at(i) & what_mask), tags.at(i) >> what_bits};
  return count >= 0;
}

}  // namespace omnipar::play
