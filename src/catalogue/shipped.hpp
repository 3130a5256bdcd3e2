// The texts of the shipped sheets, embedded into the library at build time.
#pragma once

#include <span>
#include <string_view>

namespace omnipar::inline abi_0::catalogue {

struct Shipped {
  std::string_view name;
  std::string_view text;
};

[[nodiscard]] std::span<const Shipped> shipped();

}  // namespace omnipar::inline abi_0::catalogue
