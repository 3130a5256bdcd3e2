// The report descriptor reader against the kernel's: the same codes, ranges and values wherever the kernel has
// any.
#include <catch2/catch.hpp>

#include <linux/input.h>
#include <sys/ioctl.h>

#include <algorithm>
#include <array>
#include <map>
#include <memory>
#include <random>
#include <set>

#include "hid/descriptors.hpp"
#include "made_units.hpp"
#include "omnipar/hid.hpp"
#include "support/settings.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

/// Nodes of one HID device, in the order in which the kernel created them.
std::vector<std::string> nodes_of(const std::string& name, std::size_t count) {
  std::vector<std::string> nodes;
  for (int tries = 0; tries < 100 && nodes.size() != count; ++tries, sleep_ms(30)) {
    nodes.clear();
    for (const char* suffix : {"", " Mouse", " Keyboard"})
      for (const std::string& node : nodes_named(name + suffix)) nodes.push_back(node);
  }
  sleep_ms(150);
  std::ranges::sort(nodes, {}, [](const std::string& node) { return std::stoi(node.substr(node.find("event") + 5)); });
  return nodes;
}

std::set<Code> codes_of(const NodeReader& node) {
  std::set<Code> codes;
  const auto add = [&](std::uint16_t type, unsigned count) {
    std::array<std::uint8_t, KEY_CNT / 8 + 1> bits{};
    if (::ioctl(node.descriptor(), EVIOCGBIT(type, bits.size()), bits.data()) < 0) return;
    for (unsigned number = 0; number < count; ++number)
      if ((bits.at(number / 8) >> (number % 8) & 1) != 0) codes.insert({type, static_cast<std::uint16_t>(number)});
  };
  add(EV_KEY, KEY_CNT);
  add(EV_REL, REL_CNT);
  add(EV_ABS, ABS_CNT);
  return codes;
}

input_absinfo range_of(const NodeReader& node, Code code) {
  input_absinfo range{};
  REQUIRE(::ioctl(node.descriptor(), EVIOCGABS(code.number), &range) == 0);
  return range;
}

/// The kernel must not suppress small changes.
void without_fuzz(const NodeReader& node, Code code) {
  input_absinfo range = range_of(node, code);
  range.fuzz = 0;
  REQUIRE(::ioctl(node.descriptor(), EVIOCSABS(code.number), &range) == 0);
}

class Comparison {
 public:
  explicit Comparison(const Made& made)
      : descriptor_(hid::read_descriptor(made.bytes).value()),
        controls_(hid::controls_of(descriptor_)),
        kernel_(hid::kernel_codes(descriptor_, controls_)),
        decoder_(descriptor_, hid::opaque_of(controls_)),
        name_("Unit: " + made.name),
        unit_(name_, "", 9, made.bytes) {
    int last = -1;
    for (const hid::KernelCode& code : kernel_) last = std::max(last, code.node);
    const auto nodes = nodes_of(name_, static_cast<std::size_t>(last) + 1);
    REQUIRE(nodes.size() == static_cast<std::size_t>(last) + 1);
    for (const std::string& node : nodes) nodes_.push_back(std::make_unique<NodeReader>(node));
    moved_.resize(controls_.size());
  }

  /// The codes of each node are exactly those of the controls.
  void compare_codes() {
    for (std::size_t n = 0; n < nodes_.size(); ++n) {
      std::set<Code> said;
      for (const hid::KernelCode& code : kernel_)
        if (code.node == static_cast<int>(n)) said.insert(code.code);
      CAPTURE(n);
      CHECK(said == codes_of(*nodes_[n]));
    }
    for (std::size_t c = 0; c < controls_.size(); ++c) {
      if (kernel_[c].fate != hid::Fate::kept || kernel_[c].code.type != ev_abs) continue;
      const NodeReader& node = *nodes_.at(static_cast<std::size_t>(kernel_[c].node));
      const input_absinfo range = range_of(node, kernel_[c].code);
      CAPTURE(hid::name_of(descriptor_, controls_[c]));
      CHECK(range.minimum == controls_[c].minimum);
      CHECK(range.maximum == controls_[c].maximum);
      without_fuzz(node, kernel_[c].code);
    }
  }

  void send(const std::vector<std::uint8_t>& report) {
    for (const Change& change : decoder_.decode(report))
      if (controls_[change.code.number].kind == hid::Kind::counts) moved_[change.code.number] += change.value;
    unit_.send_bytes(report);
  }

  [[nodiscard]] std::vector<std::uint8_t> random_report(std::mt19937& dice) const {
    std::vector<std::uint8_t> ids;
    for (const hid::Field& field : descriptor_.fields)
      if (field.type == hid::FieldType::input) ids.push_back(field.report);
    const std::uint8_t id = ids[dice() % ids.size()];
    std::vector<std::uint8_t> report(descriptor_.report_bytes(hid::FieldType::input, id));
    for (std::uint8_t& byte : report) byte = static_cast<std::uint8_t>(dice() % 4 == 0 ? 0 : dice());
    if (descriptor_.numbered) report[0] = id;
    if (dice() % 10 == 0) report.resize(1 + dice() % report.size());
    return report;
  }

  /// Waits until every code of exactly one control has the decoder's value.
  void compare_values() {
    std::string different = "?";
    for (int tries = 0; tries < 100 && !different.empty(); ++tries) {
      if (tries > 0) sleep_ms(3);
      for (auto& node : nodes_) {
        node->drain();
        count(*node);
      }
      different = what_differs();
    }
    CHECK(different.empty());
    if (!different.empty()) FAIL_CHECK(different);
  }

  [[nodiscard]] std::size_t count_of(hid::Fate fate) const {
    return static_cast<std::size_t>(std::ranges::count(kernel_, fate, &hid::KernelCode::fate));
  }
  [[nodiscard]] std::vector<hid::Part> parts() const { return hid::parts_of(descriptor_, controls_); }

 private:
  void count(NodeReader& node) {
    for (const input_event& event : node.events())
      if (event.type == EV_REL) kernel_values_[{&node, relative(event.code)}] += event.value;
    node.forget_events();
  }

  /// The kernel's key repeats are not values.
  static int value_of(const NodeReader& node, Code code) {
    const int value = node.value(code.type, code.number);
    return code.type == ev_key ? std::min(value, 1) : value;
  }

  std::string what_differs() {
    std::string all;
    for (std::size_t c = 0; c < controls_.size(); ++c) {
      if (kernel_[c].fate != hid::Fate::kept) continue;
      NodeReader& node = *nodes_.at(static_cast<std::size_t>(kernel_[c].node));
      const Code code = kernel_[c].code;
      const bool counts = code.type == ev_rel;
      const int kernel_value = counts ? kernel_values_[{&node, code}] : value_of(node, code);
      const int said = counts ? moved_[c] : decoder_.value(c);
      if (kernel_value != said)
        all += hid::name_of(descriptor_, controls_[c]) + ": kernel " + std::to_string(kernel_value) + ", reader " +
               std::to_string(said) + "; ";
    }
    return all;
  }

  hid::Descriptor descriptor_;
  std::vector<hid::ReportControl> controls_;
  std::vector<hid::KernelCode> kernel_;
  hid::Decoder decoder_;
  std::string name_;
  UhidUnit unit_;
  std::vector<std::unique_ptr<NodeReader>> nodes_;
  std::vector<int> moved_;
  std::map<std::pair<const NodeReader*, Code>, int> kernel_values_;
};

}  // namespace

TEST_CASE("The reader agrees with the kernel on every code, range and value", "[hid]") {
  std::mt19937 dice{11};
  for (const Made& made : made_descriptors()) {
    CAPTURE(made.name);
    Comparison comparison{made};
    comparison.compare_codes();
    for (int i = 0; i < cases(25, 300); ++i) {
      comparison.send(comparison.random_report(dice));
      comparison.compare_values();
    }
    CHECK((comparison.count_of(hid::Fate::lost) > 0) == made.expected.loses);
    CHECK((comparison.count_of(hid::Fate::shared) > 0) == made.expected.shares);
  }
}

TEST_CASE("Every usage of the keyboard page is the key that the kernel reports for it", "[hid]") {
  // one bit for each of the usages 0 to 0xff
  const std::vector<std::uint8_t> bytes{0x05, 0x01, 0x09, 0x06, 0xa1, 0x01, 0x05, 0x07, 0x19, 0x00, 0x2a, 0xff, 0x00,
                                        0x15, 0x00, 0x25, 0x01, 0x75, 0x01, 0x96, 0x00, 0x01, 0x81, 0x02, 0xc0};
  Comparison comparison{{"Whole Keyboard", bytes, {}}};
  comparison.compare_codes();
  for (std::size_t usage = 0; usage < 0x100; ++usage) {
    std::vector<std::uint8_t> report(0x100 / 8);
    report[usage / 8] = static_cast<std::uint8_t>(1U << (usage % 8));
    comparison.send(report);
    CAPTURE(usage);
    comparison.compare_values();
  }
  CHECK(comparison.count_of(hid::Fate::lost) == 4);  // those that mean that there is no key
}
