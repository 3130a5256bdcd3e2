// Stories generated from bytes: units, profiles of all shipped machines, and what happens to them.
#include <algorithm>
#include <random>
#include <stdexcept>
#include <tuple>

#include <fmt/format.h>

#include "base/gun_roles.hpp"
#include "byte_dice.hpp"
#include "judged.hpp"
#include "support/random_stages.hpp"
#include "support/units.hpp"

namespace omnipar::test {
namespace {

/// Plugs every accessory into each controller that accepts it.
void equip(Profile& profile) {
  const SystemSheet& system = *story_catalogue().system(profile.system);
  for (PortProfile& port : profile.ports) {
    const ControllerSheet& sheet = *system.controller(system.port(port.port)->takes.front());
    for (const AccessorySheet& accessory : sheet.accessories) port.accessories.push_back(accessory.name);
  }
}

Profile one_seat_for_all(Profile profile) {
  for (PortProfile& port : profile.ports) {
    port.seat = "seat-1";
    if (!port.second_seat.empty()) port.second_seat = "seat-2";
  }
  return profile;
}

Control axis(Code code, ControlType type, std::string role, Axis half, std::int32_t low, std::int32_t high,
             std::int32_t rest) {
  return {code, type, std::move(role), half, low, high, rest};
}

/// The same from its other end.
Control backwards(Control control) {
  control.reversed = true;
  return control;
}

/// A stick that is not self-centering and another one of the same role, with keys and a trigger that is a switch.
Attachment still_stick() {
  Attachment unit;
  unit.unit = "Marrowby Still Stick";
  unit.controls = {axis(code::abs_x, ControlType::two_sided, "left-stick", Axis::x, 20, 230, 117),
                   axis(code::abs_y, ControlType::two_sided, "left-stick", Axis::y, 0, 255, 128),
                   {key(0x120), ControlType::button, "south"},
                   {key(0x121), ControlType::button, "right-trigger"},
                   {key(2), ControlType::button, "key-1"},
                   {key(3), ControlType::button, "key-2"},
                   {code::btn_dpad_left, ControlType::button, "dpad-left"},
                   {code::btn_dpad_right, ControlType::button, "dpad-right"},
                   axis(absolute(6), ControlType::two_sided, "left-stick", Axis::x, 0, 255, 128),
                   backwards(axis(absolute(7), ControlType::two_sided, "left-stick", Axis::y, 0, 255, 128))};
  return unit;
}

/// A wheel, two paddles, a pedal that rests at its upper end, and two buttons of one role.
Attachment wheel() {
  Attachment unit;
  unit.unit = "Marrowby Wheel";
  unit.controls = {axis(code::abs_x, ControlType::two_sided, "wheel", Axis::none, 0, 1023, 500),
                   axis(code::abs_rx, ControlType::two_sided, "paddle", Axis::none, 0, 255, 128),
                   axis(code::abs_z, ControlType::one_sided, "pedal", Axis::none, 0, 255, 255),
                   axis(code::abs_rz, ControlType::one_sided, "right-trigger", Axis::none, 0, 255, 0),
                   {key(0x120), ControlType::button, "south"},
                   {key(0x121), ControlType::button, "south"},
                   {key(0x122), ControlType::button, "coin"},
                   backwards(axis(code::abs_ry, ControlType::two_sided, "paddle", Axis::none, 0, 255, 100))};
  return unit;
}

/// A mouse with a wheel.
Attachment mouse() {
  Attachment unit;
  unit.unit = "Marrowby Mouse";
  unit.controls = {axis(relative(0), ControlType::counts, "mouse", Axis::x, 0, 0, 0),
                   axis(relative(1), ControlType::counts, "mouse", Axis::y, 0, 0, 0),
                   axis(relative(8), ControlType::counts, "mouse-wheel", Axis::none, 0, 0, 0),
                   {key(0x110), ControlType::button, "mouse-left"},
                   {key(0x111), ControlType::button, "mouse-right"}};
  return unit;
}

/// A gun that sees the screen or does not, with a range smaller than its declared one, and with a stick and a touch
/// pad.
Attachment gun() {
  Attachment unit;
  unit.unit = "Marrowby Gun";
  Control beside{key(0x112), ControlType::button, "trigger"};
  beside.off_screen = true;
  unit.controls = {axis(code::abs_x, ControlType::pointer, "gun", Axis::x, 100, 900, 500),
                   axis(code::abs_y, ControlType::pointer, "gun", Axis::y, 0, 1000, 500),
                   {key(0x110), ControlType::button, "trigger"},
                   {key(0x111), ControlType::button, "off-screen"},
                   beside,
                   axis(absolute(0x35), ControlType::pointer, "touch", Axis::x, 0, 4095, 2048),
                   axis(absolute(0x36), ControlType::pointer, "touch", Axis::y, 0, 4095, 2048),
                   axis(code::abs_rx, ControlType::two_sided, "right-stick", Axis::x, 0, 255, 128),
                   axis(code::abs_ry, ControlType::two_sided, "right-stick", Axis::y, 0, 255, 128),
                   axis(absolute(0x37), ControlType::pointer, "gun", Axis::x, 0, 255, 128),
                   backwards(axis(absolute(0x38), ControlType::pointer, "gun", Axis::y, 0, 255, 128))};
  return unit;
}

/// It was calibrated on both screens, each seen from the side.
Attachment fitted_gun() {
  Attachment unit = gun();
  AimCalibration wide{"wide", code::abs_x, code::abs_y, {{{150, 60}, {840, 90}, {880, 930}, {120, 900}}}};
  AimCalibration high{"high", code::abs_x, code::abs_y, {{{820, 950}, {830, 120}, {240, 60}, {200, 960}}}};
  unit.aims = {wide, high};
  return unit;
}

/// A panel whose lever is mounted upside down.
Attachment turned_panel() {
  Attachment unit = seated(panel(), "");
  for (Control& control : unit.controls) control.reversed = control.type == ControlType::hat;
  return unit;
}

/// All its counts are reversed.
Attachment turned_ball() {
  Attachment unit = trackball("");
  for (Control& control : unit.controls) control.reversed = control.type == ControlType::counts;
  return unit;
}

/// Two pedals on one axis, which rests between them, and a wheel.
Attachment pedals_on_one_axis() {
  Attachment unit;
  unit.unit = "Marrowby Kart Wheel";
  unit.controls = {axis(code::abs_x, ControlType::two_sided, "wheel", Axis::none, 0, 1023, 512),
                   axis(code::abs_y, ControlType::one_sided, "right-trigger", Axis::none, 0, 120, 120),
                   axis(code::abs_y, ControlType::one_sided, "left-trigger", Axis::none, 120, 255, 120),
                   {code::btn_south, ControlType::button, "south"}};
  for (Control& control : unit.controls) control.half = control.code == code::abs_y;
  return unit;
}

/// Both sticks of a pad are worn, one is mounted askew, and its trigger is nonlinear.
Attachment measured_pad() {
  Attachment unit = seated(plain_pad(), "");
  StickCalibration left{code::abs_x, code::abs_y, {900, -700}, {26000, 24000}, 7};
  left.edge = {{28000, -25000}, {24000, 23000}, {-25500, 26000}, {-27000, -21000}};
  left.measured.count = 500;
  left.measured.noise = 1500;
  StickCalibration right{code::abs_rx, code::abs_ry, {0, 0}, {30000, 30000}};
  right.edge = {{30000, 0}, {21213, 21213}, {0, 30000}, {-21213, 21213}, {-30000, 0}, {0, -30000}};
  unit.sticks = {left, right};
  unit.controls.front().reversed = true;
  AxisCalibration trigger{code::abs_z, 0, 255, 0};
  trigger.marks = {{60, 0.4}, {200, 0.6}};
  trigger.measured.count = 100;
  trigger.measured.noise = 4;
  unit.axes = {trigger};
  return unit;
}

Attachment by_use(Attachment unit) {
  unit.ranges_by_use = true;
  return unit;
}

/// One axis is calibrated; the range of the other is learned while playing.
Attachment half_kept(Attachment unit) {
  unit.axes = {{code::abs_x, 30, 220, 120}};
  for (Control& control : unit.controls)
    if (control.code == code::abs_x)
      std::tie(control.minimum, control.maximum, control.rest) = std::tuple{30, 220, 120};
  return unit;
}

const std::vector<Attachment>& story_units() {
  static const std::vector<Attachment> all{seated(plain_pad(), ""),
                                           measured_pad(),
                                           turned_panel(),
                                           half_kept(by_use(seated(old_stick(), ""))),
                                           trackball(""),
                                           still_stick(),
                                           by_use(wheel()),
                                           mouse(),
                                           gun(),
                                           fitted_gun(),
                                           turned_ball(),
                                           pedals_on_one_axis(),
                                           by_use(pedals_on_one_axis()),
                                           seated(numbered_pad(), "")};
  return all;
}

}  // namespace

const Catalogue& story_catalogue() {
  static const Catalogue all = [] {
    Catalogue catalogue = built_in_catalogue();
    catalogue.systems.push_back(kit_system());
    catalogue.screens = {{"wide", 1920, 1080}, {"high", 1080, 1920, 1920, 0}};
    TargetSheet& stick = catalogue.systems.back().controllers[0].targets[4];
    stick.gate = TargetGate::octagon;
    return catalogue;
  }();
  return all;
}

bool can_shoot(const ControllerSheet& sheet) {
  const auto points = [](const TargetSheet& target) { return target.kind == TargetKind::pointer; };
  const auto fires = [](const TargetSheet& target) { return base::is_trigger(target.place); };
  return std::ranges::any_of(sheet.targets, points) && std::ranges::any_of(sheet.targets, fires);
}

Profile shaped_profile() {
  Profile profile = propose(story_catalogue(), "kit").value();
  profile.hotkeys[0].after = std::chrono::milliseconds{3};
  Use bouncing{"south"};
  bouncing.settings.set("debounce", std::chrono::microseconds{1500});
  Use long_press{"east"};
  long_press.settings.set("long-press", std::chrono::milliseconds{2});
  Use both{"west"};
  both.settings.set("debounce", std::chrono::microseconds{700});
  both.settings.set("long-press", std::chrono::microseconds{1100});
  Use slow_pedal{"left-shoulder"};
  slow_pedal.settings.set("ramp", 200);
  Use slow_dpad{"dpad"};
  slow_dpad.settings.set("ramp", 130);
  slow_dpad.settings.set("debounce", std::chrono::microseconds{400});
  Use any_push{"right-trigger"};
  any_push.settings.set("threshold", 0.2);
  any_push.settings.set("release", 0);
  Use bouncing_dpad{"dpad"};
  bouncing_dpad.settings.set("debounce", std::chrono::milliseconds{12});
  Use bouncing_stick{"right-stick"};
  bouncing_stick.settings.set("debounce", std::chrono::milliseconds{3});
  profile.ports[0].bind = {{"a", {bouncing, long_press}},
                           {"b", {both, {"north"}}},
                           {"c", {any_push}},
                           {"up", {{"dpad-up"}, {"right-stick-up"}}},
                           {"directions", {bouncing_dpad, bouncing_stick}},
                           {"stick", {{"left-stick"}, slow_dpad}},
                           {"throttle", {{"left-trigger"}, slow_pedal}},
                           {"pedal", {slow_pedal, {"right-trigger"}}},
                           {"d", {}}};
  profile.ports[0].opposites = Opposites::last;
  profile.ports[1].opposites = Opposites::neutral;
  profile.ports[1].like = 1;
  profile.ports[1].seat = "seat-1";  // one seat plays both ports
  profile.ports[1].bind = {{"directions", {{"left-stick"}}}, {"left", {{"west"}}}};
  return profile;
}

namespace {

/// A screen and an area, as text.
void place_game(Profile& profile, std::size_t which, std::size_t screen) {
  constexpr std::array areas{"4:3", "full", "4:3, cut 4%", "3:4, turned right, within 10% 5% 90% 95%",
                             "whole multiples of 320x240, cut 2%, turned upside down"};
  if (which >= areas.size()) return;
  profile.area = areas.at(which);
  profile.screen = screen == 0 ? "wide" : "high";
}

/// Every target of every port keeps its proposed source, with random stages.
Profile with_random_stages(Profile profile, unsigned seed) {
  std::mt19937 dice{seed};
  const SystemSheet& system = *story_catalogue().system(profile.system);
  place_game(profile, seed % 6, seed % 2);
  for (PortProfile& port : profile.ports) {
    const ControllerSheet& sheet = *system.controller(system.port(port.port)->takes.front());
    const auto bind = [&](const std::string& target, const std::vector<std::string>& roles) {
      Binding binding{target, {}};
      for (const std::string& role : roles) {
        Use use{role};
        constexpr double longest = 3000;
        set_at_random(use, dice, longest);
        binding.uses.push_back(use);
      }
      port.bind.push_back(binding);
    };
    if (sheet.directions) port.opposites = static_cast<Opposites>(dice() % 3);
    if (sheet.directions) bind("directions", sheet.default_directions);
    for (const TargetSheet& target : sheet.targets) {
      std::vector<std::string> roles = target.defaults;
      if (target.kind == TargetKind::one_sided) roles.insert(roles.end(), {"wheel", "right-stick-up"});
      if (target.kind == TargetKind::two_sided) roles.insert(roles.end(), {"left-stick", "left-trigger", "pedal"});
      bind(target.name, roles);
      if (target.kind == TargetKind::pointer && can_shoot(sheet) && dice() % 2 == 0) {
        bind(target.name + "-centre", {"right-stick-press"});
        bind(target.name + "-reload", {"east", "right-shoulder"});
        bind(target.name + "-off-screen", {"left-shoulder"});
        bind(target.name + "-game-shots", {"west"});
        port.game_shots = {{0.1, 0.1}, {0.9, 0.1}, {0.5, 0.875}};
      }
    }
  }
  return profile;
}

}  // namespace

const std::vector<Profile>& story_profiles() {
  static const std::vector<Profile> all = [] {
    std::vector<Profile> profiles{shaped_profile()};
    for (const SystemSheet& system : story_catalogue().systems) {
      Profile profile = propose(story_catalogue(), system.name).value();
      equip(profile);
      profiles.push_back(one_seat_for_all(profile));
      profiles.push_back(with_random_stages(profile, static_cast<unsigned>(profiles.size())));
      profiles.push_back(std::move(profile));
    }
    return profiles;
  }();
  return all;
}

std::vector<Profile> booth_profiles() {
  Use gun{"gun"}, finger{"touch"}, stick{"right-stick"}, lever{"dpad"}, ball{"mouse"};
  gun.settings.set("hold-aim", std::chrono::milliseconds{4});
  gun.settings.set("edge-margin", 0.05);
  finger.settings.set("invert-y", 1);
  stick.settings.set("glide", 0);
  stick.settings.set("beyond", 0.2);
  lever.settings.set("glide", 20);
  ball.settings.set("beyond", 0.1);
  Use fast{"east"};
  fast.settings.set("autofire", 100);
  std::vector<Profile> all;
  for (std::size_t place = 0; place < 6; ++place) {
    Profile profile = propose(story_catalogue(), "gun-booth").value();
    place_game(profile, place, place % 2);
    profile.ports[0].game_shots = {{0.1, 0.25}, {0.9, 0.1}, {0.5, 0.875}};
    profile.ports[0].bind = {
        {"aim", {gun, finger, stick, lever, ball}},      {"aim-centre", {{"south"}}},
        {"aim-reload", {{"mouse-right"}, {"start"}}},    {"aim-off-screen", {{"west"}}},
        {"aim-game-shots", {{"mouse-left"}, {"north"}}}, {"trigger", {{"trigger"}, {"right-trigger"}, fast}}};
    profile.ports[1].like = 1;
    if (place % 3 == 1) profile.ports[1].seat = profile.ports[0].seat;
    all.push_back(std::move(profile));
  }
  return all;
}

// -- from bytes ---------------------------------------------------------------------------------------------

namespace {
class Story : ByteDice {
 public:
  explicit Story(std::span<const std::uint8_t> bytes, std::optional<Profile> own = {})
      : ByteDice(bytes), own_(std::move(own)) {}

  void play() {
    Judged both{profile()};
    while (!rest().empty()) act(both);
    both.look_by_all();
  }

 private:
  Profile profile() {
    if (own_ && below(4) != 3) return *own_;
    Profile profile = story_profiles()[below(story_profiles().size())];
    if (below(4) != 0) return profile;
    Profile swapped = with_ports_swapped(story_catalogue(), profile, 1, 2);
    return compile(story_catalogue(), swapped) ? swapped : profile;
  }

  std::vector<Change> changes(std::size_t unit) {
    const std::vector<Control>& controls = story_units()[unit].controls;
    std::vector<Change> made;
    for (std::size_t n = 1 + below(4); n > 0; --n) {
      const Control& c = controls[below(controls.size())];
      const auto place = static_cast<std::int64_t>(below(256));
      std::int64_t value = c.minimum + (std::int64_t{c.maximum} - c.minimum) * place / 255;
      if (place % 8 == 1) value = c.rest;
      if (c.type == ControlType::pointer && place % 4 == 3)  // outside its range
        value += place % 8 == 3 ? c.maximum - c.minimum : c.minimum - c.maximum;
      if (c.type == ControlType::hat) value = place % 3 - 1;
      if (c.type == ControlType::counts) value = place == 255 ? 2'000'000'000 : place - 100;
      made.push_back({c.code, static_cast<std::int32_t>(value)});
    }
    return made;
  }

  void plug(Judged& both, std::size_t unit) {
    Attachment attachment = story_units()[unit];
    attachment.seat = fmt::format("seat-{}", 1 + below(3));
    if (below(2) == 0) attachment.state = changes(unit);
    attachment.by_press = below(4) == 0;
    if (attachment.by_press && below(2) == 0)
      for (const Control& control : attachment.controls)
        if (control.type == ControlType::button) attachment.state.push_back({control.code, 1});
    both.attach(unit, attachment);
  }

  /// More than any buffer holds between two reads.
  void burst(Judged& both, std::size_t unit) {
    const std::vector<Change> one = changes(unit);
    const std::vector<Change> other = changes(unit);
    for (std::size_t n = 0; n < 150; ++n) {
      both.feed(unit, one);
      both.feed(unit, other);
    }
  }

  void act(Judged& both) {
    const std::size_t unit = below(Judged::units);
    const std::size_t what = below(64);
    if (what == 0) return both.adopt(profile());
    if (what == 1) return both.freeze_or_thaw();
    if (what < 6) return both.look(below(Judged::readers));
    if (what < 12) return both.sample(below(Judged::readers));
    if (what < 20) return both.wait(static_cast<std::int64_t>(below(256) * 37));
    if (!both.plugged(unit)) return plug(both, unit);
    if (what == 20) return burst(both, unit);
    if (what < 24) return both.detach(unit);
    both.feed(unit, changes(unit));
  }

  std::optional<Profile> own_;
};

}  // namespace

std::optional<std::string> judge_story(std::span<const std::uint8_t> bytes) { return judge_story(bytes, std::nullopt); }

std::optional<std::string> judge_story(std::span<const std::uint8_t> bytes, std::optional<Profile> own) {
  try {
    Story{bytes, std::move(own)}.play();
  } catch (const std::runtime_error& complaint) {
    return complaint.what();
  }
  return std::nullopt;
}

}  // namespace omnipar::test
