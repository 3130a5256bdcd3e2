// A machine for load tests: eight ports, each with a stick and a button.
#pragma once

#include <fstream>
#include <string>

namespace omnipar::test {

inline constexpr int eight_pads = 8;

/// Writes its sheet; the machine is called "eight".
inline void write_eight_pads(const std::string& path) {
  std::ofstream sheet{path};
  sheet << "omnipar = 1\n[[sheet]]\nkind = \"system\"\nname = \"eight\"\ntitle = \"eight pads\"\n";
  for (int port = 1; port <= eight_pads; ++port)
    sheet << "[[sheet.port]]\nnumber = " << port << "\ntakes = [\"stick\"]\n";
  sheet << "[[sheet.controller]]\nname = \"stick\"\ntitle = \"stick\"\n"
           "target = [{ name = \"move\", type = \"stick\", place = \"left-stick\", default = [\"left-stick\"] }, "
           "{ name = \"a\", place = \"south\", default = [\"south\"] }]\n";
}

}  // namespace omnipar::test
