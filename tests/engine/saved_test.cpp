// Save states: without input in between, everything is restored bit for bit. With input, a restore presses nothing
// that is not physically held, shows no press twice, and loses none.
#include <catch2/catch.hpp>

#include <cstring>
#include <map>
#include <random>

#include "support/allocations.hpp"
#include "support/laid_table.hpp"
#include "support/settings.hpp"
#include "support/units.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

/// Bindings with everything that takes time: debounce, long presses, autofire, toggles, ramps, glides, filters.
Plan timed_plan() {
  const auto use = [](const char* role, const char* field, auto value) {
    Use made{role};
    made.settings.set(field, value);
    return made;
  };
  return Table::plan_with(
      {{"a", {use("south", "debounce", Duration{4'700}), use("east", "long-press", Duration{33'000})}},
       {"b", {use("west", "autofire", 17.0), use("north", "toggle", 1.0)}},
       {"stick", {use("left-stick", "smoothing", 3.0), use("dpad", "ramp", 7.0)}},
       {"aim", {Use{"gun"}, use("right-stick", "glide", 1.0), Use{"mouse"}}}});
}

/// Two pads and a trackball with random input.
class Hands {
 public:
  explicit Hands(Table& table, std::uint32_t seed) : table_(table), dice_(seed) {
    units_ = {table.plug(plain_pad()), table.plug(panel()), table.engine.attach(trackball("seat-1")).value()};
  }

  void move(std::int64_t now) {
    Changes changes;
    for (std::uint32_t n = 1 + below(3); n > 0; --n) {
      constexpr std::array buttons{code::btn_south, code::btn_east,   code::btn_west,
                                   code::btn_north, code::btn_select, code::btn_start};
      const auto any = static_cast<std::int32_t>(dice_() % 65'536) - 32'768;
      switch (dice_() % 5) {
        case 0:
          changes.push_back({code::abs_hat0x, static_cast<std::int32_t>(dice_() % 3) - 1});
          break;
        case 1:
          changes.push_back({dice_() % 2 == 0 ? code::abs_x : code::abs_rx, any});
          break;
        default:
          changes.push_back({buttons.at(dice_() % buttons.size()), static_cast<std::int32_t>(dice_() % 2)});
      }
    }
    const std::size_t unit = dice_() % 3;
    if (unit == 2) changes = {{relative(0), static_cast<std::int32_t>(dice_() % 21) - 10}};
    table_.feed(units_[unit], now, changes);
  }
  /// The time until the next movement.
  std::int64_t pause() { return 1 + static_cast<std::int64_t>(dice_() % 12'000); }
  std::uint32_t below(std::uint32_t end) { return static_cast<std::uint32_t>(dice_()) % end; }

 private:
  Table& table_;
  std::mt19937 dice_;
  std::vector<UnitId> units_;
};

/// All values of one frame.
std::vector<PortValues> frame_of(Reader& reader) {
  reader.next_frame();
  return {reader.port(0).values(), reader.port(1).values(), reader.port(2).values()};
}

std::vector<std::byte> bytes_of(const Engine& engine) {
  const auto state = engine.state();
  return {state.begin(), state.end()};
}

constexpr std::int64_t frame = 16'667;

}  // namespace

TEST_CASE("Running seven frames ahead changes no sample and no byte", "[saved]") {
  for (int story = 0; story < cases(60, 600); ++story) {
    CAPTURE(story);
    Table plain{timed_plan()}, ahead{timed_plan()};
    Hands hands{plain, static_cast<std::uint32_t>(story)}, same{ahead, static_cast<std::uint32_t>(story)};
    PacedReader outlet{plain.engine, Duration{20'000}}, other_outlet{ahead.engine, Duration{20'000}};
    std::vector<std::byte> saved(ahead.engine.save_size());
    std::int64_t now = 0;
    for (int n = 0; n < 60; ++n) {
      const std::int64_t end = (n + 1) * frame;
      for (; now < end; now += hands.pause()) {
        hands.move(now);
        same.move(now);
        static_cast<void>(same.pause());
      }
      plain.engine.advance(at_us(end));
      ahead.engine.advance(at_us(end));
      outlet.catch_up(plain.engine.now());
      other_outlet.catch_up(ahead.engine.now());
      REQUIRE(frame_of(plain.reader) == frame_of(ahead.reader));
      REQUIRE(ahead.engine.save(saved));
      for (int i = 0; i < 7; ++i) {
        ahead.reader.next_frame();
        other_outlet.catch_up(ahead.engine.now() + Duration{i * frame});
      }
      REQUIRE(ahead.engine.restore(saved));
      REQUIRE(bytes_of(plain.engine) == bytes_of(ahead.engine));
      for (std::uint16_t t = 0; t < plain.engine.plan().targets().size(); ++t)
        REQUIRE(outlet.value({t}) == other_outlet.value({t}));
    }
  }
}

TEST_CASE("Saving and restoring allocate nothing", "[saved]") {
  Table table{timed_plan()};
  Hands hands{table, 7};
  std::vector<std::byte> saved(table.engine.save_size());
  PortValues kept = table.reader.port(1).values();
  CHECK(allocations_during([&] {
          for (int i = 0; i < 100; ++i) {
            table.engine.save(saved);
            hands.below(2);
            table.reader.next_frame();
            table.reader.port(1).store(kept);
            table.engine.restore(saved);
          }
        }) == 0);
}

/// Whatever happened in between: physical input decides, each press is shown once, and controls at rest stay at rest.
TEST_CASE("Controls may keep moving across a restore", "[saved]") {
  for (int story = 0; story < cases(300, 5'000); ++story) {
    CAPTURE(story);
    OnePad table{Table::plan_with({{"a", {{"south"}}}, {"b", {{"east"}}}})};
    Reader other_reader{table.engine};
    std::mt19937 dice{static_cast<std::uint32_t>(story)};
    std::vector<std::byte> saved(table.engine.save_size());
    std::map<Code, bool> hand;
    std::map<std::string, int> pressed;  // pressed physically
    std::map<std::string, int> seen;     // presses shown and not undone
    std::map<std::string, int> seen_then;
    std::map<std::string, bool> down, down_then;
    std::map<std::string, int> undone;  // shown, and undone
    std::int64_t now = 0;
    bool has_saved = false;
    const auto look = [&] {
      table.reader.next_frame();
      for (const char* name : {"a", "b"}) {
        const bool is = table.down(name);
        if (is && !down[name]) ++seen[name];
        down[name] = is;
      }
    };
    for (int step = 0; step < 40; ++step) {
      now += dice() % 20'000;
      switch (dice() % 5) {
        case 0:
        case 1: {
          const bool is_a = dice() % 2 == 0;
          const Code code = is_a ? code::btn_south : code::btn_east;
          hand[code] = !hand[code];
          if (hand[code]) ++pressed[is_a ? "a" : "b"];
          table.feed(now, {{code, hand[code] ? 1 : 0}});
          break;
        }
        case 2:
          look();
          break;
        case 3:
          REQUIRE(table.engine.save(saved));
          has_saved = true;
          seen_then = seen;
          down_then = down;
          break;
        default:
          if (!has_saved) break;
          REQUIRE(table.engine.restore(saved));
          for (const char* name : {"a", "b"}) undone[name] += seen[name] - seen_then[name];
          seen = seen_then;
          down = down_then;
      }
      // Only physical input determines the engine's state.
      other_reader.next_frame();
      for (int settle = 0; settle < 64; ++settle) other_reader.next_frame();
      CHECK(other_reader.port(1).pressed(table.at("a")) == hand[code::btn_south]);
      CHECK(other_reader.port(1).pressed(table.at("b")) == hand[code::btn_east]);
    }
    for (int i = 0; i < 100; ++i) look();
    for (const char* name : {"a", "b"}) {
      CAPTURE(name, pressed[name], seen[name], undone[name]);
      CHECK(down[name] == hand[std::string{name} == "a" ? code::btn_south : code::btn_east]);
      CHECK(seen[name] + undone[name] >= pressed[name]);  // none is lost
      // None is shown twice, except those still held at the restore.
      CHECK(seen[name] <= pressed[name]);
    }
  }
}

TEST_CASE("A press that ends after the save is released, and one that begins after it counts", "[saved]") {
  OnePad table{Table::plan_with({{"a", {{"south"}}}, {"b", {{"east"}}}, {"stick", {{"left-stick"}}}})};
  std::vector<std::byte> saved(table.engine.save_size());
  table.feed(0, {{code::btn_south, 1}, {code::abs_x, 32'767}});
  table.reader.next_frame();
  REQUIRE(table.engine.save(saved));
  table.feed(ms, {{code::btn_south, 0}, {code::btn_east, 1}, {code::abs_x, -32'768}});
  REQUIRE(table.engine.restore(saved));
  CHECK(table.down("a"));  // the same as at the save
  table.reader.next_frame();
  CHECK_FALSE(table.down("a"));
  CHECK(table.down("b"));
  CHECK(table.value("stick-x") == -1);
  CHECK(table.presses("a") == 1);
  CHECK(table.presses("b") == 1);
  SECTION("taps already shown are not shown again") {
    REQUIRE(table.engine.save(saved));
    for (int i = 0; i < 5; ++i) {
      table.feed((2 + 2 * i) * ms, {{code::btn_south, 1}});
      table.feed((3 + 2 * i) * ms, {{code::btn_south, 0}});
      CHECK(table.shown("a", 2) == "#.");
    }
    REQUIRE(table.engine.restore(saved));
    CHECK(table.shown("a", 4) == "....");
  }
  SECTION("taps not yet shown still are") {
    REQUIRE(table.engine.save(saved));
    for (int i = 0; i < 2; ++i) {
      table.feed((2 + 2 * i) * ms, {{code::btn_south, 1}});
      table.feed((3 + 2 * i) * ms, {{code::btn_south, 0}});
    }
    REQUIRE(table.engine.restore(saved));
    CHECK(table.shown("a", 6) == "#.#...");
  }
}

TEST_CASE("A restore loses no counts and counts none twice", "[saved]") {
  Table table{Table::plan_with({})};
  const UnitId ball = table.engine.attach(trackball("seat-1")).value();
  std::vector<std::byte> saved(table.engine.save_size());
  table.feed(ball, 0, {{relative(0), 5}});
  REQUIRE(table.engine.save(saved));
  CHECK(table.next("ball-x") == 5);
  REQUIRE(table.engine.restore(saved));
  CHECK(table.next("ball-x") == 5);  // not yet shown at the save
  REQUIRE(table.engine.save(saved));
  table.feed(ball, ms, {{relative(0), 7}});
  CHECK(table.next("ball-x") == 7);
  table.feed(ball, 2 * ms, {{relative(0), -2}});
  REQUIRE(table.engine.restore(saved));
  CHECK(table.next("ball-x") == -2);
  CHECK(table.next("ball-x") == 0);
}

TEST_CASE("A save from another engine, plan or set of units is rejected", "[saved]") {
  OnePad table{timed_plan()}, other{timed_plan()};
  std::vector<std::byte> saved(table.engine.save_size());
  CHECK_FALSE(table.engine.save(std::span{saved}.first(saved.size() - 1)));
  REQUIRE(table.engine.save(saved));
  CHECK_FALSE(other.engine.restore(saved));
  CHECK_FALSE(table.engine.restore(std::span{saved}.first(saved.size() - 1)));
  CHECK_FALSE(table.engine.restore({}));
  const auto unchanged = [&] {
    const auto before = bytes_of(table.engine);
    CHECK_FALSE(table.engine.restore(saved));
    CHECK(bytes_of(table.engine) == before);
  };
  SECTION("a unit has connected") {
    table.plug(panel());
    unchanged();
  }
  SECTION("a unit has disconnected") {
    table.engine.detach(table.pad);
    unchanged();
  }
  SECTION("a new plan") {
    table.engine.adopt(Table::plan_with({}));
    unchanged();
  }
  SECTION("frozen") {
    table.engine.freeze();
    unchanged();
  }
  SECTION("an additional reader, which continues unchanged") {
    Reader late{table.engine};
    table.feed(ms, {{code::btn_north, 1}});
    late.next_frame();
    const PortValues shown = late.port(1).values();
    REQUIRE(table.engine.restore(saved));
    late.next_frame();
    CHECK(late.port(1).values() == shown);
  }
}

TEST_CASE("After a restore, a reader of changes receives every value that differs", "[saved]") {
  OnePad table{Table::plan_with({{"a", {{"south"}}}})};
  std::vector<std::byte> saved(table.engine.save_size());
  table.feed(0, {{code::btn_south, 1}});
  REQUIRE(table.engine.save(saved));
  table.reader.next_frame();
  std::map<std::uint16_t, double> consumer;
  const auto apply = [&] {
    for (const TargetPlace target : table.reader.changed()) consumer[target.number] = table.reader.value(target);
  };
  apply();
  table.feed(ms, {{code::btn_south, 0}});
  table.reader.next_frame();
  apply();
  REQUIRE(table.engine.restore(saved));
  for (int i = 0; i < 4; ++i) {
    table.reader.next_frame();
    apply();
    for (const auto& [target, value] : consumer) CHECK(table.reader.value({target}) == value);
  }
}

TEST_CASE("After a restore, deadlines keep their distance to the current time", "[saved]") {
  OnePad table{Table::plan_with({{"a", {with("east", {}, Duration{30'000})}}})};
  std::vector<std::byte> saved(table.engine.save_size());
  table.feed(0, {{code::btn_east, 1}});
  table.engine.advance(at_us(10'000));
  REQUIRE(table.engine.save(saved));
  table.engine.advance(at_us(1'000'000));
  CHECK(table.next("a") == 1);
  REQUIRE(table.engine.restore(saved));
  CHECK(table.engine.now() == at_us(1'000'000));
  CHECK(table.engine.next_due() == at_us(1'020'000));
  table.engine.advance(at_us(1'019'999));
  CHECK(table.next("a") == 0);
  table.engine.advance(at_us(1'020'000));
  CHECK(table.next("a") == 1);
}

TEST_CASE("Readers outlive their engine and show it at rest", "[saved]") {
  auto table = std::make_unique<Engine>(Table::plan_with({{"a", {{"south"}}}}));
  Reader reader{*table};
  PacedReader paced{*table, Duration{1000}};
  const UnitId pad = table->attach(seated(plain_pad(), "seat-1")).value();
  const TargetIndex a = table->plan().target(1, "a").value();
  table->feed(pad, {at_us(0), std::array{Change{code::btn_south, 1}}});
  reader.next_frame();
  paced.catch_up(at_us(0));
  REQUIRE(reader.port(1).pressed(a));
  SECTION("destroyed") { table.reset(); }
  SECTION("replaced by another") { *table = Engine{Table::plan_with({})}; }
  CHECK(reader.port(1).pressed(a));  // the last sample does not change
  for (int i = 0; i < 3; ++i) reader.next_frame();
  for (const std::int64_t us : {2'000, 4'000, 6'000}) paced.catch_up(at_us(us));
  CHECK_FALSE(reader.port(1).pressed(a));
  CHECK(reader.port(1).presses(a) == 1);
  CHECK_FALSE(paced.port(1).pressed(a));
  CHECK_FALSE(paced.next_due());
}
