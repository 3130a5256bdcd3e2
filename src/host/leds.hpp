// Player LEDs: LEDs of a node's own (the kernel's codes for LEDs, but for those of keyboards), or those that its
// driver has in /sys.
#pragma once

#include <cstdint>
#include <string>
#include <utility>
#include <vector>

#include "os/door.hpp"

namespace omnipar::inline abi_0::host {

class Leds {
 public:
  /// Of an open node and its place in /sys; LEDs that may not be written to are not counted.
  Leds(os::Files& door, int node, const std::string& syspath);
  /// All are as they were found.
  ~Leds();
  Leds(const Leds&) = delete;
  Leds& operator=(const Leds&) = delete;

  [[nodiscard]] int count() const noexcept { return static_cast<int>(codes_.size() + files_.size()); }
  /// Lights those whose bits are set, the first by the lowest; puts the others out.
  void show(std::uint32_t which) noexcept;

 private:
  struct File {
    int number = 0;  ///< the player's
    std::string path;
    bool was_lit = false;
  };
  void find_codes();
  void find_files(const std::string& folder);
  void light(const File& file, bool lit) noexcept;

  os::Files& door_;
  int node_;
  std::vector<std::pair<std::uint16_t, bool>> codes_;  ///< and whether it was lit
  std::vector<File> files_;
  bool touched_ = false;
};

}  // namespace omnipar::inline abi_0::host
