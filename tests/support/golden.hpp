// Golden files: text that is compared with the files in tests/golden. With OMNIPAR_WRITE_GOLDEN set
// they are written instead, to be reviewed before they are committed.
#pragma once

#include <catch2/catch.hpp>

#include <cstdlib>
#include <fstream>
#include <iterator>
#include <string>

namespace omnipar::test {

inline std::string golden(const std::string& name, const std::string& text) {
  std::string path{OMNIPAR_GOLDEN_FOLDER};
  path.append("/").append(name);
  if (std::getenv("OMNIPAR_WRITE_GOLDEN") != nullptr) std::ofstream{path} << text;
  std::ifstream file{path};
  return {std::istreambuf_iterator<char>{file}, {}};
}

}  // namespace omnipar::test

// NOLINTNEXTLINE(cppcoreguidelines-macro-usage): the line of a failure is that of the test
#define CHECK_GOLDEN(name, text)                        \
  do {                                                  \
    const std::string now_ = (text);                    \
    CHECK(now_ == omnipar::test::golden((name), now_)); \
  } while (false)
