// The slow reader of raw reports, which checks the decoder.
#pragma once

#include <algorithm>
#include <cstdint>
#include <map>
#include <string>
#include <vector>

#include "omnipar/hid.hpp"

namespace omnipar::test {

/// Bit by bit, from the start, by the standard's definition of each kind of value.
class SlowReader {
 public:
  explicit SlowReader(const hid::Descriptor& descriptor)
      : descriptor_(descriptor), controls_(hid::controls_of(descriptor)), values_(controls_.size()) {}

  const std::vector<std::int32_t>& feed(std::vector<std::uint8_t> report, std::map<std::size_t, int>& moved) {
    const std::uint8_t id = descriptor_.numbered ? report.at(0) : std::uint8_t{0};
    if (report.size() < descriptor_.report_bytes(hid::FieldType::input, id)) return values_;
    if (descriptor_.numbered) report.erase(report.begin());
    for (std::size_t c = 0; c < controls_.size(); ++c) {
      const hid::ReportControl& control = controls_[c];
      const hid::Field& field = descriptor_.fields[control.field];
      if (field.report != id) continue;
      if (control.kind == hid::Kind::key) {
        if (!has_rolled_over(field, report)) values_[c] = is_listed(field, control.element, report) ? 1 : 0;
        continue;
      }
      const std::int64_t value = number(report, field, control.element);
      const bool outside = value < field.minimum || value > field.maximum;
      const bool clamps = field.minimum < field.maximum;
      if (control.kind == hid::Kind::hat_x || control.kind == hid::Kind::hat_y)
        values_[c] = outside ? 0 : hat(control.kind, value, field);
      else if (control.kind == hid::Kind::button)
        values_[c] = value != 0 ? 1 : 0;
      else if (clamps && field.has_null() && outside)
        continue;
      else if (control.kind == hid::Kind::counts)
        moved[c] = static_cast<int>(clamps ? std::clamp<std::int64_t>(value, field.minimum, field.maximum) : value);
      else
        values_[c] =
            static_cast<std::int32_t>(clamps ? std::clamp<std::int64_t>(value, field.minimum, field.maximum) : value);
    }
    return values_;
  }

 private:
  static std::int64_t number(const std::vector<std::uint8_t>& report, const hid::Field& field, std::uint32_t element) {
    std::uint64_t value = 0;
    for (std::uint32_t i = 0; i < field.size; ++i) {
      const std::size_t bit = field.bit + std::size_t{element} * field.size + i;
      if (bit / 8 < report.size() && (report[bit / 8] >> (bit % 8) & 1) != 0) value |= std::uint64_t{1} << i;
    }
    const bool negative = field.minimum < 0 && (value >> (field.size - 1) & 1) != 0;
    if (negative) return static_cast<std::int64_t>(value) - (std::int64_t{1} << field.size);
    return static_cast<std::int64_t>(value);
  }
  static std::int32_t hat(hid::Kind half, std::int64_t value, const hid::Field& field) {
    const std::int64_t eighth = (value - field.minimum) * 8 / (std::int64_t{field.maximum} - field.minimum + 1);
    const std::string compass[] = {"n", "ne", "e", "se", "s", "sw", "w", "nw"};
    const std::string& wind = compass[eighth];
    const auto has = [&](char letter) { return wind.find(letter) != std::string::npos ? 1 : 0; };
    return half == hid::Kind::hat_x ? has('e') - has('w') : has('s') - has('n');
  }
  static bool is_listed(const hid::Field& field, std::size_t usage, const std::vector<std::uint8_t>& report) {
    for (std::uint32_t i = 0; i < field.count; ++i)
      if (number(report, field, i) - field.minimum == static_cast<std::int64_t>(usage)) return true;
    return false;
  }
  static bool has_rolled_over(const hid::Field& field, const std::vector<std::uint8_t>& report) {
    const auto at = std::ranges::find(field.usages, hid::Usage{0x07, 0x01});
    return at != field.usages.end() && is_listed(field, static_cast<std::size_t>(at - field.usages.begin()), report);
  }

  const hid::Descriptor& descriptor_;
  std::vector<hid::ReportControl> controls_;
  std::vector<std::int32_t> values_;
};

}  // namespace omnipar::test
