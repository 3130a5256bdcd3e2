// What the verbs of `omnipar calibrate` have in common.
#pragma once

#include <string>
#include <vector>

#include "command.hpp"
#include "sources.hpp"

namespace omnipar::cli {

struct CalibrateWords {
  Sources sources;
  std::string unit;
  std::string seat;
  std::string picture;
  std::vector<std::string> only;
  double seconds = 600;
  double from = 0;
  double speed = 1;
  bool step = false;
  bool marks = false;
  bool no_pushes = false;
  bool with_virtual = false;
  bool json = false;
};

[[nodiscard]] int calibrate_unit(const CalibrateWords& words);

}  // namespace omnipar::cli
