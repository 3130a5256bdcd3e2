// A user calibrates guns: patiently, with slips, and with another gun in the room.
#include <catch2/catch.hpp>

#include <cmath>
#include <random>

#include "omnipar/omnipar.hpp"
#include "omnipar/sheets.hpp"

using namespace omnipar;
using Kind = AimingEvent::Kind;
using Why = AimingRefusal;

namespace {

/// Two guns of one model in front of a screen; each reports its aim 125 times a second, but like a real one only
/// changes.
class Shooter {
 public:
  explicit Shooter(AimingOptions options = {}, bool two = true) : guide{with_screen(std::move(options))} {
    for (int gun = 0; gun < (two ? 2 : 1); ++gun) guide.meet(gun, name(gun), attachment());
    guide.advance(now);
  }

  static std::string name(int gun) { return gun == 0 ? "Left Gun" : "Right Gun"; }
  static Attachment attachment() {
    Attachment unit;
    for (const auto& [number, axis] : {std::pair{0, Axis::x}, std::pair{1, Axis::y}})
      unit.controls.push_back(
          {absolute(static_cast<std::uint16_t>(number)), ControlType::pointer, "gun", axis, 0, 65535, 0});
    unit.controls.push_back({key(0x110), ControlType::button, "trigger"});
    unit.controls.push_back({key(0x112), ControlType::button, "off-screen"});
    return unit;
  }

  /// Aims there for this duration.
  void aim(AreaPoint at, int ms = 400, int gun = 0) {
    std::normal_distribution<double> shake{0, noise};
    for (int i = 0; i < ms; i += 8) {
      now += Duration{8'000};
      const std::int32_t x = raw(0.1 + 0.8 * (at.x + shake(dice))), y = raw(0.05 + 0.85 * (at.y + shake(dice)));
      if (!silent) say({{absolute(0), x}, {absolute(1), y}}, gun);
    }
  }
  void go(AreaPoint from, AreaPoint to, int ms, int gun = 0) {
    for (int i = 0; i < ms; i += 8) {
      const double part = double(i) / ms;
      aim({from.x + (to.x - from.x) * part, from.y + (to.y - from.y) * part}, 8, gun);
    }
  }
  void pull(int gun = 0, int held_ms = 80) {
    say({{key(0x110), 1}}, gun);
    now += Duration{held_ms * 1000};
    guide.advance(now);
    say({{key(0x110), 0}}, gun);
    now += Duration{320'000};
    guide.advance(now);
  }
  void shoot(AreaPoint at, int gun = 0) {
    aim(at, 400, gun);
    pull(gun);
  }
  /// At the requested point, with this offset.
  void shoot_target(double off_x = 0, double off_y = 0) {
    const AreaPoint at = guide.target().value();
    shoot({at.x + off_x, at.y + off_y});
  }
  void test() {
    shoot({0.5, 0.5});
    const AreaPoint corners[] = {{0.02, 0.02}, {0.98, 0.02}, {0.98, 0.98}, {0.02, 0.98}, {0.02, 0.02}};
    for (int i = 0; i < 4; ++i) go(corners[i], corners[i + 1], 600);
    pull();
  }

  /// What was reported since: rejections by name, shots as '.', other things as letters.
  std::string story() {
    std::string all;
    while (const auto event = guide.next_event()) {
      const std::string text = to_text(*event, guide);
      if (event->kind == Kind::rejects || event->kind == Kind::asks) CHECK_FALSE(text.empty());
      CHECK(text.find("{}") == std::string::npos);
      if (event->kind == Kind::rejects) all += " refuses" + std::to_string(static_cast<int>(event->why));
      if (event->kind == Kind::accepts) all += event->notes.empty() ? "." : ",";
      if (event->kind == Kind::tested) all += "T";
      if (event->kind == Kind::fits) all += "F";
      if (event->kind == Kind::ends) all += "E";
    }
    return all;
  }
  static std::string refused(Why why) { return " refuses" + std::to_string(static_cast<int>(why)); }

  void say(const std::vector<Change>& changes, int gun = 0) { guide.feed(gun == 0 ? node : gun, {now, changes}); }

  Aiming guide;
  Time now = at_us(1'000'000);
  std::mt19937 dice{12};
  double noise = 0.003;
  bool silent = false;
  int node = 0;  ///< of the first gun

 private:
  static AimingOptions with_screen(AimingOptions options) {
    options.screen = {"booth", 1920, 1080};
    return options;
  }
  static std::int32_t raw(double part) { return static_cast<std::int32_t>(std::lround(part * 65535)); }
};

AimingOptions without_test(int shots = 5) {
  AimingOptions options;
  options.shots = shots;
  options.test = false;
  options.unit = "Left Gun";
  return options;
}

}  // namespace

TEST_CASE("A gun is calibrated with its trigger alone and hits where it is aimed", "[gun]") {
  Shooter shooter;
  CHECK(shooter.guide.step() == AimingStep::who);
  shooter.shoot({0.5, 0.5});  // this one
  CHECK(shooter.guide.unit() == "Left Gun");
  shooter.test();
  CHECK(shooter.story() == "T");
  for (int i = 1; i <= 5; ++i) {
    CHECK(shooter.guide.step() == AimingStep::shot);
    CHECK(shooter.guide.number() == i);
    shooter.shoot_target();
  }
  CHECK(shooter.story() == ".....F");
  CHECK(shooter.guide.step() == AimingStep::done);
  shooter.aim({0.25, 0.75}, 8);
  CHECK(std::hypot(shooter.guide.pointed()->x - 0.25, shooter.guide.pointed()->y - 0.75) < 0.02);
  shooter.pull();
  CHECK(shooter.story() == "E");
  CHECK(shooter.guide.kept());
  const AimCalibration aim = shooter.guide.found().aims.at(0);
  CHECK(aim.screen == "booth");
  CHECK(aim.shots == 5);
  for (const AreaPoint at : {AreaPoint{0, 0}, AreaPoint{1, 0.5}, AreaPoint{0.3, 1}}) {
    const auto to = aimed(aim, {65535 * (0.1 + 0.8 * at.x), 65535 * (0.05 + 0.85 * at.y)});
    CHECK(std::hypot(to->x - at.x, (to->y - at.y) * 0.5625) < 0.005);
  }
  Calibration kept{"Left Gun", {}, {}};
  kept = merged(kept, shooter.guide.found());
  kept = merged(kept, shooter.guide.found());  // again: it replaces the old one
  CHECK(kept.aims.size() == 1);
  const Sheets again = read_sheets("t.toml", to_toml(kept));
  REQUIRE(again.problems.empty());
  CHECK(again.rig.calibrations.at(0) == kept);
}

TEST_CASE("Each fault is named, and only the affected step is repeated", "[gun]") {
  Shooter shooter{without_test()};
  CHECK(shooter.story().empty());
  shooter.shoot_target();
  shooter.shoot({0.9, 0.9}, 1);  // the other gun
  CHECK(shooter.story() == "." + Shooter::refused(Why::other_gun));
  CHECK(shooter.guide.number() == 2);
  shooter.say({{key(0x112), 1}});  // it does not see the screen
  shooter.shoot_target();
  shooter.say({{key(0x112), 0}});
  CHECK(shooter.story() == Shooter::refused(Why::missed));
  CHECK(shooter.guide.number() == 2);
  shooter.shoot_target();
  shooter.shoot({0.1, 0.1});  // the same place as the one before
  shooter.shoot_target();
  shooter.shoot_target();
  CHECK(shooter.story() == "...." + Shooter::refused(Why::equal));
  CHECK(shooter.guide.number() == 3);  // the later of the two
  shooter.shoot_target();
  CHECK(shooter.story() == ".F");
  shooter.pull(0, 2200);  // held: restart from the first shot
  CHECK(shooter.guide.number() == 1);
  CHECK_FALSE(shooter.guide.over());
}

TEST_CASE("With nine shots a bad one is repeated; with five a sixth identifies it", "[gun]") {
  Shooter nine{without_test(9)};
  for (int i = 0; i < 9; ++i) nine.shoot_target(i == 4 ? 0.05 : 0, 0);
  CHECK(nine.story() == "........." + Shooter::refused(Why::bad_shot));
  CHECK(nine.guide.number() == 5);
  nine.shoot_target();
  CHECK(nine.story() == ".F");
  Shooter five{without_test()};
  for (int i = 0; i < 5; ++i) five.shoot_target(0, i == 2 ? 0.25 : 0);
  CHECK(five.story() == "....." + Shooter::refused(Why::doubtful));
  CHECK(five.guide.number() == 6);
  five.shoot_target();
  CHECK(five.story() == "." + Shooter::refused(Why::bad_shot));
  CHECK(five.guide.number() == 3);
  five.shoot_target();
  CHECK(five.story() == ".F");
}

TEST_CASE("A check of where shots land does not ask whether to save", "[gun]") {
  AimingOptions options = without_test(3);
  options.keeps = false;
  Shooter shooter{options};
  for (int i = 0; i < 3; ++i) shooter.shoot_target();
  CHECK(shooter.story() == "...E");
  CHECK(shooter.guide.over());
  CHECK_FALSE(shooter.guide.kept());
  CHECK(shooter.guide.shots().size() == 3);
}

TEST_CASE("A gun that loses sight of the screen loses it once, for any duration", "[gun]") {
  Shooter shooter{AimingOptions{}, false};
  shooter.shoot({0.5, 0.5});
  shooter.go({0.1, 0.1}, {0.9, 0.1}, 300);
  shooter.say({{key(0x112), 1}});
  shooter.go({0.9, 0.1}, {0.9, 0.9}, 300);
  shooter.say({{key(0x112), 0}});
  shooter.go({0.9, 0.9}, {0.1, 0.9}, 300);
  shooter.pull();
  std::string said;
  while (const auto event = shooter.guide.next_event()) said += to_text(*event, shooter.guide) + "\n";
  CHECK(said.find("lost sight of the screen once") != std::string::npos);
}

TEST_CASE("The spread of a shot is that of its readings", "[gun]") {
  Shooter shooter{without_test()};
  const AreaPoint target = shooter.guide.target().value();
  const auto raw = static_cast<std::int32_t>(65535 * target.x);
  for (int i = 0; i < 100; ++i) {  // equally far to both sides, one reading every 4 ms
    shooter.now += Duration{4'000};
    shooter.say({{absolute(0), raw + (i % 2 == 0 ? 100 : -100)}, {absolute(1), 30'000}});
  }
  shooter.pull();
  const Shot shot = shooter.guide.shots().at(0);
  constexpr double readings = 63;
  double mean = 0;
  for (int i = 0; i < 63; ++i) mean += (i % 2 == 0 ? -100 : 100) / readings;
  double squares = 0;
  for (int i = 0; i < 63; ++i) squares += std::pow((i % 2 == 0 ? -100 : 100) - mean, 2);
  CHECK(shot.spread.x == Approx(std::sqrt(squares / (readings - 1))).epsilon(1e-4));
  CHECK(shot.spread.y == 0);
  CHECK(shot.step.x == 200);
  CHECK(shot.raw.x == Approx(raw).margin(4));
}

TEST_CASE("A gun whose range ends before the screen edge is reported", "[gun]") {
  Shooter shooter{AimingOptions{}, false};
  shooter.shoot({0.5, 0.5});
  for (int i = 0; i < 40; ++i) {
    shooter.now += Duration{8'000};
    shooter.say({{absolute(0), 1000 + 1500 * i}, {absolute(1), i < 20 ? 65535 : 100 + i}});
  }
  shooter.pull();
  std::string said;
  while (const auto event = shooter.guide.next_event()) said += to_text(*event, shooter.guide) + "\n";
  CHECK(said.find("the end of its range along an edge") != std::string::npos);
}

TEST_CASE("A reconnected gun continues with the same shot; an invalid number of shots means five", "[gun]") {
  Shooter shooter{without_test(7)};
  CHECK(shooter.guide.count() == 5);
  for (int i = 0; i < 3; ++i) shooter.shoot_target();
  shooter.guide.lose(0);
  CHECK(shooter.guide.guns() == std::vector<std::string>{"Right Gun"});
  shooter.shoot({0.5, 0.5});                                 // not received
  shooter.guide.meet(7, "Left Gun", Shooter::attachment());  // a different number now
  CHECK(shooter.guide.number() == 4);
  shooter.node = 7;
  shooter.shoot_target();
  shooter.shoot_target();
  CHECK(shooter.story() == ".....F");
}

TEST_CASE("A silent gun is rejected; one that reports only changes is read by time", "[gun]") {
  Shooter silent{without_test()};
  silent.silent = true;
  silent.shoot({0.5, 0.5});
  CHECK(silent.story() == Shooter::refused(Why::silent));
  CHECK(silent.guide.number() == 1);
  silent.silent = false;
  const AreaPoint target = silent.guide.target().value();
  silent.noise = 0;
  silent.go({target.x - 0.3, target.y - 0.3}, target, 400);
  silent.aim(target, 8);
  silent.silent = true;
  silent.aim(target, 300);  // it does not move, so it has nothing to report
  silent.silent = false;
  silent.pull();
  CHECK(silent.story() == ".");
  CHECK(silent.guide.shots().at(0).raw.x == Approx(65535 * (0.1 + 0.8 * target.x)).margin(60));
  CHECK(silent.guide.shots().at(0).reports == 1);
}

TEST_CASE("A gun that moves while it is fired is asked twice to hold still, then gets a wider bound", "[gun]") {
  const auto shoot_moving = [](Shooter& shooter) {
    const AreaPoint at = shooter.guide.target().value();
    shooter.go({at.x - 0.06, at.y}, at, 300);  // 0.2 widths per second
    shooter.pull();
  };
  Shooter swinging{without_test()};
  swinging.noise = 0.0005;
  shoot_moving(swinging);
  shoot_moving(swinging);
  CHECK(swinging.story() == Shooter::refused(Why::moving) + Shooter::refused(Why::moving));
  CHECK(swinging.guide.number() == 1);
  for (int i = 0; i < 5; ++i) {
    if (i > 0) shoot_moving(swinging), shoot_moving(swinging);
    shoot_moving(swinging);
  }
  CHECK(swinging.guide.step() == AimingStep::done);
  CHECK(swinging.story().find(",") != std::string::npos);
  Shooter still{without_test()};
  for (int i = 0; i < 5; ++i) still.shoot_target();
  CHECK(swinging.guide.fit()->aim.bound > still.guide.fit()->aim.bound + 0.005);
  Shooter quick{without_test()};  // stopping a tenth of a second before the pull is enough
  const AreaPoint at = quick.guide.target().value();
  quick.go({at.x - 0.06, at.y}, at, 300);
  quick.aim(at, 120);
  quick.pull();
  CHECK(quick.story() == ".");
}

TEST_CASE("A fit with one bad shot can be saved, by the trigger or by a key", "[gun]") {
  for (const bool by_trigger : {true, false}) {
    Shooter shooter{without_test(9)};
    for (int i = 0; i < 9; ++i) shooter.shoot_target(i == 4 ? 0.2 : 0, 0);
    CHECK(shooter.story() == "........." + Shooter::refused(Why::bad_shot));
    if (by_trigger)
      shooter.pull(0, 2100);
    else
      shooter.guide.choose(AimingChoice::keep);
    CHECK(shooter.story() == "E");
    REQUIRE(shooter.guide.kept());
    CHECK(shooter.guide.found().aims.at(0).bound > 0.02);  // which reports it
    CHECK(shooter.guide.shots().size() == 9);
  }
}

TEST_CASE("A positional gun is swept one axis at a time; a wobble and a repeated axis are rejected", "[gun]") {
  AimingOptions options = without_test();
  options.sweeps = true;
  Shooter shooter{options};
  shooter.noise = 0.001;
  shooter.go({0, 0.1}, {1, 0.9}, 1000);  // both at once
  shooter.pull();
  CHECK(shooter.story() == Shooter::refused(Why::wobble));
  shooter.pull();
  CHECK(shooter.story() == Shooter::refused(Why::not_swept));
  shooter.go({0, 0.5}, {1, 0.5}, 1000);
  shooter.pull();
  CHECK(shooter.guide.step() == AimingStep::down);
  shooter.go({0, 0.5}, {1, 0.5}, 1000);
  shooter.pull();
  CHECK(shooter.story() == Shooter::refused(Why::same_axis));
  shooter.go({0.5, 0}, {0.5, 1}, 1000);
  shooter.pull();
  CHECK(shooter.story() == "F");
  shooter.pull();
  REQUIRE(shooter.guide.kept());
  const AimCalibration aim = shooter.guide.found().aims.at(0);
  const auto middle = aimed(aim, {65535 * 0.5, 65535 * 0.475});
  CHECK(std::hypot(middle->x - 0.5, middle->y - 0.5) < 0.02);
  CHECK(aim.shots == 0);
}

TEST_CASE("For any choices, connections and orders, the guide ends or asks again", "[gun]") {
  std::mt19937 dice{99};
  for (int story = 0; story < 300; ++story) {
    Shooter shooter{story % 3 == 0 ? AimingOptions{} : without_test(story % 2 == 0 ? 5 : 2), story % 5 != 0};
    std::uniform_real_distribution<double> any;
    for (int act = 0; act < 40 && !shooter.guide.over(); ++act) {
      switch (dice() % 8) {
        case 0:
          shooter.guide.choose(static_cast<AimingChoice>(dice() % 4));
          break;
        case 1:
          shooter.guide.lose(static_cast<int>(dice() % 2));
          break;
        case 2:
          shooter.guide.meet(0, "Left Gun", Shooter::attachment());
          break;
        case 3:
          shooter.pull(static_cast<int>(dice() % 2), dice() % 4 == 0 ? 2100 : 60);
          break;
        case 4:
          shooter.guide.advance(shooter.now += Duration{static_cast<std::int64_t>(dice() % 2'000'000)});
          break;
        default:
          if (const auto target = shooter.guide.target(); target && dice() % 4 != 0)
            shooter.shoot(*target, 0);
          else
            shooter.shoot({any(dice), any(dice)}, static_cast<int>(dice() % 2));
      }
      shooter.story();
    }
    if (shooter.guide.over()) {
      if (shooter.guide.kept()) CHECK(shooter.guide.found().aims.size() == 1);
      continue;
    }
    // Whatever has happened so far, patience from here on leads to a result.
    for (int gun = 0; gun < 2; ++gun) shooter.guide.meet(gun, Shooter::name(gun), Shooter::attachment());
    shooter.say({{key(0x110), 0}});
    shooter.now += Duration{500'000};
    if (shooter.guide.step() == AimingStep::who) shooter.shoot({0.5, 0.5});
    if (shooter.guide.unit() == Shooter::name(1)) continue;  // the other gun's
    shooter.guide.choose(AimingChoice::again);
    for (int shot = 0; shot < 12 && shooter.guide.step() == AimingStep::shot; ++shot) shooter.shoot_target();
    CHECK(shooter.guide.step() == AimingStep::done);
    CHECK(shooter.guide.fit().has_value());
  }
}
