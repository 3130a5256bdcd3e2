// The slow twin and the engine agree: on all short stories of a small alphabet, and on long random ones.
#include <catch2/catch.hpp>

#include <deque>
#include <map>
#include <random>
#include <sstream>

#include "slow_twin.hpp"
#include "support/settings.hpp"
#include "support/units.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

/// Engine and twin side by side: everything is done to both, and compared after each step.
class Both {
 public:
  Both(const Catalogue& catalogue, const Profile& profile)
      : engine_(plan_of(catalogue, profile)), twin_(catalogue, profile) {}

  void attach(std::size_t unit, const Attachment& attachment) {
    std::ostringstream act;
    act << "attach " << unit;
    tell(act);
    ids_[unit] = engine_.attach(attachment).value();
    twin_.attach(ids_[unit].slot, attachment);
    plugged_[unit] = true;
    compare();
  }
  void detach(std::size_t unit) {
    std::ostringstream act;
    act << "detach " << unit;
    tell(act);
    engine_.detach(ids_[unit]);
    twin_.detach(ids_[unit].slot);
    plugged_[unit] = false;
    compare();
  }
  void feed(std::size_t unit, std::vector<Change> changes) {
    std::ostringstream act;
    act << "unit " << unit;
    for (const Change& c : changes) act << ' ' << std::hex << c.code.number << '=' << std::dec << c.value;
    tell(act);
    engine_.feed(ids_[unit], {at_us(now_), changes});
    if (plugged_[unit])
      twin_.feed(ids_[unit].slot, at_us(now_), changes);
    else
      twin_.advance(at_us(now_));
    compare();
  }
  void wait(std::int64_t us) {
    std::ostringstream act;
    act << "wait " << us;
    tell(act);
    now_ += us;
    engine_.advance(at_us(now_));
    twin_.advance(at_us(now_));
    compare();
  }
  void freeze_or_thaw() {
    std::ostringstream act;
    act << (engine_.frozen() ? "thaw" : "freeze");
    tell(act);
    if (engine_.frozen()) {
      engine_.thaw();
      twin_.thaw();
    } else {
      engine_.freeze();
      twin_.freeze();
    }
    compare();
  }
  [[nodiscard]] bool plugged(std::size_t unit) const { return plugged_[unit]; }
  [[nodiscard]] const Engine& engine() const { return engine_; }

 private:
  void tell(const std::ostringstream& act) {
    story_.push_back(act.str());
    if (story_.size() > 12) story_.pop_front();
  }

  [[nodiscard]] bool counts(std::uint16_t target) const {
    return engine_.plan().targets()[target].kind == TargetKind::turns;
  }

  void compare() {
    for (int frames = 0; frames < 64; ++frames) {
      reader_.next_frame();
      if (reader_.changed().empty()) break;
      for (const std::uint16_t target : reader_.changed())
        if (counts(target)) moved_[target] += reader_.value(target);
    }
    for (const PortInfo& port : engine_.plan().ports())
      for (std::uint16_t t = 0; t < port.target_count; ++t) {
        const auto target = static_cast<std::uint16_t>(port.first_target + t);
        const TargetInfo& info = engine_.plan().targets()[target];
        const std::string name = std::to_string(port.number) + "/" + std::string{info.name};
        const PortSample sample = reader_.port(port.number);
        REQUIRE((reader_.value(target) == sample.value({t}) && reader_.native(target) == sample.native({t})));
        const double value = counts(target) ? moved_[target] : sample.value({t});
        const SlowTwin::Value shown{value, sample.presses({t})};
        const SlowTwin::Value& judged = twin_.values().at(name);
        if (shown == judged) continue;
        std::ostringstream acts;
        for (const std::string& act : story_) acts << act << "; ";
        CAPTURE(acts.str());
        CAPTURE(name, now_, shown.level, judged.level, shown.presses, judged.presses);
        REQUIRE(shown == judged);
      }
  }

  Engine engine_;
  Reader reader_{engine_};
  SlowTwin twin_;
  std::deque<std::string> story_;  ///< the last acts, for the message of a failure
  std::array<UnitId, 5> ids_{};
  std::array<bool, 5> plugged_{};
  std::map<std::uint16_t, double> moved_;  ///< by target that counts: all that has been shown
  std::int64_t now_ = 0;
};

/// A profile of the kit that uses every kind of shape.
Profile shaped_profile() {
  Profile profile = propose(kit_catalogue(), "kit").value();
  profile.hot[0].after = std::chrono::milliseconds{3};
  Use bouncing{"south"};
  bouncing.debounce = std::chrono::microseconds{1500};
  Use long_press{"east"};
  long_press.hold = std::chrono::milliseconds{2};
  Use both{"west"};
  both.debounce = std::chrono::microseconds{700};
  both.hold = std::chrono::microseconds{1100};
  Use slow_pedal{"left-shoulder"};
  slow_pedal.ramp = 200;
  Use slow_dpad{"dpad"};
  slow_dpad.ramp = 130;
  slow_dpad.debounce = std::chrono::microseconds{400};
  profile.ports[0].bind = {{"a", {bouncing, long_press}},
                           {"b", {both, {"north"}}},
                           {"up", {{"dpad-up"}, {"right-stick-up"}}},
                           {"stick", {{"left-stick"}, slow_dpad}},
                           {"pedal", {slow_pedal, {"right-trigger"}}},
                           {"d", {}}};
  profile.ports[1].like = 1;
  profile.ports[1].seat = "seat-1";  // one seat plays both ports
  return profile;
}

const std::vector<Code> pad_buttons{code::btn_south, code::btn_east,   code::btn_west,  code::btn_north, code::btn_tl,
                                    code::btn_tr,    code::btn_select, code::btn_start, code::btn_tl2};

}  // namespace

TEST_CASE("engine and slow twin agree on all short stories", "[twin]") {
  const Attachment pad = seated(plain_pad(), "seat-1");
  const Attachment other = seated(panel(), "seat-1");
  const Attachment ball = trackball("seat-1");
  using Act = void (*)(Both&);
  const std::vector<Act> acts{
      [](Both& b) {
        b.feed(0, {{code::btn_south, 1}});
      },
      [](Both& b) {
        b.feed(0, {{code::btn_south, 0}, {code::btn_north, 1}});
      },
      [](Both& b) {
        b.feed(0, {{code::btn_east, 1}, {code::btn_west, 1}});
      },
      [](Both& b) {
        b.feed(1, {{code::btn_west, 1}, {code::btn_west, 0}, {code::btn_west, 1}});
      },
      [](Both& b) {
        b.feed(1, {{code::btn_west, 0}, {code::btn_south, 1}});
      },
      [](Both& b) {
        b.feed(0, {{code::abs_hat0x, 1}, {code::abs_hat0y, -1}});
      },
      [](Both& b) {
        b.feed(0, {{code::abs_hat0x, 0}, {code::abs_x, -30000}, {code::abs_ry, -20000}});
      },
      [](Both& b) {
        b.feed(0, {{code::btn_start, 1}, {code::btn_select, 1}, {code::abs_z, 200}});
      },
      [](Both& b) { b.wait(1000); },
      [](Both& b) { b.wait(1777); },
      [](Both& b) {
        b.feed(2, {{relative(0), 7}, {relative(1), -3}, {key(0x110), 1}});
      },
      [](Both& b) { b.freeze_or_thaw(); },
      [](Both& b) { b.plugged(0) ? b.detach(0) : b.attach(0, seated(plain_pad(), "seat-1")); },
  };
  const int length = cases(3, 4);
  int stories = 1;
  for (int i = 0; i < length; ++i) stories *= static_cast<int>(acts.size());
  for (int story = 0; story < stories; ++story) {
    CAPTURE(story);
    Both both{kit_catalogue(), shaped_profile()};
    both.attach(0, pad);
    both.attach(1, other);
    both.attach(2, ball);
    for (int i = 0, rest = story; i < length; ++i, rest /= static_cast<int>(acts.size()))
      acts[static_cast<std::size_t>(rest) % acts.size()](both);
    both.wait(5000);
  }
}

TEST_CASE("engine and slow twin agree on random evenings", "[twin]") {
  const int evenings = cases(60, 2000);
  for (int seed = 0; seed < evenings; ++seed) {
    CAPTURE(seed);
    std::mt19937 random{static_cast<std::uint32_t>(seed)};
    const auto below = [&](std::uint32_t n) { return static_cast<std::uint32_t>(random() % n); };
    Both both{kit_catalogue(), seed % 2 == 0 ? shaped_profile() : propose(kit_catalogue(), "kit").value()};
    const std::vector<Attachment> units{seated(plain_pad(), "seat-1"), seated(plain_pad(), "seat-2"),
                                        seated(panel(), "seat-1"), seated(old_stick(), "seat-1"), trackball("seat-1")};
    const auto random_changes = [&](std::size_t unit) {
      std::vector<Change> changes;
      for (std::uint32_t n = 1 + below(4); n > 0; --n) {
        const Control& c = units[unit].controls[below(static_cast<std::uint32_t>(units[unit].controls.size()))];
        const auto span = static_cast<std::uint32_t>(c.maximum - c.minimum) + 1;
        std::int32_t value = c.minimum + static_cast<std::int32_t>(below(span));
        if (below(3) == 0) value = below(2) == 0 ? c.minimum : c.rest;
        if (c.reading == Reading::counts) value = static_cast<std::int32_t>(below(200)) - 100;
        changes.push_back({c.code, value});
      }
      return changes;
    };
    for (int step = 0; step < 150; ++step) {
      const std::size_t unit = below(5);
      const std::uint32_t act = below(20);
      if (!both.plugged(unit)) {
        Attachment attachment = units[unit];
        if (below(2) == 0) attachment.state = random_changes(unit);
        both.attach(unit, attachment);
      } else if (act == 0) {
        both.detach(unit);
      } else if (act == 1) {
        both.freeze_or_thaw();
      } else if (act < 5) {
        both.wait(below(4000));
      } else {
        both.feed(unit, random_changes(unit));
      }
    }
  }
}

TEST_CASE("who leaves ends all debounces before a ramp is asked where it is going", "[twin]") {
  Both both{kit_catalogue(), shaped_profile()};
  both.attach(0, seated(plain_pad(), "seat-1"));
  both.attach(1, seated(panel(), "seat-1"));
  both.feed(1, {{code::abs_hat0y, 1}});
  both.wait(2339);
  both.feed(1, {{code::abs_hat0x, 1}});
  both.feed(0, {{code::abs_hat0y, -1}});  // up is still believed when it is let go
  both.feed(0, {{code::abs_hat0y, 1}});
  both.detach(1);  // up and down would cancel each other
  both.wait(2663);
}
