#include "play/spread.hpp"

#include <algorithm>
#include <bit>
#include <cmath>

namespace omnipar::inline abi_0::play {
namespace {

constexpr unsigned buckets_a_doubling = 8;

/// Buckets 0..7: 0 to 7 us; beyond that, eight per doubling.
std::size_t bucket_of(std::uint64_t us) noexcept {
  if (us < buckets_a_doubling) return us;
  const unsigned doubling = static_cast<unsigned>(std::bit_width(us)) - std::bit_width(buckets_a_doubling);
  return std::size_t{buckets_a_doubling} * doubling + (us >> doubling);
}

std::uint64_t last_of(std::size_t bucket) noexcept {
  if (bucket < buckets_a_doubling) return bucket;
  const std::size_t doubling = bucket / buckets_a_doubling - 1;
  return (((bucket - buckets_a_doubling * doubling) + 1) << doubling) - 1;
}

}  // namespace

void Spread::add(Duration time) noexcept {
  const auto us = static_cast<std::uint64_t>(std::max<std::int64_t>(0, time.count()));
  ++buckets_[std::min(bucket_of(us), buckets_.size() - 1)];
  ++count_;
  longest_ = std::max(longest_, time);
}

Duration Spread::within(double part) const noexcept {
  const auto wanted = static_cast<std::uint64_t>(std::ceil(part * static_cast<double>(count_)));
  std::uint64_t seen = 0;
  for (std::size_t bucket = 0; bucket < buckets_.size(); ++bucket) {
    seen += buckets_[bucket];
    if (seen >= wanted && seen > 0) return std::min(Duration{static_cast<std::int64_t>(last_of(bucket))}, longest_);
  }
  return longest_;
}

}  // namespace omnipar::inline abi_0::play
