// Raw HID: written descriptors read back unchanged, reports are decoded as by a slow reader, and no input does harm.
#include <catch2/catch.hpp>

#include <algorithm>
#include <map>
#include <random>
#include <set>

#include "hid/descriptors.hpp"
#include "hid/slow_reader.hpp"
#include "omnipar/hid.hpp"
#include "omnipar/hid_output.hpp"
#include "omnipar/identity.hpp"
#include "omnipar/raw_unit.hpp"
#include "support/allocations.hpp"
#include "support/settings.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

hid::Usage random_usage(std::mt19937& dice) {
  switch (dice() % 5) {
    case 0:
      return {0x01, static_cast<std::uint16_t>(0x30 + dice() % 10)};
    case 1:
      return {0x07, static_cast<std::uint16_t>(dice() % 0x66)};
    case 2:
      return {0xff00, static_cast<std::uint16_t>(dice())};
    case 3:
      return {static_cast<std::uint16_t>(dice() % 16), static_cast<std::uint16_t>(dice() % 256)};
    default:
      return {0x09, static_cast<std::uint16_t>(1 + dice() % 20)};
  }
}

/// A field list from a random walk through collections.
hid::Descriptor random_descriptor(std::mt19937& dice) {
  hid::Descriptor made;
  made.numbered = dice() % 2 == 0;
  int open = -1;
  std::map<std::pair<hid::FieldType, std::uint8_t>, std::uint32_t> ends;
  const auto parent = [&](int c) { return made.collections[static_cast<std::size_t>(c)].parent; };
  for (auto steps = 2 + dice() % 30; steps > 0; --steps) {
    if (open == -1 || dice() % 4 == 0) {
      made.collections.push_back({open, static_cast<std::uint8_t>(open == -1 ? 1 : dice() % 4), random_usage(dice)});
      open = static_cast<int>(made.collections.size()) - 1;
    } else if (dice() % 5 == 0) {
      open = parent(open);
    } else {
      hid::Field field;
      field.type = static_cast<hid::FieldType>(dice() % 6 / 3 * (dice() % 3));
      field.report = made.numbered ? static_cast<std::uint8_t>(1 + dice() % 3) : std::uint8_t{0};
      field.size = static_cast<std::uint32_t>(dice() % 3 == 0 ? 1 : 1 + dice() % 32);
      field.count = static_cast<std::uint32_t>(1 + dice() % 8);
      field.flags = static_cast<std::uint32_t>(dice() % 128);
      field.minimum = static_cast<std::int32_t>(dice() % 3 == 0 ? -(1 << (field.size - 1) / 2) : 0);
      field.maximum = static_cast<std::int32_t>(dice() % 600) - (field.minimum < 0 ? 100 : 0);
      field.physical_minimum = -static_cast<std::int32_t>(dice() % 2);
      field.physical_maximum = static_cast<std::int32_t>(dice() % 1000);
      field.unit_exponent = static_cast<std::int32_t>(dice() % 16) - 8;
      field.unit = static_cast<std::uint32_t>(dice() % 4 == 0 ? dice() : 0);
      field.collection = open;
      for (std::uint32_t i = dice() % 5 == 0 ? field.count : 0; i < field.count; ++i)
        field.usages.push_back(random_usage(dice));
      std::uint32_t& end = ends[{field.type, field.report}];
      field.bit = end;
      end += field.size * field.count;
      made.fields.push_back(field);
    }
  }
  return made;
}

std::vector<std::uint8_t> random_report(std::mt19937& dice, const hid::Descriptor& descriptor) {
  std::vector<std::uint8_t> report(1 + dice() % 160);
  for (std::uint8_t& byte : report) byte = static_cast<std::uint8_t>(dice() % 3 == 0 ? dice() : dice() % 4);
  if (descriptor.numbered) report[0] = static_cast<std::uint8_t>(dice() % 4);
  return report;
}

void read_all_of(std::span<const std::uint8_t> bytes, std::mt19937& dice) {
  const auto read = hid::read_descriptor(bytes);
  if (!read) {
    CHECK(read.error().id == "bad-descriptor");
    return;
  }
  const auto controls = hid::controls_of(*read);
  REQUIRE(controls.size() <= hid::most_controls);
  (void)hid::kernel_codes(*read, controls);
  for (const hid::Part& part : hid::parts_of(*read, controls))
    for (const std::size_t place : part.controls) REQUIRE(place < controls.size());
  hid::Decoder decoder{*read};
  for (int i = 0; i < 3; ++i) {
    const auto report = random_report(dice, *read);
    for (const Change& change : decoder.decode(report)) REQUIRE(change.code.number < controls.size());
  }
  hid::Encoder encoder{*read};
  for (const hid::Output& output : hid::outputs_of(*read)) {
    encoder.set(output, static_cast<double>(dice() % 3));
    REQUIRE_FALSE(encoder.report_of(output).empty());
  }
  Description node;
  node.descriptor.assign(bytes.begin(), bytes.end());
  describe_raw(node);
  RawUnit unit{{}, node, Time{}};
  for (int i = 0; i < 3; ++i)
    for (const Change& change : unit.feed(random_report(dice, *read), Time{std::chrono::milliseconds{i * 100}}).changes)
      REQUIRE(change.code.number < controls.size());
}

std::vector<std::string> names_in(const hid::Descriptor& descriptor, const std::vector<hid::ReportControl>& controls,
                                  const hid::Part& part) {
  std::vector<std::string> names;
  for (const std::size_t place : part.controls) names.push_back(hid::name_of(descriptor, controls[place]));
  return names;
}

}  // namespace

TEST_CASE("A written descriptor reads back unchanged", "[hid]") {
  std::mt19937 dice{5};
  for (int round = 0; round < cases(500, 20'000); ++round) {
    const hid::Descriptor made = random_descriptor(dice);
    const auto read = hid::read_descriptor(hid::to_bytes(made));
    CAPTURE(round);
    REQUIRE(read.has_value());
    REQUIRE(read->collections == made.collections);
    REQUIRE(read->fields == made.fields);
  }
}

TEST_CASE("Reports are decoded as the slow reader decodes them", "[hid]") {
  std::mt19937 dice{6};
  for (int round = 0; round < cases(300, 10'000); ++round) {
    const hid::Descriptor made = random_descriptor(dice);
    const auto controls = hid::controls_of(made);
    std::vector<std::size_t> opaque;  // every other control is requested
    for (std::size_t c = 0; c < controls.size(); c += 2)
      if (controls[c].kind == hid::Kind::opaque) opaque.push_back(c);
    hid::Decoder decoder{made, opaque};
    SlowReader slow{made};
    std::vector<std::int32_t> seen(controls.size());
    for (int i = 0; i < 20; ++i) {
      const auto report = random_report(dice, made);
      std::map<std::size_t, int> moved, should_move;
      for (const Change& change : decoder.decode(report)) {
        const std::size_t place = change.code.number;
        if (controls[place].kind == hid::Kind::counts)
          moved[place] = change.value;
        else
          seen[place] = change.value;
      }
      const auto& wanted = slow.feed(report, should_move);
      std::erase_if(should_move, [](const auto& entry) { return entry.second == 0; });
      CAPTURE(round, i);
      REQUIRE(moved == should_move);
      for (std::size_t c = 0; c < controls.size(); ++c) {
        CAPTURE(c, hid::name_of(made, controls[c]));
        if (controls[c].kind == hid::Kind::opaque && c % 2 == 1) {
          REQUIRE(decoder.value(c) == 0);
          continue;
        }
        if (controls[c].kind != hid::Kind::counts) REQUIRE(seen[c] == wanted[c]);
        if (controls[c].kind != hid::Kind::counts) REQUIRE(decoder.value(c) == seen[c]);
      }
    }
  }
}

TEST_CASE("Truncated or changed at any byte, a descriptor is an error or a unit and does no harm", "[hid]") {
  std::mt19937 dice{7};
  for (const Made& made : made_descriptors()) {
    CAPTURE(made.name);
    REQUIRE(hid::read_descriptor(made.bytes).has_value());
    for (std::size_t length = 0; length < made.bytes.size(); ++length)
      read_all_of(std::span{made.bytes}.first(length), dice);
  }
  const auto all = made_descriptors();
  for (int round = 0; round < cases(3'000, 100'000); ++round) {
    std::vector<std::uint8_t> bytes = all[dice() % all.size()].bytes;
    for (auto changes = 1 + dice() % 6; changes > 0; --changes) {
      const std::size_t at = dice() % bytes.size();
      if (dice() % 3 == 0)
        bytes.insert(bytes.begin() + static_cast<std::ptrdiff_t>(at), static_cast<std::uint8_t>(dice()));
      else
        bytes[at] = static_cast<std::uint8_t>(dice());
    }
    CAPTURE(round);
    read_all_of(bytes, dice);
  }
}

TEST_CASE("Descriptor errors are reported with their byte", "[hid]") {
  const auto problem = [](const std::vector<std::uint8_t>& bytes) {
    const auto read = hid::read_descriptor(bytes);
    return read ? "" : read.error().place + ": " + read.error().message;
  };
  CHECK(problem({0x05}) == "byte 0: it ends inside an item");
  CHECK(problem({0xa1, 0x01}) == "byte 2: unclosed collection");
  CHECK(problem({0xc0}) == "byte 0: a collection ends that was not started");
  CHECK(problem({0xb4}) == "byte 0: a pop without a push");
  CHECK(problem({0x85, 0x00}) == "byte 0: a report id is not 1 to 255");
  CHECK(problem({0x75, 0x08, 0x95, 0x01, 0x09, 0x30, 0x81, 0x02}) == "byte 6: a field outside of all collections");
  CHECK(problem({0x76, 0x01, 0x01}) == "byte 0: an element exceeds 256 bits");
  CHECK(problem({0xa1, 0x01, 0x75, 0x20, 0x96, 0x01, 0x10, 0x81, 0x02, 0xc0}) ==
        "byte 7: a report exceeds 16384 bytes");
  CHECK(problem(std::vector<std::uint8_t>(5000, 0x00)) == "byte 4096: longer than 4096 bytes");
  std::vector<std::uint8_t> deep;
  for (int i = 0; i < 65; ++i) deep.insert(deep.end(), {0xa1, 0x00});
  CHECK(problem(deep) == "byte 128: collections are nested deeper than 64");
}

TEST_CASE("A descriptor is divided into its players and their shared controls", "[hid]") {
  const auto parts = [](const Bytes& bytes) {
    const auto descriptor = hid::read_descriptor(bytes).value();
    const auto controls = hid::controls_of(descriptor);
    std::map<std::string, std::vector<std::string>> named;
    for (const hid::Part& part : hid::parts_of(descriptor, controls))
      named[part.name] = names_in(descriptor, controls, part);
    return named;
  };
  using Names = std::vector<std::string>;
  const auto ids = parts(adapter_with_ids());
  CHECK(ids.size() == 2);
  CHECK(ids.at("player-2") ==
        Names{"hid:2/x", "hid:2/y", "hid:2/button-1", "hid:2/button-2", "hid:2/button-3", "hid:2/button-4"});
  const auto one = parts(adapter_in_one_report());
  CHECK(one.size() == 3);
  CHECK(one.at("player-1").front() == "hid:0/x");
  CHECK(one.at("player-2").front() == "hid:0/x#2");
  CHECK(one.at("player-2").back() == "hid:0/button-6#2");
  CHECK(one.at("own") == Names{"hid:0/button-17", "hid:0/button-18", "hid:0/button-19"});
  const auto mixed = parts(adapter_without_order());
  CHECK(mixed.at("player-2") == Names{"hid:0/button-1#2", "hid:0/button-2#2", "hid:0/x#2", "hid:0/y#2"});
  for (const Made& made : made_descriptors()) {
    CAPTURE(made.name);
    CHECK(parts(made.bytes).empty() == !made.expected.parts);
  }
}

TEST_CASE("Names of controls and usages convert both ways", "[hid]") {
  std::mt19937 dice{9};
  for (int round = 0; round < 2000; ++round) {
    const hid::Usage usage = random_usage(dice);
    CAPTURE(hid::word_of(usage));
    REQUIRE(hid::usage_of(hid::word_of(usage)) == usage);
  }
  for (const Made& made : made_descriptors()) {
    const auto descriptor = hid::read_descriptor(made.bytes).value();
    const auto controls = hid::controls_of(descriptor);
    for (std::size_t c = 0; c < controls.size(); ++c)
      REQUIRE(hid::find_control(descriptor, controls, hid::name_of(descriptor, controls[c])) == c);
  }
  for (const char* none : {"", "button-", "button-x", "key-zz", "hat", "1.", ".1", "01.30.00"})
    CHECK_FALSE(hid::usage_of(none).has_value());
}

TEST_CASE("Decoding does not allocate", "[hid]") {
  std::mt19937 dice{10};
  for (int round = 0; round < 50; ++round) {
    const hid::Descriptor made = random_descriptor(dice);
    hid::Decoder decoder{made};
    std::vector<std::vector<std::uint8_t>> reports;
    for (int i = 0; i < 20; ++i) reports.push_back(random_report(dice, made));
    const std::size_t before = allocations();
    for (const auto& report : reports) (void)decoder.decode(report);
    REQUIRE(allocations() == before);
  }
}

TEST_CASE("An axis with a null state indicates an empty socket", "[hid]") {
  // X 0..100 with a null state
  const Bytes bytes = application(0x04) +
                      Bytes{0x09, 0x30, 0x15, 0x00, 0x25, 0x64, 0x75, 0x08, 0x95, 0x01, 0x81, 0x42} + end_collection;
  const auto descriptor = hid::read_descriptor(bytes).value();
  hid::Decoder decoder{descriptor};
  CHECK(decoder.decode(std::vector<std::uint8_t>{50}).size() == 1);
  CHECK(decoder.has_value(0));
  CHECK(decoder.decode(std::vector<std::uint8_t>{255}).empty());
  CHECK_FALSE(decoder.has_value(0));
  CHECK(decoder.value(0) == 50);
  CHECK(decoder.decode(std::vector<std::uint8_t>{60}).size() == 1);
  CHECK(decoder.has_value(0));
}
