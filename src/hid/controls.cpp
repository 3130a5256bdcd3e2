// Fields to controls, and their names.
#include <algorithm>
#include <charconv>
#include <map>

#include <fmt/format.h>

#include "hid/pages.hpp"
#include "omnipar/hid.hpp"

namespace omnipar::inline abi_0::hid {
namespace {

constexpr std::uint32_t widest = 32;    // the maximum size of a decoded value
constexpr std::uint16_t first_key = 4;  // lower usages are keyboard error codes

bool has_controls(const Field& field) {
  return field.type == FieldType::input && !field.is_constant() && field.size >= 1 && field.size <= widest;
}

bool is_button(const Field& field, Usage usage) {
  if (usage.page == page::button || usage.page == page::keyboard) return true;
  return field.size == 1;
}

class Listing {
 public:
  explicit Listing(const Descriptor& descriptor) : descriptor_(descriptor) {}

  std::vector<ReportControl> run() {
    for (std::size_t f = 0; f < descriptor_.fields.size(); ++f) {
      const Field& field = descriptor_.fields[f];
      if (!has_controls(field)) continue;
      for (std::size_t e = 0; e < field.usages.size(); ++e)
        add(static_cast<std::uint16_t>(f), static_cast<std::uint16_t>(e));
    }
    return std::move(controls_);
  }

 private:
  void add(std::uint16_t f, std::uint16_t e) {
    const Field& field = descriptor_.fields[f];
    const Usage usage = field.usages[e];
    const bool continues = !field.is_variable() && !controls_.empty() && controls_.back().field == f;
    const bool is_vendors = usage.page >= page::first_of_vendors;
    const bool unknown = (is_vendors && !field.is_variable()) || usage.page == 0;
    const bool no_key =
        !field.is_variable() && (usage.id == 0 || (usage.page == page::keyboard && usage.id < first_key));
    if ((unknown || no_key) && !continues) return;  // the keys of an array are contiguous
    ReportControl control{Kind::value, f, e, usage, ++met_[{field.report, usage}], field.minimum, field.maximum};
    if (!field.is_variable()) {
      control.kind = Kind::key;
    } else if (is_vendors) {
      control.kind = Kind::opaque;
    } else if (usage == usage::hat_switch && field.minimum < field.maximum) {
      control.kind = Kind::hat_x;
      control.minimum = -1;
      control.maximum = 1;
      push(control);
      control.kind = Kind::hat_y;
    } else if (field.is_relative()) {
      control.kind = Kind::counts;
    } else if (is_button(field, usage)) {
      control.kind = Kind::button;
    }
    if (control.kind == Kind::key || control.kind == Kind::button) {
      control.minimum = 0;
      control.maximum = 1;
    }
    push(control);
  }

  void push(const ReportControl& control) {
    if (controls_.size() < most_controls) controls_.push_back(control);
  }

  const Descriptor& descriptor_;
  std::vector<ReportControl> controls_;
  std::map<std::pair<std::uint8_t, Usage>, int> met_;
};

}  // namespace

std::vector<ReportControl> controls_of(const Descriptor& descriptor) { return Listing{descriptor}.run(); }

std::vector<std::size_t> opaque_of(std::span<const ReportControl> controls) {
  std::vector<std::size_t> indices;
  for (std::size_t c = 0; c < controls.size(); ++c)
    if (controls[c].kind == Kind::opaque) indices.push_back(c);
  return indices;
}

std::string name_of(const Descriptor& descriptor, const ReportControl& control) {
  const std::string half = control.kind == Kind::hat_x ? ".x" : control.kind == Kind::hat_y ? ".y" : "";
  return fmt::format("hid:{}/{}{}{}", descriptor.fields[control.field].report, word_of(control.usage), half,
                     control.nth > 1 ? fmt::format("#{}", control.nth) : "");
}

bool is_name(std::string_view name) {
  constexpr std::string_view head = "hid:";
  const std::size_t slash = name.find('/');
  if (!name.starts_with(head) || slash == std::string_view::npos) return false;
  const auto is_number = [](std::string_view text, int most) {
    int number = 0;
    const auto read = std::from_chars(text.data(), text.data() + text.size(), number);
    return read.ec == std::errc{} && read.ptr == text.data() + text.size() && number >= 0 && number <= most;
  };
  if (!is_number(name.substr(head.size(), slash - head.size()), 255)) return false;
  std::string_view word = name.substr(slash + 1);
  if (const std::size_t mark = word.find('#'); mark != std::string_view::npos) {
    if (!is_number(word.substr(mark + 1), static_cast<int>(most_controls))) return false;
    word = word.substr(0, mark);
  }
  for (const std::string_view half : {".x", ".y"})
    if (word == word_of(usage::hat_switch) + std::string{half}) return true;
  return usage_of(word).has_value();
}

std::optional<std::size_t> find_control(const Descriptor& descriptor, std::span<const ReportControl> controls,
                                        std::string_view name) {
  for (std::size_t i = 0; i < controls.size(); ++i)
    if (name_of(descriptor, controls[i]) == name) return i;
  return std::nullopt;
}

}  // namespace omnipar::inline abi_0::hid
