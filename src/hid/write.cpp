// Report descriptors to bytes.
#include "hid/item.hpp"
#include "omnipar/hid.hpp"

namespace omnipar::inline abi_0::hid {
namespace {

class Writing {
 public:
  explicit Writing(const Descriptor& descriptor) : descriptor_(descriptor) {}

  std::vector<std::uint8_t> run() {
    // Collections are numbered in the order in which they open, and fields are in order: every collection that opens
    // before a field's own has been opened by then.
    for (const Field& field : descriptor_.fields) {
      go_to(field.collection);
      put_field(field);
    }
    while (opened_ < static_cast<int>(descriptor_.collections.size())) go_to(opened_);
    go_to(-1);
    return std::move(bytes_);
  }

 private:
  void put(std::uint8_t tag, std::uint32_t data, std::size_t length) {
    bytes_.push_back(static_cast<std::uint8_t>(tag | (length == 4 ? 3U : length)));
    for (std::size_t i = 0; i < length; ++i) bytes_.push_back(static_cast<std::uint8_t>(data >> (8 * i)));
  }
  void put_signed(std::uint8_t tag, std::int32_t value) { put(tag, static_cast<std::uint32_t>(value), 4); }
  void put_usage(std::uint8_t tag, Usage usage) { put(tag, std::uint32_t{usage.page} << 16 | usage.id, 4); }

  [[nodiscard]] const Collection& at(int collection) const {
    return descriptor_.collections[static_cast<std::size_t>(collection)];
  }
  /// Closes and opens collections until `wanted` is the innermost. A collection is closed only after all collections in
  /// it have been opened.
  void go_to(int wanted) {
    while (opened_ <= wanted || open_ != wanted) {
      const bool lies_here = opened_ < static_cast<int>(descriptor_.collections.size()) && at(opened_).parent == open_;
      if (lies_here) {
        put_usage(tag::usage, at(opened_).usage);
        put(tag::collection, at(opened_).type, 1);
        open_ = opened_++;
      } else {
        put(tag::end_collection, 0, 0);
        open_ = at(open_).parent;
      }
    }
  }

  /// A signed 4-bit value; larger ones are written unchanged.
  void put_exponent(std::int32_t exponent) {
    const bool fits = exponent >= -8 && exponent < 8;
    put(tag::unit_exponent, static_cast<std::uint32_t>(exponent) & (fits ? 15U : ~0U), fits ? 1 : 4);
  }

  void put_field(const Field& field) {
    if (field.report != 0) put(tag::report_id, field.report, 1);
    put_signed(tag::logical_minimum, field.minimum);
    put_signed(tag::logical_maximum, field.maximum);
    put_signed(tag::physical_minimum, field.physical_minimum);
    put_signed(tag::physical_maximum, field.physical_maximum);
    put_exponent(field.unit_exponent);
    put(tag::unit, field.unit, 4);
    put(tag::report_size, field.size, 4);
    put(tag::report_count, field.count, 4);
    for (const Usage usage : field.usages) put_usage(tag::usage, usage);
    constexpr std::array main{tag::input, tag::output, tag::feature};
    put(main.at(static_cast<std::size_t>(field.type)), field.flags, 4);
  }

  const Descriptor& descriptor_;
  std::vector<std::uint8_t> bytes_;
  int open_ = -1;
  int opened_ = 0;
};

}  // namespace

std::vector<std::uint8_t> to_bytes(const Descriptor& descriptor) { return Writing{descriptor}.run(); }

}  // namespace omnipar::inline abi_0::hid
