#include "stage/table.hpp"

#include <cmath>

#include <fmt/format.h>

#include "shape/turn.hpp"

namespace omnipar::inline abi_0::stage {
namespace {

constexpr Field fields[] = {
    {"snap-to-axes", Measure::number, "degrees from straight up, down, left or right that count as straight", 0, 44},
};

/// numbers: the ratio of the shorter side to the push's length at the border.
Constants prepare(const Values& values, RoleKind) {
  Constants constants;
  constants.numbers[0] = shape::turn_by(values[0]).sine;
  return constants;
}

/// The length is kept, the direction jumps at the border.
shape::Point move(const Constants& constants, shape::Point point) noexcept {
  const double length = length_of(point);
  const double across = std::fabs(point.x), down = std::fabs(point.y);
  if (std::fmin(across, down) > constants.numbers[0] * length) return point;
  if (across >= down) return {std::copysign(length, point.x), 0};
  return {0, std::copysign(length, point.y)};
}

}  // namespace

constinit const Kind snap{
    .name = "snap",
    .about = "Straightens pushes that are nearly straight.",
    .formula = "the shorter side becomes 0 if it is at most sin(`snap-to-axes`) of the length; the length is unchanged",
    .fields = fields,
    .acts = [](const Values& values) noexcept { return values[0] != 0; },
    .words = [](const Values& values) { return fmt::format("snaps within {:g} degrees", values[0]); },
    .prepare = prepare,
    .move = move,
    .of_sticks = true};

}  // namespace omnipar::inline abi_0::stage
