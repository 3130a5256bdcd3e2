// A temporary folder for a test, removed at its end.
#pragma once

#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <string>

namespace omnipar::test {

class Folder {
 public:
  Folder() {
    std::string name = (std::filesystem::temp_directory_path() / "omnipar-test-XXXXXX").string();
    path_ = ::mkdtemp(name.data());
  }
  ~Folder() { std::filesystem::remove_all(path_); }
  Folder(const Folder&) = delete;
  Folder& operator=(const Folder&) = delete;

  [[nodiscard]] std::string operator/(const std::string& name) const { return path_ + "/" + name; }

 private:
  std::string path_;
};

inline std::string content(const std::string& path) {
  std::ifstream file{path, std::ios::binary};
  return {std::istreambuf_iterator<char>{file}, {}};
}

inline void put(const std::string& path, const std::string& text) {
  std::filesystem::create_directories(std::filesystem::path{path}.parent_path());
  std::ofstream{path, std::ios::binary} << text;
}

}  // namespace omnipar::test
