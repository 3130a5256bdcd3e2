// Raw reports, for people: what a descriptor says, and what comes.
#pragma once

#include <string>

#include "omnipar/catalogue.hpp"

namespace omnipar::cli {

struct RawArguments {
  std::string host;   ///< a trace to hear instead of the units that are there; empty: these
  double listen = 0;  ///< seconds, in which all that is moved is said; 0: a moment, and nothing is said
  bool with_virtual = false;
  bool json = false;
};

/// Prints it; the exit status.
[[nodiscard]] int show_raw(const Catalogue& catalogue, const RawArguments& arguments);

}  // namespace omnipar::cli
