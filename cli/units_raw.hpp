// Raw reports for people: the descriptor and live values.
#pragma once

#include <string>

#include "omnipar/catalogue.hpp"

namespace omnipar::cli {

struct RawArguments {
  std::string host;   ///< a trace instead of the connected units; may be empty
  double listen = 0;  ///< seconds during which movements are printed; 0: only the initial state
  bool with_virtual = false;
  bool json = false;
};

/// Prints it and returns the exit status.
[[nodiscard]] int show_raw(const Catalogue& catalogue, const RawArguments& arguments);

}  // namespace omnipar::cli
