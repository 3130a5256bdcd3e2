// The engine against a hand-written equivalent on the scripted session. Without valgrind it prints nanoseconds;
// scripts/bench also runs it under callgrind, which counts the instructions of run_engine and run_twin.
#include <algorithm>
#include <array>
#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <numeric>
#include <string_view>
#include <vector>

#include "../demo/evening.hpp"
#include "hand_twin.hpp"

using namespace omnipar;

namespace {

constexpr std::size_t evening_reports = 200'000;

std::array<UnitId, 4> attach_all(Engine& engine) {
  std::array<UnitId, 4> ids{};
  const auto units = marrowby::evening_units();
  for (std::size_t i = 0; i < units.size(); ++i) {
    Attachment attachment = recognise({}, {}, units[i]).value();
    attachment.seat = "seat-" + std::to_string(i + 1);
    ids.at(i) = engine.attach(attachment).value();
  }
  return ids;
}

/// Both sides' levels, counts and native values at the end must be the same, or nothing is compared.
bool agree(const Engine& engine, const bench::HandTwin& twin) {
  Reader reader{engine};
  const auto port_agrees = [&](int port, const bench::HandPanel& panel) {
    static constexpr std::array<std::string_view, 12> names{"button-1", "button-2", "button-3", "button-4",
                                                            "button-5", "button-6", "coin",     "start",
                                                            "up",       "down",     "left",     "right"};
    for (std::size_t i = 0; i < names.size(); ++i)
      if (reader.port(port).pressed(*engine.plan().target(port, names.at(i))) != ((panel.down >> i & 1) != 0))
        return false;
    return true;
  };
  const auto pad_agrees = [&](int port, const bench::HandPad& pad) {
    const auto native = [&](std::string_view name) {
      return reader.port(port).native(*engine.plan().target(port, name));
    };
    return port_agrees(port, pad.panel) && native("move-x") == pad.move.native_x() &&
           native("move-y") == pad.move.native_y() && native("aim-x") == pad.look.native_x() &&
           native("aim-y") == pad.look.native_y() && native("brake") == pad.brake.native() &&
           native("speed") == pad.speed.native();
  };
  return port_agrees(1, twin.panel_1) && port_agrees(2, twin.panel_2) && pad_agrees(3, twin.pad_3) &&
         pad_agrees(4, twin.pad_4);
}

}  // namespace

// Outside the unnamed namespace and never inlined: callgrind finds them by name.
[[gnu::noinline]] void run_engine(Engine& engine, const std::array<UnitId, 4>& ids, const marrowby::Evening& evening,
                                  std::size_t from, std::size_t to) {
  for (std::size_t i = from; i < to; ++i) {
    const marrowby::EveningReport& r = evening.reports[i];
    engine.feed(ids[r.unit], evening.report(r));
  }
}

[[gnu::noinline]] void run_twin(bench::HandTwin& twin, const marrowby::Evening& evening, std::size_t from,
                                std::size_t to) {
  for (std::size_t i = from; i < to; ++i) {
    const marrowby::EveningReport& r = evening.reports[i];
    twin.feed(r.unit, evening.report(r));
  }
}

int main(int count, char** words) {
  using Clock = std::chrono::steady_clock;
  const bool once = count > 1 && std::string_view{words[1]} == "--once";
  const auto evening = marrowby::make_evening(evening_reports);
  const Plan plan = compile(marrowby::evening_catalogue(), marrowby::evening_profile()).value();
  // Both sides alternate in short pieces of the session. Each piece counts with its fastest round, which removes other
  // load on the machine from both sides equally.
  constexpr std::size_t piece = 2'000;
  std::vector<double> engine_best(evening_reports / piece, 1e18);
  std::vector<double> twin_best(evening_reports / piece, 1e18);
  for (int round = 0; round < (once ? 1 : 40); ++round) {
    Engine engine{plan};
    const auto ids = attach_all(engine);
    bench::HandTwin twin;
    for (std::size_t i = 0; i < engine_best.size(); ++i) {
      const auto start = Clock::now();
      run_engine(engine, ids, evening, i * piece, (i + 1) * piece);
      const auto middle = Clock::now();
      run_twin(twin, evening, i * piece, (i + 1) * piece);
      const auto end = Clock::now();
      engine_best[i] = std::min(engine_best[i], std::chrono::duration<double, std::nano>(middle - start).count());
      twin_best[i] = std::min(twin_best[i], std::chrono::duration<double, std::nano>(end - middle).count());
    }
    if (!agree(engine, twin) || engine.ignored() != 0) {
      std::fprintf(stderr, "engine and twin differ at the end of the evening\n");
      return EXIT_FAILURE;
    }
  }
  const double engine_ns = std::accumulate(engine_best.begin(), engine_best.end(), 0.0);
  const double twin_ns = std::accumulate(twin_best.begin(), twin_best.end(), 0.0);
  const auto events = static_cast<double>(evening.changes.size());
  std::printf("{\"reports\": %zu, \"events\": %zu, \"engine_ns\": %.2f, \"twin_ns\": %.2f}\n", evening.reports.size(),
              evening.changes.size(), engine_ns / events, twin_ns / events);
  return EXIT_SUCCESS;
}
