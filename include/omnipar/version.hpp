// Which Omnipar this is. The build reads the version from here.
#pragma once

#define OMNIPAR_VERSION_MAJOR 0
#define OMNIPAR_VERSION_MINOR 1
#define OMNIPAR_VERSION_PATCH 0

#define OMNIPAR_VERSION_TEXT_OF(major, minor, patch) #major "." #minor "." #patch
#define OMNIPAR_VERSION_TEXT(major, minor, patch) OMNIPAR_VERSION_TEXT_OF(major, minor, patch)
/// "0.1.0"
#define OMNIPAR_VERSION OMNIPAR_VERSION_TEXT(OMNIPAR_VERSION_MAJOR, OMNIPAR_VERSION_MINOR, OMNIPAR_VERSION_PATCH)
