// Libraries of the tool that are loaded on demand.
#pragma once

#include <string>

namespace omnipar::cli {

/// Returns a library's symbol. The library is beside the program in the build tree, or where it is installed. It stays
/// loaded. Null if it is missing or cannot be loaded.
[[nodiscard]] void* symbol_beside(const std::string& library, const char* name);

}  // namespace omnipar::cli
