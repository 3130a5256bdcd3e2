// The kinds of sheets: shipped ones are valid, and written ones read back unchanged, all driven by one table.
#include <catch2/catch.hpp>
#include <nlohmann/json.hpp>
#include <random>

#include "catalogue/shipped.hpp"
#include "marrowby.hpp"
#include "omnipar/omnipar.hpp"
#include "omnipar/sheets.hpp"
#include "stage/table.hpp"
#include "support/random_stages.hpp"

using namespace omnipar;

namespace {

Sheets read(const std::string& text) { return read_sheets("t.toml", text); }

Profile random_profile(std::mt19937& dice) {
  const auto one_of = [&dice](const std::vector<std::string>& words) { return words[dice() % words.size()]; };
  Profile profile;
  profile.name = one_of({"Cabinet", "Größe \"7\"\\", "tab\there", ""});
  profile.system = one_of({"pad-2b", "arcade-4b"});
  for (int number = 1; number <= 3; ++number) {
    PortProfile port;
    port.port = number;
    port.seat = one_of({"left", "right", "seat-3"});
    if (dice() % 2 == 0) port.controller = "pad-2b";
    if (number == 2) port.like = 1;
    port.opposites = static_cast<Opposites>(dice() % 3);
    for (const char* target : {"a", "b", "directions"}) {
      if (dice() % 2 == 0) continue;
      Binding binding{target, {}};
      for (auto n = dice() % 4; n > 0; --n) {
        Use use;
        use.role = one_of({"south", "left-trigger", "left-stick-up"});
        test::set_at_random(use, dice);
        binding.uses.push_back(use);
      }
      port.bind.push_back(binding);
    }
    profile.ports.push_back(port);
  }
  if (dice() % 2 == 0) profile.hotkeys.push_back({"menu", "start", "north", Duration{dice() % 1'000'000}});
  for (const Hotkey& exit : built_in_exits()) profile.hotkeys.push_back(exit);
  return profile;
}

/// Everything but the positions, which come from the text.
bool same(const Profile& a, const Profile& b) {
  const auto same_use = [](const Use& x, const Use& y) {
    return x.role == y.role && std::ranges::all_of(stage::of_uses(), [&](const stage::Kind* kind) {
             return stage::values_of(*kind, x) == stage::values_of(*kind, y);
           });
  };
  const auto same_binding = [&](const Binding& x, const Binding& y) {
    return x.target == y.target && std::ranges::equal(x.uses, y.uses, same_use);
  };
  const auto same_port = [&](const PortProfile& x, const PortProfile& y) {
    return x.port == y.port && x.seat == y.seat && x.controller == y.controller && x.opposites == y.opposites &&
           x.like == y.like && std::ranges::equal(x.bind, y.bind, same_binding);
  };
  const auto same_hotkey = [](const Hotkey& x, const Hotkey& y) {
    return x.action == y.action && x.modifier == y.modifier && x.press == y.press && x.after == y.after;
  };
  return a.name == b.name && a.system == b.system && std::ranges::equal(a.ports, b.ports, same_port) &&
         std::ranges::equal(a.hotkeys, b.hotkeys, same_hotkey);
}

}  // namespace

TEST_CASE("All shipped sheets are valid, and each machine can be played with its proposed profile", "[sheets]") {
  std::size_t sheets = 0;
  for (const catalogue::Shipped& sheet : catalogue::shipped()) {
    CAPTURE(sheet.name);
    ++sheets;
    REQUIRE(read_sheets(sheet.name, sheet.text).problems.empty());
  }
  const Catalogue shipped = built_in_catalogue();
  REQUIRE(shipped.systems.size() + shipped.units.size() == sheets);
  REQUIRE(shipped.systems.size() == 15);
  for (const UnitSheet& unit : shipped.units)
    for (const ControlSheet& control : unit.controls) {
      CAPTURE(unit.name, control.role);
      REQUIRE_FALSE(control.label.empty());
      REQUIRE(control.spot);
    }
  for (const SystemSheet& system : shipped.systems) REQUIRE(compile(shipped, propose(shipped, system.name).value()));
  REQUIRE(read_sheets("marrowby.toml", marrowby::sheets_text()).problems.empty());
}

TEST_CASE("A written profile reads back unchanged and is written again byte for byte", "[sheets]") {
  std::mt19937 dice{11};
  for (int round = 0; round < 500; ++round) {
    const Profile profile = random_profile(dice);
    const std::string text = to_toml(profile);
    CAPTURE(text);
    const Sheets sheets = read(text);
    REQUIRE(sheets.problems.empty());
    REQUIRE(same(sheets.profiles.at(0), profile));
    REQUIRE(to_toml(sheets.profiles.at(0)) == text);
  }
}

TEST_CASE("Written rigs and calibrations read back unchanged", "[sheets]") {
  Rig rig;
  rig.units = {{"Fenwick pad", "left", 0x1209, 2, "Fenwick \"Pad\"\x01", "No 7", ""},
               {"panel", "right", 0, 0xffff, "", "", "hall:1"}};
  REQUIRE(read(to_toml(rig)).rig == rig);
  REQUIRE(read(to_toml(Rig{})).rig == Rig{});
  REQUIRE(read(to_toml(Rig{})).problems.empty());
  const Calibration calibration{"Fenwick pad", {{code::abs_x, -5, 250, 131}, {code::abs_rz, 0, 1, 0}}};
  REQUIRE(read(to_toml(calibration)).rig.calibrations == std::vector{calibration});
}

TEST_CASE("A gun is calibrated per screen, once on each", "[sheets]") {
  Calibration gun{"Lark Booth Gun", {}, {}};
  for (const char* screen : {"booth", "side"})
    gun.aims.push_back({screen, code::abs_x, code::abs_y, {{{150, 60}, {840, 90}, {880, 930}, {120, 900}}}});
  REQUIRE(read(to_toml(gun)).rig.calibrations == std::vector{gun});
  gun.aims[1].screen = "booth";
  const Sheets twice = read_sheets("gun.toml", to_toml(gun));
  REQUIRE_FALSE(twice.problems.empty());
  CHECK(twice.problems[0].id == "name-twice");
}

TEST_CASE("Nesting that is too deep is rejected before it is parsed", "[sheets]") {
  const std::string head = "omnipar = 1\nkind = \"profile\"\n";
  std::string dots = "a", brackets = "a = ";
  for (int i = 0; i < 30'000; ++i) dots += ".a";
  for (int i = 0; i < 30'000; ++i) brackets += "[";
  for (const std::string& deep : {dots + " = 1", "[" + dots + "]", brackets, "a = {" + dots + " = 1}"}) {
    const Sheets read = read_sheets("deep.toml", head + deep + "\n");
    REQUIRE(read.problems.size() == 1);
    CHECK(read.problems[0].id == "too-deep");
  }
  // In quotes and comments brackets and dots have no meaning.
  const Sheets fine =
      read_sheets("fine.toml", head + "name = \"" + std::string(40, '[') + std::string(40, '.') + "\" # " +
                                   std::string(40, '{') + "\nsystem = \"pad-2b\"\n[port.1]\nseat = \"seat-1\"\n");
  for (const Diagnostic& problem : fine.problems) CHECK(problem.id != "too-deep");
}

TEST_CASE("A unit's sheet and calibration define its codes", "[sheets]") {
  const Sheets sheets = read(std::string{marrowby::sheets_text()});
  const Catalogue catalogue{sheets.systems, sheets.units};
  Description adapter;
  adapter.name = "Quill Old-Plug Adapter";
  adapter.vendor = 0x1209;
  adapter.product = 4;
  adapter.codes = {{key(0x120), 0, 1, 0}, {key(0x121), 0, 1, 0}, {code::abs_x, 0, 255, 0}, {code::abs_y, 0, 255, 0}};
  Rig rig;
  rig.calibrations = {{"Quill Old-Plug Adapter", {{code::abs_x, 20, 240, 131}}}};
  const Attachment found = recognise(catalogue, rig, adapter).value();
  REQUIRE(found.controls ==
          std::vector<Control>{{key(0x121), ControlType::button, "south", Axis::none, 0, 1, 0},
                               {code::abs_x, ControlType::two_sided, "left-stick", Axis::x, 20, 240, 131},
                               {code::abs_y, ControlType::two_sided, "left-stick", Axis::y, 0, 255, 128}});
  adapter.product = 5;  // another model, without a sheet
  const std::vector<Control> guessed = recognise(catalogue, rig, adapter).value().controls;
  REQUIRE(std::ranges::find(guessed, "south", &Control::role)->code == key(0x120));
}

TEST_CASE("Syntax and semantic errors are reported together, and one bad sheet does not affect the others",
          "[sheets]") {
  const Sheets sheets = read(R"(omnipar = 1
[[sheet]]
kind = "unit"
name = "bad"
title = "Bad"
identity = [{ vendor = 0x1209, product = 70000 }]
[[sheet.control]]
code = "BTN_SOUT"
role = "soth"
[[sheet.control]]
code = "ABS_X"
role = "south"
[[sheet]]
kind = "unit"
name = "good"
title = "Good"
identity = [{ vendor = 0x1209, product = 7 }]
control = [{ code = "BTN_SOUTH", role = "south", at = [10, 20.5] }]
)");
  std::vector<std::string> ids;
  for (const Diagnostic& problem : sheets.problems) ids.push_back(problem.place + " " + problem.id);
  REQUIRE(ids == std::vector<std::string>{"t.toml:6:42 bad-number", "t.toml:8:8 unknown-code",
                                          "t.toml:9:8 unknown-role", "t.toml:11:8 wrong-code"});
  REQUIRE(sheets.units.size() == 1);
  REQUIRE(sheets.units[0].controls[0].spot == Spot{10, 20.5});
}

TEST_CASE("A bracket without a name is a syntax error and triggers no parser assertion", "[sheets]") {
  for (const char* text : {"[", "[=x]", "[.a]", "[[", "[[=", "[ ", "[\n", "x = 1\n  [ =]\n", "[a..b]", "[\"\"", "['"}) {
    CAPTURE(text);
    const Sheets sheets = read_sheets("f.toml", text);
    CHECK(std::ranges::count(sheets.problems, "syntax", &Diagnostic::id) >= 1);
  }
}

TEST_CASE("Non-ASCII letters are allowed in quotes and comments only", "[sheets]") {
  const auto syntax = [](const std::string& text) {
    std::string places;
    for (const Diagnostic& problem : read_sheets("f", text).problems)
      if (problem.id == "syntax") places += problem.place + " ";
    return places;
  };
  CHECK(syntax("a = l\xc3\xbc\n") == "f:1:6 ");
  CHECK(syntax("\"\xc3\xbc\" = 1 # \xc3\xbc\n\xc3\xbc = 2\n") == "f:2:1 ");
  CHECK(syntax("a = '\xc3\xbc\\'\nb = \"\\\"\xc3\xbc\"\n") == "");
  CHECK(syntax("a = \"\"\"\n\xc3\xbc \"\" \xc3\xbc \\\n\"\"\" \xc3\xbc\n").starts_with("f:3:5 "));
  CHECK(syntax("a = [\"\xc3\xbc\", \"b = [\"\xc3\xbc\"]\n") == "f:1:18 ");
}

TEST_CASE("Every kind has a schema whose fields are those that the reader accepts", "[sheets]") {
  for (const std::string_view kind : sheet_kinds()) {
    CAPTURE(kind);
    const auto schema = nlohmann::json::parse(sheet_schema(kind));
    REQUIRE(schema["properties"]["kind"]["const"] == kind);
    // A sheet with only its kind lacks exactly what the schema requires.
    const Sheets sheets = read("omnipar = 1\nkind = \"" + std::string{kind} + "\"\nfrob = 1\n");
    std::size_t missing = 0;
    for (const Diagnostic& problem : sheets.problems) missing += problem.id == "missing-field" ? 1 : 0;
    REQUIRE(missing + 1 == schema["required"].size());
    REQUIRE(sheets.problems.back().id == "unknown-field");
    for (const auto& [name, shape] : schema["properties"].items())
      REQUIRE(sheets.problems.back().hint.find("'" + name + "'") != std::string::npos);
  }
  REQUIRE(sheet_schema("frob").empty());
}
