// Replays all inputs in folders, without libFuzzer, so that every test run checks past findings.
// usage: fuzz-NAME FILE|FOLDER…
#include <algorithm>
#include <filesystem>
#include <fstream>
#include <iterator>
#include <vector>

#include "fuzz.hpp"

namespace {

std::vector<std::filesystem::path> inputs_in(const std::filesystem::path& place) {
  std::vector<std::filesystem::path> found;
  if (!std::filesystem::is_directory(place)) return {place};
  for (const auto& entry : std::filesystem::directory_iterator{place}) found.push_back(entry.path());
  std::sort(found.begin(), found.end());
  return found;
}

}  // namespace

int main(int count, char** words) {
  int played = 0;
  for (int i = 1; i < count; ++i)
    for (const std::filesystem::path& path : inputs_in(words[i])) {
      std::ifstream file{path, std::ios::binary};
      const std::vector<char> bytes{std::istreambuf_iterator<char>{file}, {}};
      std::fprintf(stderr, "%s\n", path.filename().c_str());  // the last one named is the one that failed
      fuzz_one({reinterpret_cast<const std::uint8_t*>(bytes.data()), bytes.size()});
      ++played;
    }
  std::printf("%d inputs\n", played);
  return played > 0 ? EXIT_SUCCESS : EXIT_FAILURE;
}
