#include "evening.hpp"

#include <algorithm>
#include <array>

namespace marrowby {

using namespace omnipar;

namespace {

constexpr std::array panel_buttons{code::btn_south, code::btn_east, code::btn_west,   code::btn_north,
                                   code::btn_tl,    code::btn_tr,   code::btn_select, code::btn_start};

/// A linear congruential generator (Knuth, MMIX constants); only its upper half is used.
class Dice {
 public:
  explicit Dice(std::uint64_t seed) : state_(seed) {}
  std::uint32_t below(std::uint32_t n) {
    state_ = state_ * 6364136223846793005ULL + 1442695040888963407ULL;
    return static_cast<std::uint32_t>(state_ >> 33) % n;
  }
  std::int64_t between(std::int64_t low, std::int64_t high) {
    return low + static_cast<std::int64_t>(below(static_cast<std::uint32_t>(high - low + 1)));
  }

 private:
  std::uint64_t state_;
};

/// The reports of one unit, from the start to its last one.
class Player {
 public:
  Player(std::uint32_t unit, bool has_sticks) : unit_(unit), has_sticks_(has_sticks), dice_(unit + 1) {}

  void play_until(std::int64_t end) {
    while (time_ < end) {
      const std::uint32_t what = dice_.below(100);
      if (what < 3)
        time_ += dice_.between(2'000'000, 9'000'000);  // a quiet stretch
      else if (has_sticks_ && what < 25)
        sweep();
      else if (what < 60)
        tap();
      else
        steer();
      time_ += dice_.between(20'000, 150'000);
    }
  }

  struct Said {
    std::int64_t time;
    std::uint32_t unit;
    std::vector<Change> changes;
  };
  std::vector<Said> said;

 private:
  void say(std::vector<Change> changes) { said.push_back({time_, unit_, std::move(changes)}); }
  void wait_for_a_press() { time_ += dice_.between(40'000, 200'000); }

  void tap() {
    const Code first = panel_buttons.at(dice_.below(6));
    const Code second = panel_buttons.at(dice_.below(20) == 0 ? 6 + dice_.below(2) : dice_.below(6));
    const bool chord = first != second && dice_.below(4) == 0;
    say(chord ? std::vector<Change>{{first, 1}, {second, 1}} : std::vector<Change>{{first, 1}});
    wait_for_a_press();
    say(chord ? std::vector<Change>{{first, 0}, {second, 0}} : std::vector<Change>{{first, 0}});
  }

  void steer() {
    const std::int32_t x = static_cast<std::int32_t>(dice_.below(3)) - 1;
    const std::int32_t y = static_cast<std::int32_t>(dice_.below(3)) - 1;
    std::vector<Change> there;
    std::vector<Change> back;
    if (x != 0 || y == 0) there.push_back({code::abs_hat0x, x == 0 ? 1 : x});
    if (y != 0) there.push_back({code::abs_hat0y, y});
    for (const Change& change : there) back.push_back({change.code, 0});
    say(there);
    wait_for_a_press();
    say(back);
  }

  /// A stick goes from corner to corner and back to rest, sometimes together with a trigger.
  void sweep() {
    const bool left = dice_.below(3) != 0;
    const bool with_trigger = dice_.below(4) == 0;
    const Code x = left ? code::abs_x : code::abs_rx;
    const Code y = left ? code::abs_y : code::abs_ry;
    for (std::uint32_t leg = 2 + dice_.below(4); leg > 0; --leg) {
      const auto to_x = static_cast<std::int32_t>(dice_.between(-32768, 32767));
      const auto to_y = static_cast<std::int32_t>(dice_.between(-32768, 32767));
      const auto steps = static_cast<std::int32_t>(dice_.between(15, 60));
      for (std::int32_t i = 1; i <= steps; ++i) {
        time_ += 4'000;
        std::vector<Change> changes{{x, to_x / steps * i}, {y, to_y / steps * i}};
        if (with_trigger && i % 2 == 0) changes.push_back({code::abs_rz, 255 * i / steps});
        say(std::move(changes));
      }
    }
    time_ += 4'000;
    say({{x, 0}, {y, 0}, {code::abs_rz, 0}});
  }

  std::uint32_t unit_;
  bool has_sticks_;
  Dice dice_;
  std::int64_t time_ = 1'000'000;
};

Description unit(std::string name, std::uint16_t product, std::string socket) {
  Description d;
  d.name = std::move(name);
  d.bus = 3;
  d.vendor = 0x1209;
  d.product = product;
  d.socket = std::move(socket);
  for (const Code button : panel_buttons) d.codes.push_back({button, 0, 1, 0});
  d.codes.push_back({code::abs_hat0x, -1, 1, 0});
  d.codes.push_back({code::abs_hat0y, -1, 1, 0});
  return d;
}

Description pad(std::string name, std::string socket) {
  Description d = unit(std::move(name), 2, std::move(socket));
  for (const Code axis : {code::abs_x, code::abs_y, code::abs_rx, code::abs_ry})
    d.codes.push_back({axis, -32768, 32767, 0});
  for (const Code trigger : {code::abs_z, code::abs_rz}) d.codes.push_back({trigger, 0, 255, 0});
  return d;
}

TargetSheet button(std::string name, std::string role) {
  TargetSheet t;
  t.name = std::move(name);
  t.place = role;
  t.defaults = {std::move(role)};
  t.native = {0, 1, 0};
  return t;
}

TargetSheet axis(std::string name, TargetKind kind, std::string role, NativeRange native) {
  TargetSheet t;
  t.name = std::move(name);
  t.kind = kind;
  t.place = role;
  t.defaults = {std::move(role)};
  t.native = native;
  return t;
}

}  // namespace

std::vector<Description> evening_units() {
  return {unit("Marrowby Cabinet, left panel", 1, "hall:1"), unit("Marrowby Cabinet, right panel", 1, "hall:2"),
          pad("Fenwick Reading-Room Pad", "hall:3"), pad("Fenwick Reading-Room Pad", "hall:4")};
}

Catalogue evening_catalogue() {
  ControllerSheet arcade;
  arcade.name = "arcade-6";
  arcade.title = "arcade control, six buttons";
  arcade.default_directions = {"dpad"};
  arcade.targets = {button("button-1", "south"),
                    button("button-2", "east"),
                    button("button-3", "west"),
                    button("button-4", "north"),
                    button("button-5", "left-shoulder"),
                    button("button-6", "right-shoulder"),
                    button("coin", "select"),
                    button("start", "start")};
  ControllerSheet two_stick = arcade;
  two_stick.name = "two-stick-pad";
  two_stick.title = "pad, two sticks";
  two_stick.targets.push_back(axis("move", TargetKind::stick, "left-stick", {0, 255, 128}));
  two_stick.targets.push_back(axis("aim", TargetKind::stick, "right-stick", {0, 255, 128}));
  two_stick.targets.push_back(axis("brake", TargetKind::one_sided, "left-trigger", {0, 255, 0}));
  two_stick.targets.push_back(axis("speed", TargetKind::one_sided, "right-trigger", {0, 255, 0}));
  SystemSheet system;
  system.name = "tern-table";
  system.title = "Tern table, four players";
  system.ports = {{1, {"arcade-6"}}, {2, {"arcade-6"}}, {3, {"two-stick-pad"}}, {4, {"two-stick-pad"}}};
  system.controllers = {arcade, two_stick};
  return Catalogue{{system}};
}

Profile evening_profile() {
  Profile profile = propose(evening_catalogue(), "tern-table").value();
  profile.hotkeys.clear();
  return profile;
}

Evening make_evening(std::size_t reports) {
  std::vector<Player::Said> said;
  for (std::int64_t minutes = 4; said.size() < reports; minutes *= 2) {
    said.clear();
    for (std::uint32_t unit = 0; unit < 4; ++unit) {
      Player player{unit, unit >= 2};
      player.play_until(minutes * 60'000'000);
      std::ranges::move(player.said, std::back_inserter(said));
    }
  }
  std::ranges::stable_sort(said, {}, &Player::Said::time);
  said.resize(reports);
  Evening evening;
  for (const Player::Said& s : said) {
    evening.reports.push_back({s.time, s.unit, static_cast<std::uint32_t>(evening.changes.size()),
                               static_cast<std::uint32_t>(s.changes.size())});
    evening.changes.insert(evening.changes.end(), s.changes.begin(), s.changes.end());
  }
  return evening;
}

}  // namespace marrowby
