// Which Omnipar this is. The build reads the version from here.
#pragma once

#include <string_view>

#define OMNIPAR_VERSION_MAJOR 0
#define OMNIPAR_VERSION_MINOR 1
#define OMNIPAR_VERSION_PATCH 0

#define OMNIPAR_VERSION_TEXT_OF(major, minor, patch) #major "." #minor "." #patch
#define OMNIPAR_VERSION_TEXT(major, minor, patch) OMNIPAR_VERSION_TEXT_OF(major, minor, patch)
/// "0.1.0": of these headers.
#define OMNIPAR_VERSION OMNIPAR_VERSION_TEXT(OMNIPAR_VERSION_MAJOR, OMNIPAR_VERSION_MINOR, OMNIPAR_VERSION_PATCH)

/// All of the library lies in an inline namespace, abi_0, of the number that its shared libraries have: what was
/// compiled with headers of another number does not link.
namespace omnipar::inline abi_0 {

/// "0.1.0": of the library that the program runs with, which may be a later one than its headers.
[[nodiscard]] std::string_view version() noexcept;

}  // namespace omnipar::inline abi_0
