// Live values of a raw node, one line at a time, at a readable rate.
#pragma once

#include <cstdint>
#include <map>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "omnipar/description.hpp"
#include "omnipar/hid.hpp"
#include "omnipar/time.hpp"

namespace omnipar::inline abi_0::inspect {

/// Buttons are printed at once, together with earlier movements; mere movements are printed ten times a second.
class RawLive {
 public:
  explicit RawLive(const Description& node);

  /// Adds a report; returns the line to print now, if any.
  [[nodiscard]] std::optional<std::string> feed(std::span<const std::uint8_t> report, Time now);
  /// Advances time.
  [[nodiscard]] std::optional<std::string> advance(Time now);
  [[nodiscard]] std::optional<Time> next_due() const noexcept { return due_; }

 private:
  [[nodiscard]] std::string line(Time now);

  std::string name_;
  hid::Descriptor descriptor_;
  std::vector<hid::ReportControl> controls_;
  hid::Decoder decoder_;
  std::map<std::size_t, std::int32_t> unsaid_;  ///< by control: its value, or its total count
  std::optional<Time> due_;
};

}  // namespace omnipar::inline abi_0::inspect
