// A stage that exists only in this test, with its naive counterpart: a new stage needs only its row. It is added to
// the table before anything reads it.
#include <catch2/catch.hpp>

#include <random>

#include <fmt/format.h>

#include "engine/judged.hpp"
#include "engine/slow_twin.hpp"
#include "inspect/why.hpp"
#include "omnipar/sheets.hpp"
#include "stage/table.hpp"
#include "support/settings.hpp"
#include "support/units.hpp"

using namespace omnipar;

namespace {

constexpr stage::Field fields[] = {
    {"lean", stage::Measure::number, "leans to the right, so much of the way that is left", 0, 1},
};

/// A push to the right goes further.
shape::Point lean(double share, double x, double y) {
  return x > 0 ? shape::Point{x + (1 - x) * share, y} : shape::Point{x, y};
}

constinit const stage::Kind leaning{
    .name = "leaning",
    .about = "Leans to the right.",
    .formula = "x above 0 becomes x + (1 - x) `lean`",
    .fields = fields,
    .acts = [](const stage::Values& values) noexcept { return values[0] > 0; },
    .words = [](const stage::Values& values) { return fmt::format("leans by {:g}", values[0]); },
    .prepare =
        [](const stage::Values& values, RoleKind) {
          return stage::Constants{{values[0], 0, 0}, 0};
        },
    .move = [](const stage::Constants& constants,
               shape::Point p) noexcept { return lean(constants.numbers[0], p.x, p.y); }};

[[maybe_unused]] const bool comes_first = [] {
  stage::add(leaning, stage::anti_dead_zone);
  test::SlowTwin::added_shapes()["leaning"] = [](const Use& use, test::SlowTwin::Point p) {
    const double share = use.settings.find("lean").value_or(0);
    if (p.x > 0) p.x = p.x + (1 - p.x) * share;
    return p;
  };
  return true;
}();

constexpr const char* text =
    "omnipar = 1\nkind = \"profile\"\nname = \"leans\"\nsystem = \"kit\"\n[port.1]\nseat = \"seat-1\"\n"
    "[port.1.bind]\nstick = { use = \"left-stick\", lean = 0.5 }\n";

}  // namespace

TEST_CASE("A new stage appears in parser, schema, pages, listing and 'why' through its row alone") {
  const Sheets sheets = read_sheets("t.toml", text);
  REQUIRE(sheets.problems.empty());
  const Profile& profile = sheets.profiles.at(0);
  CHECK(profile.ports[0].bind[0].uses[0].settings.find("lean") == 0.5);
  CHECK(to_toml(profile).find("lean = 0.5") != std::string::npos);
  CHECK(sheet_schema("profile").find("\"lean\"") != std::string::npos);
  CHECK(sheet_reference().find("| leaning | position | position | Leans to the right. | x above 0 becomes "
                               "x + (1 - x) `lean` | `lean` 0 (0 to 1) |") != std::string::npos);
  CHECK(sheet_reference().find("leans to the right, so much of the way that is left") != std::string::npos);
  const Plan plan = test::plan_of(test::story_catalogue(), profile);
  CHECK(plan.listing().find("moves 1/stick-x 1/stick-y, dead zone 0.15, leans by 0.5") != std::string::npos);
  bool found = false;
  for (const inspect::Link& link : inspect::links(test::story_catalogue(), profile))
    found = found || link.shape.find("leans by 0.5") != std::string::npos;
  CHECK(found);
  const Sheets beyond = read_sheets("t.toml", std::string{text}.replace(std::string{text}.find("0.5"), 3, "1.5"));
  REQUIRE_FALSE(beyond.problems.empty());
}

TEST_CASE("The engine plays a new stage, and the slow twin checks it in its random profiles") {
  std::size_t leaning_uses = 0;
  for (const Profile& profile : test::story_profiles())
    for (const PortProfile& port : profile.ports)
      for (const Binding& binding : port.bind)
        for (const Use& use : binding.uses) leaning_uses += use.settings.find("lean").value_or(0) > 0 ? 1 : 0;
  CHECK(leaning_uses > 20);
  const int stories = test::cases(40, 600);
  for (int seed = 0; seed < stories; ++seed) {
    CAPTURE(seed);
    std::mt19937 random{static_cast<std::uint32_t>(seed) + 1000};
    std::vector<std::uint8_t> bytes(400 + random() % 1600);
    for (std::uint8_t& byte : bytes) byte = static_cast<std::uint8_t>(random());
    bytes[0] = static_cast<std::uint8_t>(seed);
    const auto complaint = test::judge_story(bytes);
    if (complaint) FAIL(*complaint);
  }
}
