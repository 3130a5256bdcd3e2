// Latency and load, against bare copying programs in the same run. In a box whose clock counts instructions.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <linux/uinput.h>
#include <poll.h>
#include <sched.h>
#include <unistd.h>

#include <algorithm>
#include <array>
#include <chrono>
#include <csignal>
#include <cstdlib>
#include <fstream>
#include <memory>
#include <thread>

#include "eight_pads.hpp"
#include "made_units.hpp"
#include "support/settings.hpp"

using namespace omnipar::test;

namespace {

using Clock = std::chrono::steady_clock;

/// One report: a new position of a stick.
void send_place(const UinputPad& pad, int place) {
  std::array<input_event, 2> report{};
  report[0].type = EV_ABS;
  report[0].code = ABS_X;
  report[0].value = place;
  report[1].type = EV_SYN;
  REQUIRE(::write(pad.descriptor(), report.data(), sizeof(report)) == sizeof(report));
}

int path_of(int number) { return (number % 2 == 0 ? 20'000 : -20'000) + number % 10'000; }

/// Microseconds from each report until a reader of the virtual device has received it.
std::vector<double> times_of(const UinputPad& pad, const std::string& virtual_device, int reports) {
  REQUIRE(wait_for_nodes(virtual_device, 1));
  const NodeReader reader{nodes_named(virtual_device).front()};
  std::vector<double> times;
  std::array<input_event, 64> events{};
  for (int i = 0; i < reports; ++i) {
    sleep_ms(4);
    const auto start = Clock::now();
    send_place(pad, path_of(i));
    pollfd waiting{reader.descriptor(), POLLIN, 0};
    REQUIRE(::poll(&waiting, 1, 2000) == 1);
    REQUIRE(::read(reader.descriptor(), events.data(), sizeof(events)) > 0);
    times.push_back(std::chrono::duration<double, std::micro>(Clock::now() - start).count());
  }
  std::ranges::sort(times);
  return times;
}

double part(const std::vector<double>& sorted, double share) {
  return sorted.at(static_cast<std::size_t>(share * static_cast<double>(sorted.size() - 1)));
}

void claim_seat(const UinputPad& pad, Program& play, const std::string& words) {
  for (int tries = 0; tries < 20; ++tries) {
    for (const int value : {1, 0}) {
      pad.send(EV_KEY, BTN_SOUTH, value);
      pad.sync();
      sleep_ms(50);
    }
    if (play.wait_for(words, 1, 300)) return;
  }
  FAIL("not said: " << words << "; but: " << play.output());
}

/// Processor seconds used by a program.
double seconds_of(pid_t process) {
  const std::string stat = contents("/proc/" + std::to_string(process) + "/schedstat");
  return std::strtod(stat.c_str(), nullptr) / 1e9;
}

}  // namespace

TEST_CASE("A report takes hardly longer through play than through a bare copier", "[clockwork]") {
  const UinputPad pad{"Quick Pad"};
  REQUIRE(wait_for_nodes("Quick Pad", 1));
  const int reports = cases(150, 1000);
  std::vector<double> copied;
  {
    Program copier{{"/box/copier", nodes_named("Quick Pad").front()}};
    REQUIRE(copier.wait_for("ready"));
    copied = times_of(pad, "bare copy", reports);
  }
  Playing play{"pad-two-stick --with-virtual --stats"};
  claim_seat(pad, play, "Player 1 plays");
  sleep_ms(200);
  const std::vector<double> played = times_of(pad, "Omnipar port 1 pad", reports);
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
  const double median = part(played, 0.5) / part(copied, 0.5);
  const double slowest = part(played, 0.99) / part(copied, 0.99);
  WARN("us from a report to a reader, half / 99 in 100: copier " << part(copied, 0.5) << " / " << part(copied, 0.99)
                                                                 << ", play " << part(played, 0.5) << " / "
                                                                 << part(played, 0.99));
  WARN(play.output());
  CHECK(median <= 1.25);
  CHECK(slowest <= 1.5);
}

namespace {

constexpr int units = 8;
constexpr std::chrono::microseconds a_millisecond{1000};

struct Load {
  double seconds = 0;  ///< of processor time, for one report of each unit
  MemoryUsed early{}, late{};
  std::array<int, units> arrived{};
};

enum class Order { together, in_turn };

/// Has priority over other processes during its lifetime: everything sent at once has been sent before any reader
/// wakes. Otherwise scheduling decides whether a process wakes once for eight reports or eight times.
class Foremost {
 public:
  Foremost() {
    const sched_param lowest{.sched_priority = ::sched_get_priority_min(SCHED_FIFO)};
    REQUIRE(::sched_setscheduler(0, SCHED_FIFO, &lowest) == 0);
  }
  ~Foremost() {
    const sched_param none{};
    ::sched_setscheduler(0, SCHED_OTHER, &none);
  }
  Foremost(const Foremost&) = delete;
  Foremost& operator=(const Foremost&) = delete;
};

/// All units send this many reports, one in each `step`; the output is counted. Together they send at a different
/// moment of each step, because otherwise the kernel's own tick would always fall into the work of one process and
/// never into that of another.
Load load_of(pid_t process, const std::vector<std::unique_ptr<UinputPad>>& pads,
             const std::vector<std::string>& devices, int reports, std::chrono::microseconds step, Order order) {
  Load load;
  std::vector<std::unique_ptr<NodeReader>> readers;
  for (const std::string& device : devices) readers.push_back(std::make_unique<NodeReader>(device));
  const auto count = [&] {
    std::array<input_event, 64> events{};
    for (std::size_t i = 0; i < readers.size(); ++i)
      for (ssize_t got = 0; (got = ::read(readers[i]->descriptor(), events.data(), sizeof(events))) > 0;)
        for (std::size_t e = 0; e < static_cast<std::size_t>(got) / sizeof(input_event); ++e)
          load.arrived.at(i) += events.at(e).type == EV_ABS ? 1 : 0;
  };
  constexpr int scatter = 617;
  const Foremost foremost;
  const double before = seconds_of(process);
  const auto start = Clock::now();
  for (int i = 0; i < reports; ++i) {
    for (std::size_t unit = 0; unit < pads.size(); ++unit) {
      if (order == Order::in_turn) std::this_thread::sleep_until(start + i * step + unit * step / pads.size());
      send_place(*pads[unit], path_of(i));
    }
    const std::chrono::microseconds moment{order == Order::together ? (i + 1) * scatter % step.count() : 0};
    std::this_thread::sleep_until(start + (i + 1) * step + moment);
    if (i % 8 == 0) count();
    if (i == reports / 5) load.early = memory_of(process);
  }
  sleep_ms(50);
  count();
  load.seconds = (seconds_of(process) - before) / reports;
  load.late = memory_of(process);
  return load;
}

/// The same in turns, of which the cheapest quarter counts: at times the kernel adds work of its own, or is late.
/// It feeds its random number generator from device events, one block after a number of events. That work would always
/// fall into the same one of the two processes; an unused key shifts it from turn to turn.
Load load_in_turns(pid_t process, const std::vector<std::unique_ptr<UinputPad>>& pads,
                   const std::vector<std::string>& devices, int reports, Order order) {
  constexpr int turns = 20;
  const UinputPad aside{"Key Aside", {KEY_F24}};
  Load all;
  std::vector<double> seconds;
  for (int turn = 0; turn < turns; ++turn) {
    aside.send(EV_KEY, KEY_F24, turn % 2 == 0 ? 1 : 0);
    aside.sync();
    sleep_ms(20);
    const Load load = load_of(process, pads, devices, reports / turns, a_millisecond, order);
    if (turn == 0) all.early = load.early;
    all.late = load.late;
    seconds.push_back(load.seconds);
    for (std::size_t i = 0; i < all.arrived.size(); ++i) all.arrived.at(i) += load.arrived.at(i);
  }
  std::ranges::sort(seconds);
  all.seconds = part(seconds, 0.25);
  return all;
}

}  // namespace

TEST_CASE("Eight units at 1 kHz lose nothing and cost hardly more than copying", "[clockwork]") {
  const Order order = GENERATE(Order::together, Order::in_turn);
  write_eight_pads("/tmp/eight.toml");
  std::vector<std::unique_ptr<UinputPad>> pads;
  std::vector<std::string> command{"/box/copier"};
  for (int i = 0; i < units; ++i) {
    const std::string name = "Busy Pad " + std::to_string(i + 1);
    pads.push_back(std::make_unique<UinputPad>(name));
    REQUIRE(wait_for_nodes(name, 1));
    command.push_back(nodes_named(name).front());
  }
  const int milliseconds = cases(2'000, 10'000);
  Load bare;
  {
    Program copier{command};
    REQUIRE(copier.wait_for("ready"));
    REQUIRE(wait_for_nodes("bare copy", units));
    bare = load_in_turns(copier.process(), pads, nodes_named("bare copy"), milliseconds, order);
  }
  Playing play{"eight --data /tmp/eight.toml --with-virtual"};
  std::vector<std::string> devices;
  for (std::size_t i = 0; i < pads.size(); ++i) {
    claim_seat(*pads[i], play, "Player " + std::to_string(i + 1) + " plays");
    devices.push_back(nodes_named("Omnipar port " + std::to_string(i + 1) + " pad").front());
  }
  sleep_ms(200);
  const Load played = load_in_turns(play.process(), pads, devices, milliseconds, order);
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
  WARN((order == Order::together ? "together" : "in turn")
       << ": us of the processor for a report of each: copier " << bare.seconds * 1e6 << ", play "
       << played.seconds * 1e6 << "; KiB of its own early " << played.early.own_kib << ", late " << played.late.own_kib
       << ", in all " << played.late.all_kib);
  CHECK(std::ranges::count(bare.arrived, milliseconds) == units);
  CHECK(std::ranges::count(played.arrived, milliseconds) == units);
  CHECK(played.seconds <= 1.25 * bare.seconds);
  // No byte per report is retained; a page of the stack may be touched for the first time.
  CHECK((played.late.own_kib - played.early.own_kib) * 1024 < milliseconds * units);
  CHECK(played.late.all_kib < 16 * 1024);
}

TEST_CASE("A unit at 8 kHz loses nothing", "[clockwork]") {
  std::vector<std::unique_ptr<UinputPad>> pads;
  pads.push_back(std::make_unique<UinputPad>("Hasty Pad"));
  REQUIRE(wait_for_nodes("Hasty Pad", 1));
  Playing play{"pad-two-stick --with-virtual"};
  claim_seat(*pads[0], play, "Player 1 plays");
  sleep_ms(200);
  const int reports = cases(8'000, 80'000);
  const Load load = load_of(play.process(), pads, nodes_named("Omnipar port 1 pad"), reports,
                            std::chrono::microseconds{125}, Order::together);
  CHECK(load.arrived[0] == reports);
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
}
