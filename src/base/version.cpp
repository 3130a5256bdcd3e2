#include "omnipar/version.hpp"

namespace omnipar::inline abi_0 {

std::string_view version() noexcept { return OMNIPAR_VERSION; }

}  // namespace omnipar::inline abi_0
