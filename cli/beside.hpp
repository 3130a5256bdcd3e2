// Libraries of the tool's own that are loaded when they are needed.
#pragma once

#include <string>

namespace omnipar::cli {

/// What a library offers by that name: it lies beside the program, as it was built, or where it is installed. It stays
/// loaded. Null if it is not there, or cannot be loaded.
[[nodiscard]] void* symbol_beside(const std::string& library, const char* name);

}  // namespace omnipar::cli
