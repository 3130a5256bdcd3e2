// Gun fits with realistic users: they end, and no bound promises too much.
#include <catch2/catch.hpp>

#include <algorithm>
#include <string>

#include <fmt/format.h>

#include "calibrate/marksman.hpp"
#include "support/settings.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

double percent(int count, int all) { return 100.0 * count / all; }

}  // namespace

TEST_CASE("A gun fit converges for any user, and its bound holds", "[gun]") {
  const int people = cases(150, 2000);
  std::string table = "hand  shots  at once  within 20  beyond the bound  median bound\n";
  for (const double hand : {0.001, 0.002, 0.005, 0.01}) {
    int at_once_by_five = 0;
    for (const int shots : {4, 5, 9}) {
      std::mt19937 dice{static_cast<unsigned>(1e6 * hand) + static_cast<unsigned>(shots)};
      int at_once = 0, soon = 0, beyond = 0;
      std::vector<double> bounds;
      for (int i = 0; i < people; ++i) {
        MadeGun gun = made_gun(dice);
        gun.steps = 65'536;
        gun.jitter = 0.001;
        const Fitted fit = fitted(gun, {.scatter = hand}, shots, dice);
        at_once += fit.saved && fit.at_once ? 1 : 0;
        soon += fit.saved && fit.shots <= 20 ? 1 : 0;
        beyond += fit.saved && fit.bound > 0 && fit.worst > fit.bound ? 1 : 0;
        bounds.push_back(fit.bound);
      }
      std::ranges::sort(bounds);
      table += fmt::format("{:.1f} %  {}      {:5.1f} %   {:5.1f} %    {:5.1f} %           {:.2f} %\n", 100 * hand,
                           shots, percent(at_once, people), percent(soon, people), percent(beyond, people),
                           100 * bounds[bounds.size() / 2]);
      INFO(table);
      CHECK(percent(soon, people) >= 98);
      CHECK(percent(beyond, people) <= (full_counts() ? 7 : 10));
      if (shots == 5) at_once_by_five = at_once;
      if (shots == 9) CHECK(percent(at_once, people) >= percent(at_once_by_five, people) - 2);
    }
  }
  if (full_counts()) WARN(table);
}

TEST_CASE("No saved fit exceeds twice its bound, for any gun and user", "[gun]") {
  std::mt19937 dice{1209};
  const int setups = cases(600, 10'000);
  int saved = 0, soon = 0, beyond = 0, far_beyond = 0;
  for (int i = 0; i < setups; ++i) {
    const MadeGun gun = made_gun(dice);
    const Marksman person = made_marksman(dice);
    const Fitted fit = fitted(gun, person, i % 3 == 0 ? 9 : 5, dice);
    saved += fit.saved ? 1 : 0;
    soon += fit.saved && fit.shots <= 20 ? 1 : 0;
    beyond += fit.worst > fit.bound ? 1 : 0;
    far_beyond += fit.worst > 2 * fit.bound ? 1 : 0;
  }
  const std::string figures = fmt::format(
      "{} set-ups: saved {:.2f} %, within 20 shots {:.2f} %, beyond the bound {:.2f} %, beyond twice of it {}", setups,
      percent(saved, setups), percent(soon, setups), percent(beyond, setups), far_beyond);
  if (full_counts()) WARN(figures);
  INFO(figures);
  CHECK(percent(soon, setups) >= 98);
  CHECK(percent(beyond, setups) <= 7);
  CHECK(far_beyond <= setups / 1000 + 1);
}
