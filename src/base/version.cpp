#include "omnipar/version.hpp"

namespace omnipar {

std::string_view version() noexcept { return OMNIPAR_VERSION; }

}  // namespace omnipar
