// The version of Omnipar. The build reads it from here.
#pragma once

#include <string_view>

#define OMNIPAR_VERSION_MAJOR 0
#define OMNIPAR_VERSION_MINOR 1
#define OMNIPAR_VERSION_PATCH 0

#define OMNIPAR_VERSION_TEXT_OF(major, minor, patch) #major "." #minor "." #patch
#define OMNIPAR_VERSION_TEXT(major, minor, patch) OMNIPAR_VERSION_TEXT_OF(major, minor, patch)
/// The version of these headers: "0.1.0".
#define OMNIPAR_VERSION OMNIPAR_VERSION_TEXT(OMNIPAR_VERSION_MAJOR, OMNIPAR_VERSION_MINOR, OMNIPAR_VERSION_PATCH)

/// The library is in an inline namespace with the ABI number of its shared libraries. Code compiled with headers of
/// another ABI number does not link.
namespace omnipar::inline abi_0 {

/// Returns the version of the library at run time, which can be newer than the headers.
[[nodiscard]] std::string_view version() noexcept;

}  // namespace omnipar::inline abi_0
