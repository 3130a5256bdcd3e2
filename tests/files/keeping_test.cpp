// What another program's settings screen does to a user's files, using only the public calls.
#include <algorithm>
#include <catch2/catch.hpp>
#include <cstdlib>

#include "files/keeping.hpp"
#include "omnipar/calibrating.hpp"
#include "omnipar/identity.hpp"
#include "omnipar/keeping.hpp"
#include "support/faulty_door.hpp"
#include "support/folder.hpp"

using namespace omnipar;
using test::content;
using test::Folder;
using test::put;

namespace {

/// A home directory of its own.
class Home {
 public:
  Home() {
    ::setenv("HOME", (folder_ / ".").c_str(), 1);
    for (const char* name : {"XDG_CONFIG_HOME", "XDG_STATE_HOME"}) ::unsetenv(name);
  }
  [[nodiscard]] std::string config(const std::string& name) const { return folder_ / ("./.config/omnipar/" + name); }

 private:
  Folder folder_;
};

const char* const rig_text = R"(# ours
omnipar = 1
kind = "rig"

[[unit]]   # by the window
name = "blue pad"
seat = "left"   # always
vendor = 0x1209
product = 0x0001
model = "Fenwick Reading-Room Pad"
socket = "desk:1"

[[unit]]
name = "red pad"
vendor = 0x1209
product = 0x0001
model = "Fenwick Reading-Room Pad"
socket = "desk:2"
)";

Rig rig_now() { return find_rig().value().rig; }

RigUnit unit_named(const std::string& name) {
  const Rig rig = rig_now();
  for (const RigUnit& unit : rig.units)
    if (unit.name == name) return unit;
  FAIL(name);
  return {};
}

bool rename_to(const std::string& from, const std::string& to) {
  return change_rig([&](Rig& rig) -> std::optional<Diagnostic> {
           for (RigUnit& unit : rig.units)
             if (unit.name == from) unit.name = to;
           return std::nullopt;
         }) == true;
}

void measure(const RigUnit& unit, std::int32_t rest, std::uint16_t code = 0) {
  REQUIRE(change_calibration(unit, [&](Calibration& all) {
    all = merged(std::move(all), Calibration{"", {{{ev_abs, code}, 0, 255, rest}}});
  }));
}

}  // namespace

TEST_CASE("A rig is edited in place, and each change can be undone", "[keeping]") {
  const Home home;
  put(home.config("rig.toml"), rig_text);
  REQUIRE(change_rig([](Rig& rig) -> std::optional<Diagnostic> {
            rig.units[0].seat = "sofa";
            rig.units[1].name = "green pad";
            rig.units.push_back({"gun", "right", 0x1209, 2, "Lark Gun", "77", ""});
            rig.screens.push_back({"booth", 1280, 1024});
            return std::nullopt;
          }) == true);
  const std::string changed = content(home.config("rig.toml"));
  for (const char* kept : {"# ours", "# by the window", "seat = \"sofa\"   # always", "name = \"green pad\"",
                           "name = \"gun\"", "name = \"booth\""})
    CHECK(changed.find(kept) != std::string::npos);
  REQUIRE(change_rig([](Rig& rig) -> std::optional<Diagnostic> {
            rig.units.erase(rig.units.begin() + 1);
            return std::nullopt;
          }) == true);
  CHECK(rig_now().units.size() == 2);
  CHECK(change_rig([](Rig&) -> std::optional<Diagnostic> { return std::nullopt; }) == false);
  const auto refused = change_rig([](Rig& rig) -> std::optional<Diagnostic> {
    rig.units.clear();
    return Diagnostic{"not-today", Severity::error, "no", "", ""};
  });
  REQUIRE_FALSE(refused);
  CHECK(refused.error()[0].id == "not-today");
  CHECK(refused.error()[0].place == *rig_file());
  CHECK(former_versions(*rig_file()).size() == 2);
  CHECK(content(former_versions(*rig_file())[0]) == changed);
  REQUIRE(undo_rig());
  REQUIRE(undo_rig());
  CHECK(content(home.config("rig.toml")) == rig_text);
  CHECK(undo_rig().error()[0].id == "nothing-to-undo");
}

TEST_CASE("A renamed unit keeps its calibration", "[keeping]") {
  const Home home;
  put(home.config("rig.toml"), rig_text);
  const RigUnit blue = unit_named("blue pad"), red = unit_named("red pad");
  measure(blue, 100);
  measure(red, 200);
  const auto rest_of = [](const std::string& name) {
    std::vector<std::int32_t> all;
    const Rig rig = rig_now();
    for (const Calibration& one : rig.calibrations)
      if (one.unit == name) all.push_back(one.axes.at(0).rest);
    return all;
  };
  SECTION("renamed, and the renaming undone") {
    REQUIRE(rename_to("blue pad", "old pad"));
    CHECK(rest_of("old pad") == std::vector{100});
    CHECK(rest_of("blue pad").empty());
    REQUIRE(undo_rig());
    CHECK(rest_of("blue pad") == std::vector{100});
  }
  SECTION("names swapped") {
    REQUIRE(change_rig([](Rig& rig) -> std::optional<Diagnostic> {
              std::swap(rig.units[0].name, rig.units[1].name);
              return std::nullopt;
            }) == true);
    CHECK(rest_of("blue pad") == std::vector{200});
    CHECK(rest_of("red pad") == std::vector{100});
  }
  SECTION("renamed during its calibration") {
    REQUIRE(rename_to("blue pad", "red pad 2"));
    measure(blue, 120, 1);
    CHECK(rest_of("red pad 2") == std::vector{100});  // and the calibration of another axis is kept
    CHECK(rig_now().calibrations.size() == 2);
  }
  SECTION("moved to another seat and another socket") {
    REQUIRE(change_rig([](Rig& rig) -> std::optional<Diagnostic> {
              rig.units[0].seat = "right";
              rig.units[0].socket = "hall:7";
              return std::nullopt;
            }) == true);
    measure(blue, 120);
    CHECK(rest_of("blue pad") == std::vector{120});
  }
  SECTION("removed from the rig") {
    REQUIRE(change_rig([](Rig& rig) -> std::optional<Diagnostic> {
              rig.units.erase(rig.units.begin());
              return std::nullopt;
            }) == true);
    measure(blue, 120);
    CHECK(rest_of("blue pad") == std::vector{120});
    CHECK(rest_of("red pad") == std::vector{200});
  }
  SECTION("an unreadable file is not overwritten") {
    put(home.config("calibrations/blue-pad.toml"), "what?");
    measure(blue, 120);
    CHECK(content(home.config("calibrations/blue-pad.toml")) == "what?");
    CHECK(rest_of("blue pad") == std::vector{120});
  }
}

TEST_CASE("If any call fails, a change of the rig and its related files is complete or absent", "[keeping]") {
  const std::string job = GENERATE("swap", "undo", "measure");
  const auto run = [&](os::Files& door) {
    if (job == "undo") return files::undo_rig(door, {}).has_value();
    if (job == "measure")
      return files::change_calibration(door, {}, unit_named("blue pad"),
                                       [](Calibration& all) { all.axes.at(0).rest = 150; })
          .has_value();
    return files::change_rig(door, {},
                             [](Rig& rig) -> std::optional<Diagnostic> {
                               std::swap(rig.units[0].name, rig.units[1].name);
                               return std::nullopt;
                             })
        .has_value();
  };
  const auto prepare = [&](const Home& home) {
    put(home.config("rig.toml"), rig_text);
    measure(unit_named("blue pad"), 100);
    measure(unit_named("red pad"), 200);
    if (job == "undo") REQUIRE(rename_to("blue pad", "old pad"));
  };
  int calls = 0;
  {
    const Home home;
    prepare(home);
    test::FaultyDoor door{test::Fault::none, 0};
    REQUIRE(run(door));
    calls = door.calls();
  }
  int failed = 0;
  for (int call = 1; call <= calls; ++call) {
    CAPTURE(job, call);
    const Home home;
    prepare(home);
    const Rig before = rig_now();
    test::FaultyDoor door{test::Fault::fails, call};
    const bool good = run(door);
    const Rig after = rig_now();
    if (!good) CHECK(after == before);
    if (good) CHECK(after != before);
    failed += good ? 0 : 1;
  }
  CHECK(failed > 10);
}

TEST_CASE("A unit is added once, under a unique name", "[keeping]") {
  const Home home;
  put(home.config("rig.toml"), rig_text);
  RigUnit third{"blue pad", "sofa", 0x1209, 1, "Fenwick Reading-Room Pad", "", "desk:3"};
  CHECK(add_unit(third)->name == "blue pad (2)");
  CHECK(add_unit(third)->name == "blue pad (2)");
  third.socket = "desk:4";
  CHECK(add_unit(third)->name == "blue pad (3)");
  CHECK(rig_now().units.size() == 4);
}

TEST_CASE("A profile is edited in place", "[keeping]") {
  const Home home;
  Profile wanted = *propose(built_in_catalogue(), "arcade-6b");
  const auto file = add_profile("cabinet", wanted);
  REQUIRE(file);
  CHECK(*file == *profile_file("cabinet"));
  CHECK(add_profile("cabinet", wanted).error()[0].id == "name-twice");
  put(*file, "# painted\n" + content(*file));
  const auto changed = change_profile("cabinet", [](Profile& profile) -> std::optional<Diagnostic> {
    profile.ports[0].seat = "left";
    profile.ports[0].opposites = Opposites::neutral;
    profile.ports[0].bind = {{"button-1", {{"east"}}}, {"button-2", {}}};
    profile.hotkeys.push_back({"exit", "select", "south", std::chrono::seconds{1}});
    return std::nullopt;
  });
  CAPTURE(changed ? "" : changed.error()[0].message);
  REQUIRE(changed == true);
  CHECK(content(*file).starts_with("# painted\n"));
  const FoundProfile found = find_profile("cabinet");
  REQUIRE(found.plan);
  CHECK(found.profile->ports[0].bind.size() == 2);
  CHECK(std::ranges::count(found.profile->hotkeys, "south", &Hotkey::press) == 1);
  CHECK(found.profile->ports[0].opposites == Opposites::neutral);
  const auto wrong = change_profile("cabinet", [](Profile& profile) -> std::optional<Diagnostic> {
    profile.ports[0].bind.push_back({"button-77", {{"east"}}});
    return std::nullopt;
  });
  CHECK(wrong.error()[0].id == "unknown-target");
  REQUIRE(undo_profile("cabinet"));
  CHECK(find_profile("cabinet").profile->ports[0].bind.empty());
  CHECK(change_profile("nobody", [](Profile&) -> std::optional<Diagnostic> { return std::nullopt; }).error()[0].id ==
        "no-file");
  CHECK(profile_file("-x").error().id == "bad-name");
}

TEST_CASE("Without a home directory, or with a simulated room, no user file is written", "[keeping]") {
  const Home home;
  CHECK(rig_file({.own_files = false}).error().id == "not-named");
  ::unsetenv("HOME");
  CHECK(rig_file().error().id == "no-home");
  CHECK(change_rig([](Rig&) -> std::optional<Diagnostic> { return std::nullopt; }).error()[0].id == "no-home");
}
