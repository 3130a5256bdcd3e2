// The story that `omnipar demo` tells: a short evening at two two-button ports.
#pragma once

#include <string>
#include <vector>

#include "omnipar/omnipar.hpp"

namespace marrowby {

enum class Deed { plug_in, pull_out, report };

struct Act {
  std::int64_t at_ms = 0;
  std::string told;  ///< what a bystander would say
  Deed deed = Deed::report;
  int unit = 0;  ///< index into story_units
  std::vector<omnipar::Change> changes;
  std::string lesson{};  ///< what is to be seen here; mostly empty
};

[[nodiscard]] std::vector<omnipar::Description> story_units();
[[nodiscard]] std::vector<Act> story();

}  // namespace marrowby
