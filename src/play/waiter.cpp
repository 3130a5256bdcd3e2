#include "play/waiter.hpp"

namespace omnipar::inline abi_0::play {

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
  const int count = door_.wait_at(descriptor_.get(), tags_, until ? &*until : nullptr);
  count_ = count < 0 ? 0 : static_cast<std::size_t>(count);
  return count >= 0;
}

}  // namespace omnipar::inline abi_0::play
