// What profiles compile to, and what is said of those that do not compile.
#include <catch2/catch.hpp>

#include "support/golden.hpp"
#include "support/units.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

Profile kit_profile() { return propose(kit_catalogue(), "kit").value(); }

/// All errors of a profile, as a person reads them.
std::string errors_of(const Profile& profile) {
  const auto plan = compile(kit_catalogue(), profile);
  std::string text;
  if (!plan)
    for (const Diagnostic& problem : plan.error()) text += (text.empty() ? "" : "\n") + to_text(problem);
  return text;
}

}  // namespace

TEST_CASE("each kind of binding compiles to its golden listing", "[plan]") {
  CHECK_GOLDEN("plan-pad-2b.txt", plan_of("pad-2b").listing());
  Profile profile = kit_profile();
  Use shaped{"south"};
  shaped.debounce = Duration{5000};
  shaped.hold = std::chrono::milliseconds{300};
  Use slow{"dpad"};
  slow.ramp = 4;
  Use firm{"left-stick"};
  firm.press_at = 0.7;
  firm.release_at = 0.6;
  profile.ports[0].bind = {
      {"directions", {firm}}, {"up", {{"north"}}}, {"a", {shaped}}, {"b", {}}, {"stick", {{"right-stick"}, slow}}};
  profile.ports[1].like = 1;
  CHECK_GOLDEN("plan-kit.txt", plan_of(kit_catalogue(), profile).listing());
}

TEST_CASE("a plan answers for its ports and targets", "[plan]") {
  const Plan plan = plan_of("pad-2b");
  CHECK(plan.ports().size() == 3);  // two, and the room's own
  CHECK(plan.target(1, "a") == plan.target(2, "a"));
  CHECK_FALSE(plan.target(1, "z"));
  CHECK_FALSE(plan.target(3, "a"));
  CHECK(plan.frame() == Duration{16'667});
  CHECK(shortest_press(plan) == Duration{20'000});
  CHECK(plan.seats().size() == 2);
}

TEST_CASE("every mistake is said at once, each with its place and what to do", "[plan]") {
  Profile profile = kit_profile();
  Use far{"south"};
  far.dead_zone = 1.5;
  Use reversed{"right-trigger"};
  reversed.release_at = 0.9;
  Use endless{"south"};
  endless.hold = std::chrono::hours{1};
  profile.ports[0].bind = {
      {"a", {{"sout"}}},    {"b", {{"left-stick"}}}, {"directions", {{"south"}}}, {"stick", {{"left-trigger"}}},
      {"c", {reversed}},    {"thrttle", {}},         {"d", {far, endless}},       {"d", {}},
      {"wheel", {{"quux"}}}};
  profile.ports[1].like = 7;
  profile.ports.push_back({9, "seat-9", "", {}, {}});
  profile.ports.push_back({1, "seat-9", "", {}, {}});
  profile.hot.push_back({"pause", "start", "start", {}});
  CHECK_GOLDEN("plan-errors.txt", errors_of(profile) + "\n");
}

TEST_CASE("errors of a whole profile", "[plan]") {
  Profile profile = kit_profile();
  SECTION("a machine that there is not") {
    profile.system = "kitt";
    CHECK(errors_of(profile) == "no machine is called 'kitt' [unknown-system]\n  did you mean 'kit'?");
  }
  SECTION("a controller that the port does not take") {
    profile.ports[0].controller = "mat";
    CHECK(errors_of(profile) ==
          "port 1: port 1 does not take a controller 'mat' [unknown-controller]\n  there are: kit");
  }
  SECTION("nobody plays a port") {
    profile.ports[1].seat.clear();
    CHECK(errors_of(profile) == "port 2: no seat plays this port [no-seat]\n  name a seat, such as 'seat-1'");
  }
  SECTION("more than a plan may hold") {
    Use shaped{"south"};
    shaped.hold = Duration{1};
    shaped.debounce = Duration{1};
    profile.ports[0].bind = {{"a", std::vector<Use>(3000, shaped)}};
    CHECK(errors_of(profile) ==
          "kit, as proposed: the profile has more controls or sources than a plan may hold [plan-too-large]\n"
          "  at most 512 controls and 2048 signals");
  }
}

TEST_CASE("like gives the same map to another seat, and own bindings lie over it", "[plan]") {
  Profile profile = kit_profile();
  profile.ports[0].bind = {{"a", {{"west"}}}, {"b", {{"north"}}}};
  profile.ports[1].like = 1;
  profile.ports[1].bind = {{"b", {{"home"}}}};
  const std::string listing = plan_of(kit_catalogue(), profile).listing();
  CHECK(listing.find("seat-2/west                  raises 2/a") != std::string::npos);
  CHECK(listing.find("seat-2/home                  raises 2/b") != std::string::npos);
  CHECK(listing.find("seat-2/north                 raises 2/b") == std::string::npos);
}
