// Report descriptors from bytes (USB HID 1.11, section 6.2.2). Where the standard leaves a choice, the
// Linux kernel's is used, so that both see the same controls.
#include <algorithm>
#include <array>
#include <utility>

#include <fmt/format.h>

#include "hid/item.hpp"
#include "omnipar/hid.hpp"

namespace omnipar::inline abi_0::hid {
namespace {

/// An error at a byte; thrown and caught within this file.
struct Wrong {
  std::size_t at = 0;
  std::string message;
};

/// Global items, which stay until they are changed.
struct Globals {
  std::uint16_t page = 0;
  std::int32_t minimum = 0, maximum = 0;
  std::int32_t physical_minimum = 0, physical_maximum = 0;
  std::int32_t unit_exponent = 0;
  std::uint32_t unit = 0;
  std::uint32_t size = 0, count = 0;
  std::uint8_t report = 0;
};

struct LocalUsage {
  Usage usage;
  bool has_page = false;  ///< from the usage itself, not from the page item
};

class ControlType {
 public:
  explicit ControlType(std::span<const std::uint8_t> bytes) : bytes_(bytes) {}

  Descriptor run() {
    if (bytes_.size() > most_bytes) throw Wrong{most_bytes, fmt::format("longer than {} bytes", most_bytes)};
    while (at_ < bytes_.size()) {
      const std::size_t begin = at_;
      const Item item = next();
      item_at_ = begin;
      process(item);
    }
    item_at_ = bytes_.size();
    if (open_ != -1) throw Wrong{item_at_, "unclosed collection"};
    if (!made_.fields.empty() && made_.numbered)
      for (const Field& field : made_.fields)
        if (field.report == 0) throw Wrong{item_at_, "some reports have an id, others have none"};
    return std::move(made_);
  }

 private:
  Item next() {
    const std::uint8_t head = bytes_[at_];
    Item item;
    std::size_t length = (head & 3U) == 3 ? 4 : head & 3U;
    std::size_t data = at_ + 1;
    if (head == long_item) {
      if (at_ + 2 >= bytes_.size()) throw Wrong{at_, "it ends inside an item"};
      length = bytes_[at_ + 1];
      data = at_ + 3;
    }
    if (bytes_.size() - data < length || data > bytes_.size()) throw Wrong{at_, "it ends inside an item"};
    item.tag = head & 0xfcU;
    item.length = length;
    if (head == long_item)
      item.tag = long_item;
    else
      for (std::size_t i = 0; i < length; ++i) item.data |= std::uint32_t{bytes_[data + i]} << (8 * i);
    at_ = data + length;
    return item;
  }

  void process(const Item& item) {
    switch (item.tag & 0x0cU) {
      case 0x00:
        return read_main(item);
      case 0x04:
        return read_global(item);
      case 0x08:
        return read_local(item);
      default:
        return;  // reserved and long items, which are undefined
    }
  }

  void read_main(const Item& item) {
    use_last_page();
    switch (item.tag) {
      case tag::input:
        add_field(FieldType::input, item.data);
        break;
      case tag::output:
        add_field(FieldType::output, item.data);
        break;
      case tag::feature:
        add_field(FieldType::feature, item.data);
        break;
      case tag::collection:
        open(static_cast<std::uint8_t>(item.data));
        break;
      case tag::end_collection:
        if (open_ == -1) throw Wrong{item_at_, "a collection ends that was not started"};
        open_ = made_.collections[static_cast<std::size_t>(open_)].parent;
        --depth_;
        break;
      default:
        break;
    }
    usages_.clear();
    minimum_.reset();
    alternatives_ = false;
  }

  /// A usage belongs to the page in effect at the main item, if it was set after the usage (like the kernel).
  void use_last_page() {
    for (auto usage = usages_.rbegin(); usage != usages_.rend(); ++usage) {
      if (usage->has_page) continue;
      if (usage->usage.page == globals_.page) break;
      usage->usage.page = globals_.page;
    }
  }

  void open(std::uint8_t type) {
    if (++depth_ > deepest) throw Wrong{item_at_, fmt::format("collections are nested deeper than {}", deepest)};
    if (made_.collections.size() == most_controls) throw Wrong{item_at_, "too many collections"};
    made_.collections.push_back({open_, type, usages_.empty() ? Usage{} : usages_.front().usage});
    open_ = static_cast<int>(made_.collections.size()) - 1;
  }

  void add_field(FieldType type, std::uint32_t flags) {
    Field field;
    field.type = type;
    field.report = globals_.report;
    field.flags = flags;
    field.size = globals_.size;
    field.count = globals_.count;
    field.minimum = globals_.minimum;
    field.maximum = globals_.maximum;
    field.physical_minimum = globals_.physical_minimum;
    field.physical_maximum = globals_.physical_maximum;
    field.unit_exponent = globals_.unit_exponent;
    field.unit = globals_.unit;
    field.collection = open_;
    if (open_ == -1) throw Wrong{item_at_, "a field outside of all collections"};
    std::uint32_t& end = ends_.at(static_cast<std::size_t>(type)).at(field.report);
    field.bit = end;
    const std::uint64_t bits = std::uint64_t{field.size} * field.count;
    const std::size_t id = made_.numbered ? 1 : 0;
    if (end + bits > (largest_raw_report - id) * 8)
      throw Wrong{item_at_, fmt::format("a report exceeds {} bytes", largest_raw_report)};
    end += static_cast<std::uint32_t>(bits);
    fill_usages(field);
    made_.fields.push_back(std::move(field));
    if (made_.fields.size() > most_controls) throw Wrong{item_at_, fmt::format("more than {} fields", most_controls)};
  }

  /// The last usage applies to all remaining elements; surplus usages have no element. Both like the kernel.
  void fill_usages(Field& field) {
    if (usages_.empty() || bits_of_nothing(field)) return;
    const std::size_t wanted = field.is_variable() ? field.count : usages_.size();
    if (elements_ += wanted; elements_ > 8 * most_controls) throw Wrong{item_at_, "too many usages"};
    for (std::size_t i = 0; i < wanted; ++i) field.usages.push_back(usages_[std::min(i, usages_.size() - 1)].usage);
  }

  static bool bits_of_nothing(const Field& field) { return field.size == 0 || field.count == 0; }

  void read_global(const Item& item) {
    Globals& g = globals_;
    switch (item.tag) {
      case tag::usage_page:
        g.page = static_cast<std::uint16_t>(item.data);
        break;
      case tag::logical_minimum:
        g.minimum = item.as_signed();
        break;
      case tag::logical_maximum:
        g.maximum = g.minimum < 0 ? item.as_signed() : static_cast<std::int32_t>(item.data);
        break;
      case tag::physical_minimum:
        g.physical_minimum = item.as_signed();
        break;
      case tag::physical_maximum:
        g.physical_maximum = g.physical_minimum < 0 ? item.as_signed() : static_cast<std::int32_t>(item.data);
        break;
      case tag::unit_exponent:
        // 4 bits by the standard; some devices use a whole byte
        g.unit_exponent = item.data > 15 ? item.as_signed() : (static_cast<std::int32_t>(item.data) ^ 8) - 8;
        break;
      case tag::unit:
        g.unit = item.data;
        break;
      case tag::report_size:
        if (item.data > 256) throw Wrong{item_at_, "an element exceeds 256 bits"};
        g.size = item.data;
        break;
      case tag::report_count:
        if (item.data > largest_raw_report * 8)
          throw Wrong{item_at_, "a field with more elements than a report has bits"};
        g.count = item.data;
        break;
      case tag::report_id:
        number_report(item);
        break;
      case tag::push:
        if (pushed_.size() == deepest) throw Wrong{item_at_, fmt::format("more than {} pushes", deepest)};
        pushed_.push_back(g);
        break;
      case tag::pop:
        if (pushed_.empty()) throw Wrong{item_at_, "a pop without a push"};
        g = pushed_.back();
        pushed_.pop_back();
        break;
      default:
        break;
    }
  }

  void number_report(const Item& item) {
    if (item.data == 0 || item.data >= most_reports) throw Wrong{item_at_, "a report id is not 1 to 255"};
    globals_.report = static_cast<std::uint8_t>(item.data);
    made_.numbered = true;
  }

  void read_local(const Item& item) {
    const bool with_page = item.length == 4;
    const Usage usage{with_page ? static_cast<std::uint16_t>(item.data >> 16) : globals_.page,
                      static_cast<std::uint16_t>(item.data)};
    switch (item.tag) {
      case tag::usage:
        add_usage({usage, with_page});
        break;
      case tag::usage_minimum:
        minimum_ = LocalUsage{usage, with_page};
        break;
      case tag::usage_maximum:
        add_range({usage, with_page});
        break;
      case tag::delimiter:
        alternatives_ = item.data == 1;
        took_first_ = false;
        break;
      default:
        break;  // strings and designators
    }
  }

  /// Of alternatives between delimiters, the first is used.
  void add_usage(LocalUsage usage) {
    if (alternatives_ && std::exchange(took_first_, true)) return;
    if (usages_.size() >= 2 * most_controls) throw Wrong{item_at_, "too many usages"};
    usages_.push_back(usage);
  }

  void add_range(LocalUsage last) {
    if (!minimum_) minimum_ = LocalUsage{{last.usage.page, 0}, last.has_page};
    LocalUsage usage = *std::exchange(minimum_, std::nullopt);
    if (alternatives_ && std::exchange(took_first_, true)) return;
    const std::size_t room = std::min<std::size_t>(2 * most_controls - usages_.size(), 0x10000);
    for (std::size_t i = 0; i < room && usage.usage.id <= last.usage.id; ++i) {
      usages_.push_back(usage);
      if (usage.usage.id == 0xffff) break;
      ++usage.usage.id;
    }
  }

  std::span<const std::uint8_t> bytes_;
  std::size_t at_ = 0;
  std::size_t item_at_ = 0;
  Descriptor made_;
  Globals globals_;
  std::vector<Globals> pushed_;
  std::vector<LocalUsage> usages_;
  std::optional<LocalUsage> minimum_;
  bool alternatives_ = false;
  bool took_first_ = false;
  int open_ = -1;
  std::size_t depth_ = 0;
  std::size_t elements_ = 0;
  std::array<std::array<std::uint32_t, most_reports>, 3> ends_{};
};

}  // namespace

std::size_t Descriptor::report_bytes(FieldType type, std::uint8_t report) const noexcept {
  std::size_t end = 0;
  bool there = false;
  for (const Field& field : fields) {
    if (field.type != type || field.report != report) continue;
    there = true;
    end = std::max<std::size_t>(end, field.bit + std::size_t{field.size} * field.count);
  }
  return there ? (end + 7) / 8 + (numbered ? 1 : 0) : 0;
}

int Descriptor::application_of(int collection) const noexcept {
  while (collection >= 0 && collections[static_cast<std::size_t>(collection)].type != 1)
    collection = collections[static_cast<std::size_t>(collection)].parent;
  return collection;
}

tl::expected<Descriptor, Diagnostic> read_descriptor(std::span<const std::uint8_t> bytes) {
  try {
    return ControlType{bytes}.run();
  } catch (Wrong& wrong) {
    return tl::unexpected(Diagnostic{"bad-descriptor", Severity::error, std::move(wrong.message),
                                     fmt::format("byte {}", wrong.at),
                                     "the unit's descriptor is faulty; its event nodes may work anyway"});
  }
}

}  // namespace omnipar::inline abi_0::hid
