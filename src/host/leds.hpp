// Player LEDs: a node's own LEDs (the kernel's LED codes, except those of keyboards), or those that its
// driver exposes in /sys.
#pragma once

#include <cstdint>
#include <string>
#include <utility>
#include <vector>

#include "os/door.hpp"

namespace omnipar::inline abi_0::host {

class Leds {
 public:
  /// For an open node and its path in /sys; LEDs that are not writable are ignored.
  Leds(os::Files& door, int node, const std::string& syspath);
  /// Restores all LEDs to their initial state.
  ~Leds();
  Leds(const Leds&) = delete;
  Leds& operator=(const Leds&) = delete;

  [[nodiscard]] int count() const noexcept { return static_cast<int>(codes_.size() + files_.size()); }
  /// Lights those whose bits are set, the first by the lowest bit, and turns the others off.
  void show(std::uint32_t which) noexcept;

 private:
  struct File {
    int number = 0;  ///< the player's number
    std::string path;
    bool was_lit = false;
  };
  void find_codes();
  void find_files(const std::string& folder);
  void light(const File& file, bool lit) noexcept;

  os::Files& door_;
  int node_;
  std::vector<std::pair<std::uint16_t, bool>> codes_;  ///< and its initial state
  std::vector<File> files_;
  bool touched_ = false;
};

}  // namespace omnipar::inline abi_0::host
