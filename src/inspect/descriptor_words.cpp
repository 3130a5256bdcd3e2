#include "inspect/descriptor_words.hpp"

#include <map>

#include <fmt/format.h>
#include <fmt/ranges.h>

namespace omnipar::inline abi_0::inspect {
namespace {

using Lines = std::vector<std::string>;

constexpr std::string_view type_words[] = {"input", "output", "feature"};

std::string collection_word(std::uint8_t type) {
  constexpr std::string_view words[] = {"physical", "application", "logical"};
  return type < std::size(words) ? std::string{words[type]} : fmt::format("collection {:#04x}", type);
}

class DescriptorText {
 public:
  explicit DescriptorText(const hid::Descriptor& descriptor) : descriptor_(descriptor) {}

  Lines lines() const {
    Lines lines;
    describe(-1, 0, lines);
    return lines;
  }

 private:
  /// The index of a collection's first field; those without any come last.
  std::size_t first_field(int collection) const {
    for (std::size_t f = 0; f < descriptor_.fields.size(); ++f)
      for (int c = descriptor_.fields[f].collection; c >= 0; c = descriptor_.collections[place(c)].parent)
        if (c == collection) return f;
    return descriptor_.fields.size();
  }
  static std::size_t place(int collection) { return static_cast<std::size_t>(collection); }

  /// The fields and collections within one, in the order of the descriptor.
  void describe(int collection, std::size_t indent, Lines& lines) const {
    std::multimap<std::size_t, int> within;  // by their first field: a collection, or -1 for the field itself
    for (std::size_t f = 0; f < descriptor_.fields.size(); ++f)
      if (descriptor_.fields[f].collection == collection) within.emplace(f, -1);
    for (std::size_t c = 0; c < descriptor_.collections.size(); ++c)
      if (descriptor_.collections[c].parent == collection)
        within.emplace(first_field(static_cast<int>(c)), static_cast<int>(c));
    for (const auto& [f, inner] : within) {
      if (inner < 0) {
        lines.push_back(std::string(indent, ' ') + field_words(descriptor_.fields[f]));
        continue;
      }
      const hid::Collection& its = descriptor_.collections[place(inner)];
      lines.push_back(fmt::format("{:{}}{}, {}", "", indent, hid::word_of(its.usage), collection_word(its.type)));
      describe(inner, indent + 2, lines);
    }
  }

  static std::string usage_words(const hid::Field& f) {
    if (f.usages.empty()) return "unused";
    std::string first = hid::word_of(f.usages.front());
    const std::string last = hid::word_of(f.usages.back());
    if (f.usages.size() == 1 || first == last) return first;
    if (f.usages.size() == 2) return first + ", " + last;
    const bool run = f.usages.back().id - f.usages.front().id + 1U == f.usages.size();
    if (run) return first + " to " + last;
    std::vector<std::string> words;
    for (const hid::Usage usage : f.usages) words.push_back(hid::word_of(usage));
    constexpr std::size_t many = 6;
    if (words.size() > many) words.resize(many);
    return fmt::format("{}{}", fmt::join(words, ", "), f.usages.size() > many ? " …" : "");
  }

  std::string field_words(const hid::Field& f) const {
    const std::string id = f.report != 0 ? fmt::format(" of report {}", f.report) : "";
    if (f.is_constant() || f.usages.empty())
      return fmt::format("{}{}: {} bit{} unused", type_words[static_cast<std::size_t>(f.type)], id, f.size * f.count,
                         f.size * f.count == 1 ? "" : "s");
    const std::string how_many =
        f.is_variable() ? fmt::format("{} bit{}{}", f.size, f.size == 1 ? "" : "s", f.count > 1 ? " each" : "")
                        : fmt::format("up to {} at a time, {} bits each", f.count, f.size);
    return fmt::format("{}{}: {}; {}, {}..{}{}{}", type_words[static_cast<std::size_t>(f.type)], id, usage_words(f),
                       how_many, f.minimum, f.maximum, f.is_relative() ? ", counts" : "",
                       f.has_null() ? ", may have no value" : "");
  }

  const hid::Descriptor& descriptor_;
};

}  // namespace

std::vector<std::string> descriptor_lines(const hid::Descriptor& descriptor) {
  return DescriptorText{descriptor}.lines();
}

}  // namespace omnipar::inline abi_0::inspect
