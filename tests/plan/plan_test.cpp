// What profiles compile to, and the errors of those that do not compile.
#include <catch2/catch.hpp>

#include "support/golden.hpp"
#include "support/units.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

Profile kit_profile() { return propose(kit_catalogue(), "kit").value(); }

/// All errors of a profile as they are printed.
std::string errors_of(const Profile& profile) {
  const auto plan = compile(kit_catalogue(), profile);
  std::string text;
  if (!plan)
    for (const Diagnostic& problem : plan.error()) text += (text.empty() ? "" : "\n") + to_text(problem);
  return text;
}

}  // namespace

TEST_CASE("Each kind of binding compiles to its golden listing", "[plan]") {
  CHECK_GOLDEN("plan-pad-2b.txt", plan_of("pad-2b").listing());
  Profile profile = kit_profile();
  Use shaped{"south"};
  shaped.settings.set("debounce", Duration{5000});
  shaped.settings.set("long-press", std::chrono::milliseconds{300});
  Use slow{"dpad"};
  slow.settings.set("ramp", 4);
  Use firm{"left-stick"};
  firm.settings.set("threshold", 0.7);
  firm.settings.set("release", 0.6);
  profile.ports[0].bind = {
      {"directions", {firm}}, {"up", {{"north"}}}, {"a", {shaped}}, {"b", {}}, {"stick", {{"right-stick"}, slow}}};
  profile.ports[1].like = 1;
  CHECK_GOLDEN("plan-kit.txt", plan_of(kit_catalogue(), profile).listing());
}

TEST_CASE("A plan describes its ports and targets", "[plan]") {
  const Plan plan = plan_of("pad-2b");
  CHECK(plan.ports().size() == 3);  // two, and the room's own
  CHECK(plan.target(1, "a") == plan.target(2, "a"));
  CHECK_FALSE(plan.target(1, "z"));
  CHECK_FALSE(plan.target(3, "a"));
  CHECK(plan.frame() == Duration{16'667});
  CHECK(shortest_press(plan) == Duration{20'000});
  CHECK(plan.seats().size() == 2);
}

TEST_CASE("All mistakes are reported at once, each with its place and a remedy", "[plan]") {
  Profile profile = kit_profile();
  Use far{"south"};
  far.settings.set("dead-zone", 1.5);
  Use reversed{"right-trigger"};
  reversed.settings.set("release", 0.9);
  Use endless{"south"};
  endless.settings.set("long-press", std::chrono::hours{1});
  profile.ports[0].bind = {
      {"a", {{"sout"}}},    {"b", {{"left-stick"}}}, {"directions", {{"south"}}}, {"stick", {{"left-trigger"}}},
      {"c", {reversed}},    {"thrttle", {}},         {"d", {far, endless}},       {"d", {}},
      {"wheel", {{"quux"}}}};
  profile.ports[1].like = 7;
  profile.ports.push_back({9, "seat-9", "", {}, {}});
  profile.ports.push_back({1, "seat-9", "", {}, {}});
  profile.hotkeys.push_back({"pause", "start", "start", {}});
  CHECK_GOLDEN("plan-errors.txt", errors_of(profile) + "\n");
}

TEST_CASE("Errors that concern a whole profile", "[plan]") {
  Profile profile = kit_profile();
  SECTION("an unknown machine") {
    profile.system = "kitt";
    CHECK(errors_of(profile) == "no machine is called 'kitt' [unknown-system]\n  did you mean 'kit'?");
  }
  SECTION("a controller that the port does not accept") {
    profile.ports[0].controller = "mat";
    CHECK(errors_of(profile) ==
          "port 1: port 1 does not accept a controller 'mat' [unknown-controller]\n  expected one of: kit");
  }
  SECTION("a port without a seat") {
    profile.ports[1].seat.clear();
    CHECK(errors_of(profile) == "port 2: this port has no seat [no-seat]\n  add a seat, such as 'seat-1'");
  }
  SECTION("more than a plan can hold") {
    Use shaped{"south"};
    shaped.settings.set("long-press", Duration{1});
    shaped.settings.set("debounce", Duration{1});
    profile.ports[0].bind = {{"a", std::vector<Use>(3000, shaped)}};
    CHECK(errors_of(profile) ==
          "kit, default bindings: the profile has too many targets or sources [plan-too-large]\n"
          "  the limits are 512 targets, 2048 signals, 4096 sources and 1024 analog sources");
  }
}

TEST_CASE("'like' copies the bindings of another seat, and its own bindings override them", "[plan]") {
  Profile profile = kit_profile();
  profile.ports[0].bind = {{"a", {{"west"}}}, {"b", {{"north"}}}};
  profile.ports[1].like = 1;
  profile.ports[1].bind = {{"b", {{"home"}}}};
  const std::string listing = plan_of(kit_catalogue(), profile).listing();
  CHECK(listing.find("seat-2/west                  raises 2/a") != std::string::npos);
  CHECK(listing.find("seat-2/home                  raises 2/b") != std::string::npos);
  CHECK(listing.find("seat-2/north                 raises 2/b") == std::string::npos);
}

namespace {

Profile shipped_profile(const std::string& system) { return propose(built_in_catalogue(), system).value(); }

std::string shipped_errors(const Profile& profile) {
  const auto plan = compile(built_in_catalogue(), profile);
  std::string text;
  if (!plan)
    for (const Diagnostic& problem : plan.error()) text += problem.place + " " + problem.id + "; ";
  return text;
}

}  // namespace

TEST_CASE("A port that belongs to another program is not in the plan, and the others keep their numbers", "[plan]") {
  Profile profile = shipped_profile("pad-2b");
  profile.ports[0] = {};
  profile.ports[0].not_ours = true;
  const Plan plan = plan_of(built_in_catalogue(), profile);
  CHECK(plan.port(1) == nullptr);
  CHECK(plan.port(2)->seat == "seat-2");
  CHECK(plan.seats().size() == 1);
  profile.ports[0].seat = "seat-1";
  CHECK(shipped_errors(profile) == "port 1 not-ours; ");
  profile.ports[0].seat.clear();
  profile.ports[0].port = 9;
  CHECK(shipped_errors(profile) == "port 9 unknown-port; ");
}

TEST_CASE("An accessory's targets belong to the controller while it is plugged in", "[plan]") {
  Profile profile = shipped_profile("wand");
  CHECK_FALSE(plan_of(built_in_catalogue(), profile).target(1, "second-stick-x"));
  profile.ports[0].accessories = {"second-piece"};
  profile.ports[0].bind = {{"second-under", {{"home"}}}};
  const Plan plan = plan_of(built_in_catalogue(), profile);
  CHECK(plan.target(1, "second-stick-x"));
  CHECK(plan.target(1, "second-under"));
  CHECK_FALSE(plan.target(2, "second-under"));
  profile.ports[1].accessories = {"second-peice"};
  profile.ports[1].bind = {{"second-under", {{"home"}}}};
  CHECK(shipped_errors(profile) == "port 2 unknown-accessory; port 2 unknown-target; ");
}

TEST_CASE("Two paddles on one port belong to two players", "[plan]") {
  Profile profile = shipped_profile("paddle-pair");
  CHECK(profile.ports[1].seat == "seat-3");
  CHECK(profile.ports[1].second_seat == "seat-4");
  const Plan plan = plan_of(built_in_catalogue(), profile);
  CHECK(plan.seats().size() == 4);
  Engine engine{plan};
  Attachment knob;
  knob.controls = {{code::abs_x, ControlType::two_sided, "paddle", Axis::none, 0, 255, 128},
                   {code::btn_south, ControlType::button, "south"}};
  const auto sits = [&](const std::string& seat) {
    knob.seat = seat;
    return engine.attach(knob).value();
  };
  const UnitId first = sits("seat-1");
  const UnitId second = sits("seat-2");
  const std::vector<Change> turned{{code::abs_x, 255}, {code::btn_south, 1}};
  Reader game{engine};
  const auto sees = [&] {
    game.next_frame();
    std::string text;
    for (const char* target : {"first", "first-fire", "second", "second-fire"})
      text += std::to_string(game.port(1).native(*plan.target(1, target))) + " ";
    return text;
  };
  engine.feed(second, {at_us(1), turned});
  CHECK(sees() == "128 0 255 1 ");
  engine.feed(first, {at_us(2), turned});
  CHECK(sees() == "255 1 255 1 ");
  // With no player at the second paddle it stays at rest, and the first player does not move it.
  profile.ports[0].second_seat.clear();
  const std::string listing = plan_of(built_in_catalogue(), profile).listing();
  CHECK(listing.find("moves 1/first,") != std::string::npos);
  CHECK(listing.find("moves 1/second,") == std::string::npos);
  profile.ports[0].second_seat = "seat-1";
  CHECK(shipped_errors(profile) == "port 1 no-second-player; ");
  Profile pads = shipped_profile("pad-2b");
  pads.ports[0].second_seat = "sofa";
  CHECK(shipped_errors(pads) == "port 1 no-second-player; ");
}

TEST_CASE("A port that is 'like' another one stays complete when the two are swapped", "[plan]") {
  const auto listing = [](const Profile& p) { return plan_of(built_in_catalogue(), p).listing(); };
  const auto count = [](const std::string& text, const std::string& words) {
    int found = 0;
    for (std::size_t at = text.find(words); at != std::string::npos; at = text.find(words, at + 1)) ++found;
    return found;
  };
  const auto check_swap = [&](Profile profile, const std::string& words) {
    profile.ports[1].like = 1;
    const Profile swapped = with_ports_swapped(built_in_catalogue(), profile, 1, 2);
    CHECK(count(listing(profile), words) > 0);
    CHECK(count(listing(swapped), words) == count(listing(profile), words));
    CHECK(listing(with_ports_swapped(built_in_catalogue(), swapped, 1, 2)) == listing(profile));
  };
  Profile booth = shipped_profile("gun-booth");
  booth.ports[0].game_shots = {{0.25, 0.5}};
  booth.ports[0].bind = {{"aim-game-shots", {{"coin"}}}};
  check_swap(booth, "gives the next calibration shot");
  Profile pads = shipped_profile("pad-two-stick");
  pads.ports[0].game_dead_zone = 0.25;
  check_swap(pads, "anti-dead zone 0.25");
}

TEST_CASE("Swapped ports exchange seats, controllers and bindings, and release everything in one commit", "[plan]") {
  Profile profile = shipped_profile("stick-or-mouse");
  profile.ports[0].controller = "mouse-2b";
  profile.ports[1].bind = {{"fire", {{"west"}}}};
  profile.ports[2].like = 2;
  const Profile swapped = with_ports_swapped(built_in_catalogue(), profile, 1, 2);
  Engine engine{plan_of(built_in_catalogue(), profile)};
  const Plan after = plan_of(built_in_catalogue(), swapped);
  CHECK(after.port(1)->seat == "seat-2");
  CHECK(after.port(1)->controller == "stick-1b");
  CHECK(after.port(2)->controller == "mouse-2b");
  const UnitId pad = engine.attach(seated(panel(), "seat-2")).value();
  Reader game{engine};
  const auto pressed = [&](int port, const char* target) {
    const auto index = engine.plan().target(port, target);
    return index && game.port(port).pressed(*index);
  };
  const std::vector<Change> down{{code::abs_hat0x, 1}, {code::btn_west, 1}};
  engine.feed(pad, {at_us(1), down});
  game.next_frame();
  CHECK((pressed(2, "right") && pressed(2, "fire")));
  engine.adopt(after);
  game.next_frame();
  for (const char* target : {"right", "fire"}) CHECK_FALSE((pressed(1, target) || pressed(2, target)));
  const std::vector<Change> up{{code::abs_hat0x, 0}, {code::btn_west, 0}};
  engine.feed(pad, {at_us(2), up});
  engine.feed(pad, {at_us(3), down});
  game.next_frame();
  CHECK((pressed(1, "right") && pressed(1, "fire")));
  // Swapping twice restores the original, and a port that is 'like' another keeps its bindings.
  const auto listing = [](const Profile& p) { return plan_of(built_in_catalogue(), p).listing(); };
  CHECK(listing(with_ports_swapped(built_in_catalogue(), swapped, 1, 2)) == listing(profile));
  CHECK(with_ports_swapped(built_in_catalogue(), profile, 1, 9).ports[0].port == 1);
  // A port that does not accept the other's controller reports it.
  CHECK(shipped_errors(with_ports_swapped(built_in_catalogue(), profile, 1, 3)).find("port 3 unknown-controller") == 0);
}
