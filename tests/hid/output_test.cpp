// Output reports: the owners of motors and LEDs, and how reports are written.
#include <catch2/catch.hpp>

#include <algorithm>
#include <map>
#include <random>

#include "hid/descriptors.hpp"
#include "omnipar/hid_output.hpp"
#include "support/allocations.hpp"
#include "support/settings.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

/// "motor 0, LED 1": the kind and owner of each output.
std::vector<std::string> whose(const Bytes& bytes) {
  const auto descriptor = hid::read_descriptor(bytes).value();
  const auto controls = hid::controls_of(descriptor);
  const auto outputs = hid::outputs_of(descriptor);
  std::vector<std::vector<std::size_t>> players;
  for (const hid::Part& part : hid::parts_of(descriptor, controls))
    if (part.name != hid::own_part) players.push_back(part.controls);
  const auto player = hid::players_of(descriptor, controls, outputs, players);
  std::vector<std::string> all;
  for (std::size_t i = 0; i < outputs.size(); ++i)
    all.push_back((outputs[i].kind == hid::OutputKind::motor ? "motor " : "LED ") + std::to_string(player.at(i)));
  return all;
}
using Words = std::vector<std::string>;

/// Bit by bit, from the start.
std::uint32_t number_in(std::span<const std::uint8_t> report, const hid::Field& field, std::uint32_t element) {
  std::uint32_t value = 0;
  for (std::uint32_t i = 0; i < field.size; ++i) {
    const std::uint32_t bit = 8 + field.bit + element * field.size + i;
    value |= static_cast<std::uint32_t>(report[bit / 8] >> bit % 8 & 1) << i;
  }
  return value;
}

}  // namespace

TEST_CASE("Motors and LEDs belong to the player of their collection or report, otherwise they alternate", "[hid]") {
  const Bytes player = Bytes{0x05, 0x01, 0x09, 0x01, 0xa1, 0x00} + stick + buttons(1, 6, 2);
  const Bytes both = player + end_collection;
  CHECK(whose(shaking_adapter()) == Words{"motor 0", "motor 0", "LED 0", "LED 0", "LED 0", "LED 0",  //
                                          "motor 1", "motor 1", "LED 1", "LED 1", "LED 1", "LED 1"});
  CHECK(whose(application(0x04) + player + motors(1) + end_collection + player + motors(1) + end_collection +
              end_collection) == Words{"motor 0", "motor 1"});
  CHECK(whose(application(0x04) + both + both + motors(4) + player_leds(2, 6) + end_collection) ==
        Words{"motor 0", "motor 0", "motor 1", "motor 1", "LED 0", "LED 1"});
  // three for two players are shared, and so is a single one
  CHECK(whose(application(0x04) + both + both + motors(3) + end_collection) ==
        Words{"motor -1", "motor -1", "motor -1"});
  CHECK(whose(application(0x04) + both + both + motors(1) + end_collection) == Words{"motor -1"});
  // a separate report does not name its player, but the number does if it is the only report with its id
  const Bytes numbers =
      application(0x04) + numbered(1) + stick + buttons(1, 4, 4) + numbered(2) + stick + buttons(1, 4, 4);
  CHECK(whose(numbers + numbered(2) + motors(1) + numbered(1) + motors(1) + end_collection) ==
        Words{"motor 1", "motor 0"});
  CHECK(whose(numbers + numbered(9) + motors(2) + end_collection) == Words{"motor 0", "motor 1"});
  CHECK(whose(application(0x05) + stick + buttons(1, 8, 0) + motors(2) + end_collection) ==
        Words{"motor -1", "motor -1"});
}

TEST_CASE("A level is written only to its field", "[hid]") {
  std::mt19937 dice{21};
  for (int round = 0; round < cases(200, 5000); ++round) {
    hid::Descriptor made;
    made.numbered = dice() % 2 == 0;
    made.collections.push_back({-1, 1, {0x01, 0x05}});
    std::map<std::uint8_t, std::uint32_t> ends;
    for (auto fields = 1 + dice() % 6; fields > 0; --fields) {
      hid::Field field;
      field.type = hid::FieldType::output;
      field.flags = 2;
      field.report = made.numbered ? static_cast<std::uint8_t>(1 + dice() % 3) : std::uint8_t{0};
      field.size = static_cast<std::uint32_t>(1 + dice() % 32);
      field.count = static_cast<std::uint32_t>(1 + dice() % 5);
      field.maximum = static_cast<std::int32_t>((std::uint64_t{1} << std::min(field.size, 31U)) - 1);
      if (dice() % 3 == 0) field.minimum = field.maximum / 3;
      if (dice() % 3 == 0 && field.size > 1) {
        field.maximum /= 2;
        field.minimum = -field.maximum;
      }
      field.collection = 0;
      field.bit = ends[field.report];
      field.usages.assign(field.count, dice() % 3 == 0 ? hid::Usage{0x08, 0x4b} : hid::Usage{0x0f, 0x70});
      ends[field.report] += field.size * field.count;
      made.fields.push_back(field);
    }
    const auto outputs = hid::outputs_of(made);
    hid::Encoder encoder{made};
    const auto raw = [&](std::size_t which, double level) {
      const hid::Field& its = made.fields[outputs[which].field];
      const double range = static_cast<double>(its.maximum) - its.minimum;
      return static_cast<std::uint32_t>(its.minimum + std::llround(level * range)) & (~0U >> (32 - its.size));
    };
    std::vector<std::uint32_t> wanted;  // initially all are at rest, which need not be 0
    for (std::size_t i = 0; i < outputs.size(); ++i) wanted.push_back(raw(i, 0));
    for (int step = 0; step < 30; ++step) {
      const std::size_t which = dice() % outputs.size();
      const double level = static_cast<double>(dice() % 5) / 4;
      wanted[which] = raw(which, level);
      CHECK(allocations_during([&] { encoder.set(outputs[which], level); }) == 0);
      for (std::size_t i = 0; i < outputs.size(); ++i) {
        const hid::Field& field = made.fields[outputs[i].field];
        const auto report = encoder.report_of(outputs[i]);
        REQUIRE(report[0] == field.report);
        REQUIRE(report.size() ==
                made.report_bytes(hid::FieldType::output, field.report) + (made.numbered ? std::size_t{0} : 1));
        REQUIRE(number_in(report, field, outputs[i].element) == wanted[i]);
      }
    }
  }
}

TEST_CASE("Reports with motor selection and duration contain both", "[hid]") {
  const Bytes enable{0x05, 0x0f, 0x09, 0x97, 0x15, 0x00, 0x25, 0x03, 0x75, 0x04, 0x95, 0x01, 0x91, 0x02, 0x91, 0x03};
  const Bytes duration{0x09, 0x50, 0x15, 0x00, 0x26, 0xff, 0x00, 0x75, 0x08, 0x95, 0x01, 0x91, 0x02};
  const auto descriptor = hid::read_descriptor(application(0x05) + numbered(1) + stick + numbered(3) + enable +
                                               motors(2) + duration + end_collection)
                              .value();
  const auto outputs = hid::outputs_of(descriptor);
  REQUIRE(outputs.size() == 2);
  hid::Encoder encoder{descriptor};
  encoder.set(outputs[0], 0.5);
  encoder.set(outputs[1], 2);
  const auto report = encoder.report_of(outputs[0]);
  CHECK(Bytes{report.begin(), report.end()} == Bytes{3, 0x03, 128, 255, 255});
  CHECK(encoder.must_be_repeated(outputs[0]));
  const auto plain = hid::read_descriptor(application(0x05) + stick + motors(1) + end_collection).value();
  CHECK_FALSE(hid::Encoder{plain}.must_be_repeated(hid::outputs_of(plain).front()));
}
