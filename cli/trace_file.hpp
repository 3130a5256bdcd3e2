// The file of a recording.
#pragma once

#include <cstdint>
#include <optional>
#include <string>

#include "os/door.hpp"

namespace omnipar::cli {

/// Creates a new file for writing; nothing after printing why not and setting `status`.
[[nodiscard]] std::optional<os::Descriptor> new_file(const std::string& path, int& status);

/// Writes complete lines, or none.
class LineFile {
 public:
  LineFile(os::Door& door, int descriptor) : door_(door), descriptor_(descriptor) {}

  bool put(const std::string& line) {
    if (failure_ < 0) return false;
    const std::string whole = line + "\n";
    failure_ = os::write_all(door_, descriptor_, std::as_bytes(std::span{whole}));
    if (failure_ == 0)
      size_ += whole.size();
    else
      static_cast<void>(door_.truncate(descriptor_, size_));  // the incomplete line
    return failure_ == 0;
  }
  /// 0, or minus the error number of the line that could not be written.
  [[nodiscard]] int failure() const noexcept { return failure_; }

 private:
  os::Door& door_;
  int descriptor_;
  std::uint64_t size_ = 0;
  int failure_ = 0;
};

/// Reports that the file cannot be continued.
void tell_full(const std::string& path, int failure);

}  // namespace omnipar::cli
