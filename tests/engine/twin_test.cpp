// Slow twin and engine agree: on all short stories over a small alphabet, and on long random ones on all shipped
// machines.
#include <catch2/catch.hpp>

#include <chrono>
#include <random>

#include "judged.hpp"
#include "support/settings.hpp"
#include "support/stories.hpp"
#include "support/units.hpp"

using namespace omnipar;
using namespace omnipar::test;

TEST_CASE("Engine and slow twin agree on all short stories", "[twin]") {
  const Attachment pad = seated(plain_pad(), "seat-1");
  const Attachment other = seated(panel(), "seat-1");
  const Attachment ball = trackball("seat-1");
  using Act = void (*)(Judged&);
  const std::vector<Act> acts{
      [](Judged& b) {
        b.feed(0, {{code::btn_south, 1}});
      },
      [](Judged& b) {
        b.feed(0, {{code::btn_south, 0}, {code::btn_north, 1}});
      },
      [](Judged& b) {
        b.feed(0, {{code::btn_east, 1}, {code::btn_west, 1}});
      },
      [](Judged& b) {
        b.feed(1, {{code::btn_west, 1}, {code::btn_west, 0}, {code::btn_west, 1}});
      },
      [](Judged& b) {
        b.feed(1, {{code::btn_west, 0}, {code::btn_south, 1}});
      },
      [](Judged& b) {
        b.feed(0, {{code::abs_hat0x, 1}, {code::abs_hat0y, -1}});
      },
      [](Judged& b) {
        b.feed(0, {{code::abs_hat0x, 0}, {code::abs_x, -30000}, {code::abs_ry, -20000}});
      },
      [](Judged& b) {
        b.feed(0, {{code::btn_start, 1}, {code::btn_select, 1}, {code::abs_z, 200}});
      },
      [](Judged& b) { b.wait(1000); },
      [](Judged& b) { b.wait(1777); },
      [](Judged& b) {
        b.feed(2, {{relative(0), 7}, {relative(1), -3}, {key(0x110), 1}});
      },
      [](Judged& b) { b.freeze_or_thaw(); },
      [](Judged& b) { b.plugged(0) ? b.detach(0) : b.attach(0, seated(plain_pad(), "seat-1")); },
  };
  constexpr int length = 3;
  const int stories = static_cast<int>(acts.size() * acts.size() * acts.size());
  for (int story = 0; story < stories; ++story) {
    CAPTURE(story);
    Judged both{shaped_profile()};
    both.attach(0, pad);
    both.attach(1, other);
    both.attach(2, ball);
    for (int i = 0, rest = story; i < length; ++i, rest /= static_cast<int>(acts.size())) {
      acts[static_cast<std::size_t>(rest) % acts.size()](both);
      both.look(0);
    }
    both.wait(5000);
    both.look_by_all();
  }
}

TEST_CASE("Engine and slow twin agree on random stories, on every shipped machine", "[twin]") {
  const std::size_t machines = story_profiles().size();
  REQUIRE(machines >= 25);
  const int stories = cases(150, 2500) / static_cast<int>(machines) + 1;
  for (std::size_t machine = 0; machine < machines; ++machine) {
    CAPTURE(machine);
    judge_stories(machine, stories, 2000, [machine](std::vector<std::uint8_t> story) {
      story.insert(story.begin(), static_cast<std::uint8_t>(machine));
      return judge_story(story);
    });
  }
}

TEST_CASE("Engine and slow twin agree on guns, their screens, reloads and calibration shots", "[twin][aim]") {
  const std::vector<Profile> profiles = booth_profiles();
  for (std::size_t i = 0; i < profiles.size(); ++i) {
    CAPTURE(i, profiles[i].area);
    judge_stories(i, cases(20, 100), 2000,
                  [&](const std::vector<std::uint8_t>& bytes) { return judge_story(bytes, profiles[i]); });
  }
}

TEST_CASE("Profiles with any bindings are rejected with reasons, or played as the slow twin plays them",
          "[twin][profiles]") {
  const int profiles = cases(200, 6000);
  int played = 0;
  judge_stories(77, profiles, 1200, [&](const std::vector<std::uint8_t>& bytes) {
    played += compile(story_catalogue(), made_profile(bytes)) ? 1 : 0;
    return judge_profile(bytes);
  });
  CHECK(played > profiles / 3);  // there are enough of both kinds
  CAPTURE(played);
  CHECK(played < profiles);
}

TEST_CASE("A disconnect ends all debounces before a ramp's direction is evaluated", "[twin]") {
  Judged both{shaped_profile()};
  both.attach(0, seated(plain_pad(), "seat-1"));
  both.attach(1, seated(panel(), "seat-1"));
  both.feed(1, {{code::abs_hat0y, 1}});
  both.wait(2339);
  both.feed(1, {{code::abs_hat0x, 1}});
  both.feed(0, {{code::abs_hat0y, -1}});  // up is still debounced when it is released
  both.feed(0, {{code::abs_hat0y, 1}});
  both.detach(1);  // up and down would cancel each other
  both.wait(2663);
  both.look_by_all();
}

// Full counts run for ten minutes from a random seed; short counts run the same stories every time. A failure prints
// the seed and the bytes of its story.
TEST_CASE("Engine and slow twin agree for minutes on profiles and stories of all kinds", "[twin][minutes]") {
  using Clock = std::chrono::steady_clock;
  const auto end = Clock::now() + std::chrono::minutes{10};
  const std::vector<Profile> booths = booth_profiles();
  std::uint64_t seed = full_counts() ? std::random_device{}() : 1;
  const std::uint64_t first = seed;
  constexpr int stories = 10, longest = 4000, few_seeds = 12;
  for (; full_counts() ? Clock::now() < end : seed < first + few_seeds; ++seed) {
    CAPTURE(seed);
    judge_stories(seed, stories, longest, [&](const std::vector<std::uint8_t>& bytes) {
      const std::size_t kind = seed % 3;
      return kind == 0   ? judge_profile(bytes)
             : kind == 1 ? judge_story(bytes)
                         : judge_story(bytes, booths.at(seed / 3 % booths.size()));
    });
  }
  WARN(stories * (seed - first) << " stories, from seed " << first << " on");
}
