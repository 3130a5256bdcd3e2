// A long unscripted session: in any order four pads are pressed, disconnected and reconnected, play is frozen and
// resumed, and ports are swapped; a program plays while others record, listen, watch, try to play, or hold a pad.
// The slow twin predicts what each game must see.
#include <catch2/catch.hpp>

#include <sys/ioctl.h>

#include <array>
#include <chrono>
#include <csignal>
#include <deque>
#include <cstdio>
#include <fstream>
#include <map>
#include <memory>
#include <random>
#include <sstream>
#include <utility>
#include <thread>

#include <fmt/format.h>

#include "engine/slow_twin.hpp"
#include "made_units.hpp"
#include "omnipar/omnipar.hpp"
#include "omnipar/sheets.hpp"
#include "support/settings.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

constexpr std::size_t players = 4;
constexpr std::uint16_t home_button = 1 << 12;

constexpr const char* whole_trace = "/tmp/soak-whole.trace";

constexpr const char* evening_toml = R"(omnipar = 1
kind = "profile"
name = "soak"
system = "pad-two-stick"
[port.1]
seat = "seat-1"
[port.2]
seat = "seat-2"
[port.3]
seat = "seat-3"
[port.4]
seat = "seat-4"
[hotkeys]
freeze = { modifier = "home", press = "south" }
swap-ports = { modifier = "home", press = "east" }
)";

/// The code of each target of the two-stick pad, and its value for a full push.
struct Outlet {
  const char* target;
  std::uint16_t type, code;
  int positive, negative;
};
constexpr std::array outlets{
    Outlet{"bottom", EV_KEY, BTN_SOUTH, 1, 0},
    Outlet{"outer", EV_KEY, BTN_EAST, 1, 0},
    Outlet{"inner", EV_KEY, BTN_WEST, 1, 0},
    Outlet{"top", EV_KEY, BTN_NORTH, 1, 0},
    Outlet{"left-shoulder", EV_KEY, BTN_TL, 1, 0},
    Outlet{"right-shoulder", EV_KEY, BTN_TR, 1, 0},
    Outlet{"left-stick-press", EV_KEY, BTN_THUMBL, 1, 0},
    Outlet{"right-stick-press", EV_KEY, BTN_THUMBR, 1, 0},
    Outlet{"select", EV_KEY, BTN_SELECT, 1, 0},
    Outlet{"start", EV_KEY, BTN_START, 1, 0},
    Outlet{"left-trigger", EV_ABS, ABS_Z, 65535, 0},
    Outlet{"right-trigger", EV_ABS, ABS_RZ, 65535, 0},
    Outlet{"left-stick-x", EV_ABS, ABS_X, 32767, 32768},
    Outlet{"left-stick-y", EV_ABS, ABS_Y, 32767, 32768},
    Outlet{"right-stick-x", EV_ABS, ABS_RX, 32767, 32768},
    Outlet{"right-stick-y", EV_ABS, ABS_RY, 32767, 32768},
    Outlet{"right", EV_ABS, ABS_HAT0X, 1, 0},
    Outlet{"left", EV_ABS, ABS_HAT0X, -1, 0},
    Outlet{"down", EV_ABS, ABS_HAT0Y, 1, 0},
    Outlet{"up", EV_ABS, ABS_HAT0Y, -1, 0},
};

/// The pads as the kernel presents them.
Description pad_description(const std::string& name) {
  Description unit;
  unit.name = name;
  unit.bus = BUS_BLUETOOTH;
  unit.vendor = 0x1209;
  unit.product = 2;
  for (std::uint16_t i = 0; i < 16; ++i)
    unit.codes.push_back({key(static_cast<std::uint16_t>(BTN_SOUTH + i)), 0, 1, 0});
  for (const Code axis : {code::abs_x, code::abs_y, code::abs_rx, code::abs_ry})
    unit.codes.push_back({axis, 0, 255, 0});
  for (const Code axis : {code::abs_hat0x, code::abs_hat0y}) unit.codes.push_back({axis, -1, 1, 0});
  return unit;
}

std::vector<Change> changes_of(const PadReport& report) {
  constexpr std::array<std::array<int, 2>, 9> hat{
      {{0, -1}, {1, -1}, {1, 0}, {1, 1}, {0, 1}, {-1, 1}, {-1, 0}, {-1, -1}, {0, 0}}};
  std::vector<Change> changes;
  for (unsigned i = 0; i < 16; ++i)
    changes.push_back({key(static_cast<std::uint16_t>(BTN_SOUTH + i)), report.buttons >> i & 1});
  const auto& [x, y] = hat.at(report.hat);
  changes.insert(changes.end(), {{code::abs_x, report.x},
                                 {code::abs_y, report.y},
                                 {code::abs_rx, report.rx},
                                 {code::abs_ry, report.ry},
                                 {code::abs_hat0x, x},
                                 {code::abs_hat0y, y}});
  return changes;
}

/// The session and its twin: every action is applied to both.
class WholeEvening {
 public:
  WholeEvening() : began_(std::chrono::steady_clock::now()), catalogue_(built_in_catalogue()) {
    profile_ = read_sheets("soak.toml", evening_toml).profiles.at(0);
    std::ofstream{"/tmp/soak.toml"} << evening_toml;
    std::remove(whole_trace);
    const char* game = "trap 'exit 5' TERM; while :; do sleep 0.1; done";
    play_ = std::make_unique<Program>(std::vector<std::string>{"/box/omnipar", "play", "/tmp/soak.toml", "--record",
                                                               whole_trace, "--", "sh", "-c", game});
    REQUIRE(play_->wait_for("Player 1: press any button"));
    twin_ = std::make_unique<SlowTwin>(catalogue_, profile_);
    for (std::size_t i = 0; i < players; ++i) {
      plug_in(i);
      for (int tries = 0; tries < 20 && !play_->wait_for(player(i) + " plays", 1, 250); ++tries)
        for (const PadReport& tap : {PadReport{south}, PadReport{}}) pads_[i]->send(tap);
      expect(player(i) + " plays", 1);
      games_[i] = std::make_unique<NodeReader>(nodes_named("Omnipar port " + std::to_string(i + 1) + " pad").front());
    }
    compare();
  }

  [[nodiscard]] bool plugged(std::size_t pad) const { return pads_[pad] != nullptr; }
  [[nodiscard]] bool frozen() const { return frozen_; }
  [[nodiscard]] const PadReport& state(std::size_t pad) const { return states_[pad]; }
  [[nodiscard]] Program& program() { return *play_; }
  [[nodiscard]] int samples() const { return samples_; }

  void plug_in(std::size_t pad) {
    pads_[pad] = std::make_unique<UhidPad>("Soak Pad " + std::to_string(pad), "soak" + std::to_string(pad));
    REQUIRE(wait_for_nodes("Soak Pad " + std::to_string(pad), 1));
    if (seen_[pad]++ > 0) expect("continues with \"Soak Pad " + std::to_string(pad), seen_[pad] - 1);
    states_[pad] = {};
    deaf_[pad] = 0;
    sent_[pad].clear();
    attach(pad);
    send(pad, {});
  }
  /// Another program tries to grab the pad first, and closes it before it reports.
  void plug_in_beside_a_holder(std::size_t pad) {
    const std::string name = "Soak Pad " + std::to_string(pad);
    const std::jthread holder{[name] {
      for (int tries = 0; tries < 400; ++tries, sleep_ms(5)) {
        const auto nodes = nodes_named(name);
        if (nodes.empty() || ::access(nodes.front().c_str(), R_OK) != 0) continue;
        const NodeReader node{nodes.front()};
        if (::ioctl(node.descriptor(), EVIOCGRAB, 1) == 0) sleep_ms(400);
        return;
      }
    }};
    plug_in(pad);
    const NodeReader node{nodes_named(name).front()};
    const auto is_held = [&node] {
      const bool is_free = ::ioctl(node.descriptor(), EVIOCGRAB, 1) == 0;
      if (is_free) ::ioctl(node.descriptor(), EVIOCGRAB, 0);
      return !is_free;
    };
    sleep_ms(500);
    for (int tries = 0; tries < 50 && is_held() == frozen_; ++tries) sleep_ms(100);
    CAPTURE(frozen_, story(), play_->output());
    REQUIRE(is_held() != frozen_);  // while frozen, it belongs to the desktop
  }
  /// Another command that records, listens or watches, one at a time.
  void start_bystander(unsigned which) {
    if (bystander_) REQUIRE(bystander_->wait_for_end() < 128);
    std::remove("/tmp/soak.trace");
    constexpr std::array<const char*, 3> words{"trace record /tmp/soak.trace --seconds 0.4", "units --listen 0.4",
                                               "doctor"};
    bystander_ = std::make_unique<Program>(
        std::vector<std::string>{"sh", "-c", std::string{"exec /box/omnipar "} + words.at(which % words.size())});
  }
  /// Another session starts beside this one and gets nothing. No pad may connect before it ends.
  [[nodiscard]] std::unique_ptr<Program> second_evening() const {
    return std::make_unique<Program>(
        std::vector<std::string>{"/box/omnipar", "play", "pad-2b", "--wait-at-most", "0", "--", "sleep", "0.3"});
  }
  void pull_out(std::size_t pad) {
    tell(std::to_string(pad + 1) + " out");
    pads_[pad].reset();
    twin_->detach(static_cast<int>(pad));
    expect("\"Soak Pad " + std::to_string(pad) + "\" was disconnected", seen_[pad]);
  }
  void send(std::size_t pad, const PadReport& report) {
    states_[pad] = report;
    std::ostringstream act;
    act << pad + 1 << ": " << std::hex << report.buttons << " hat " << int{report.hat};
    tell(act.str());
    pads_[pad]->send(report);
    sent_[pad].emplace_back(now(), report.buttons);
    feed_twin(pad);
  }
  /// A chord of one pad that the session acts on; then it is released.
  void freeze_or_thaw(std::size_t pad) {
    tell(frozen_ ? "thaw" : "freeze");
    chord(pad, south);
    frozen_ ? twin_->thaw() : twin_->freeze();
    frozen_ = !frozen_;
    freezes_ += frozen_ ? 1 : 0;
    expect(frozen_ ? "Frozen: " : "Resumed.", freezes_);
    compare();
    release_chord(pad);
  }
  void swap(std::size_t pad) {
    tell("swap");
    chord(pad, east);
    profile_ = with_ports_swapped(catalogue_, profile_, 1, 2);
    twin_ = std::make_unique<SlowTwin>(catalogue_, profile_);
    for (std::size_t i = 0; i < players; ++i)
      if (plugged(i)) attach(i);
    if (frozen_) twin_->freeze();
    const auto one = std::ranges::find(profile_.ports, 1, &PortProfile::port);
    const std::size_t plays = one->seat == "seat-1" ? 0 : 1;
    if (plugged(plays)) expect("Swapped: port 1", ++swaps_);  // nothing is reported about missing units
    compare();
    release_chord(pad);
  }

  /// Waits until the games see what the twin predicts.
  void compare() {
    ++samples_;
    sleep_ms(20);
    twin_->advance(now());
    for (int tries = 0; tries < 200 && !agrees(); ++tries) sleep_ms(10);
    for (std::size_t port = 0; port < players; ++port)
      for (const Outlet& outlet : outlets) {
        CAPTURE(port + 1, outlet.target, frozen_, samples_, story(), play_->output());
        REQUIRE(games_[port]->value(outlet.type, outlet.code) == judged(port, outlet));
      }
    count_presses();
  }
  /// The number of presses of each button that each game has seen.
  [[nodiscard]] const std::map<std::pair<std::size_t, std::string>, int>& presses() const { return presses_; }
  void count_presses() {
    for (std::size_t port = 0; port < players; ++port) {
      for (const input_event& event : games_[port]->events())
        for (const Outlet& outlet : outlets)
          if (event.type == EV_KEY && event.code == outlet.code && outlet.type == EV_KEY && event.value == 1)
            ++presses_[{port + 1, outlet.target}];
      games_[port]->forget_events();
    }
  }
  [[nodiscard]] bool all_at_rest() const {
    return std::ranges::all_of(games_, [](const auto& game) { return game->held() == 0; });
  }

 private:
  void expect(const std::string& words, int times) {
    const bool said = play_->wait_for(words, times);
    CAPTURE(words, times, story(), play_->output());
    REQUIRE(said);
  }
  static std::string player(std::size_t pad) { return "Player " + std::to_string(pad + 1); }
  [[nodiscard]] Time now() const {
    return Time{std::chrono::duration_cast<Duration>(std::chrono::steady_clock::now() - began_)};
  }
  void attach(std::size_t pad) {
    Attachment attachment = recognise(catalogue_, {}, pad_description("Soak Pad")).value();
    attachment.seat = "seat-" + std::to_string(pad + 1);
    attachment.state = changes_of(delivered(pad));
    twin_->attach(static_cast<int>(pad), attachment);
  }
  void chord(std::size_t pad, std::uint16_t button) {
    PadReport report = states_[pad];
    report.buttons = static_cast<std::uint16_t>(report.buttons & ~(south | east));
    send(pad, report);
    report.buttons = static_cast<std::uint16_t>(report.buttons | home_button | button);
    send(pad, report);
  }
  void release_chord(std::size_t pad) {
    PadReport report = states_[pad];
    report.buttons = static_cast<std::uint16_t>(report.buttons & ~(home_button | south | east));
    send(pad, report);
  }

  [[nodiscard]] int judged(std::size_t port, const Outlet& outlet) const {
    int sum = 0;
    for (const Outlet& other : outlets)  // the two ends of a hat's axis
      if (other.type == outlet.type && other.code == outlet.code) {
        const double level = twin_->values().at(std::to_string(port + 1) + "/" + other.target).level;
        sum += static_cast<int>(std::lround(level * (level < 0 ? other.negative : other.positive)));
      }
    return sum;
  }
  /// A pad that is not grabbed yet, and whose buttons stay down for a while, as on a slow machine, is
  /// grabbed all the same: held buttons count from their next press.
  void heed_grabs() {
    for (std::size_t pad = 0; pad < players; ++pad) {
      int grabs = 0;
      std::istringstream lines{play_->output()};
      for (std::string line; std::getline(lines, line);)
        if (line.starts_with("\"Soak Pad " + std::to_string(pad) + "\": ") && count(line, "The unit is grabbed anyway"))
          ++grabs;
      if (std::exchange(grabs_[pad], grabs) == grabs || !plugged(pad)) continue;
      tell(std::to_string(pad + 1) + " is grabbed");
      deaf_[pad] = down_for_long(pad);
      feed_twin(pad);
    }
  }
  /// The buttons of a report that was the last for almost three seconds, unless released since.
  [[nodiscard]] std::uint16_t down_for_long(std::size_t pad) const {
    constexpr Duration almost = std::chrono::milliseconds{2500};
    std::uint16_t down = 0xffff;
    Time until = now();
    for (auto sent = sent_[pad].rbegin(); sent != sent_[pad].rend(); ++sent) {
      down &= sent->second;
      if (until - sent->first >= almost) return down;
      until = sent->first;
    }
    return 0;
  }
  /// Reports that the kernel no longer delivers do not reach the twin either.
  [[nodiscard]] PadReport delivered(std::size_t pad) const {
    PadReport report = states_[pad];
    report.buttons = static_cast<std::uint16_t>(report.buttons & ~deaf_[pad]);
    return report;
  }
  void feed_twin(std::size_t pad) {
    deaf_[pad] &= states_[pad].buttons;
    twin_->feed(static_cast<int>(pad), now(), changes_of(delivered(pad)));
  }
  [[nodiscard]] bool agrees() {
    heed_grabs();
    for (std::size_t port = 0; port < players; ++port) {
      REQUIRE(games_[port]->drain());
      for (const Outlet& outlet : outlets)
        if (games_[port]->value(outlet.type, outlet.code) != judged(port, outlet)) return false;
    }
    return true;
  }

  void tell(std::string act) {
    acts_.push_back(std::move(act));
    if (acts_.size() > 40) acts_.pop_front();
  }
  [[nodiscard]] std::string story() const {
    std::string all;
    for (const std::string& act : acts_) all += act + "; ";
    return all;
  }

  std::chrono::steady_clock::time_point began_;
  Catalogue catalogue_;
  Profile profile_;
  std::unique_ptr<Program> play_;
  std::unique_ptr<Program> bystander_;
  std::unique_ptr<SlowTwin> twin_;
  std::array<std::unique_ptr<UhidPad>, players> pads_;
  std::array<std::unique_ptr<NodeReader>, players> games_;
  std::array<PadReport, players> states_{};
  std::array<int, players> seen_{};
  std::array<int, players> grabs_{};
  std::array<std::uint16_t, players> deaf_{};  ///< buttons that are down but count from their next press
  std::array<std::vector<std::pair<Time, std::uint16_t>>, players> sent_;
  std::deque<std::string> acts_;  ///< the last actions, for failure messages
  std::map<std::pair<std::size_t, std::string>, int> presses_;
  bool frozen_ = false;
  int freezes_ = 0;
  int swaps_ = 0;
  int samples_ = 0;
};

}  // namespace

TEST_CASE("In a long random session each game receives what the slow twin computes", "[soak]") {
  WholeEvening evening;
  std::mt19937 dice{20261123};
  const auto below = [&dice](unsigned n) { return static_cast<unsigned>(dice() % n); };
  const auto random_report = [&](const PadReport& last) {
    PadReport report = last;
    report.buttons = static_cast<std::uint16_t>(dice() & (0xffffU - home_button));
    if ((report.buttons & start_button) != 0) report.buttons &= static_cast<std::uint16_t>(~select_button);
    report.hat = static_cast<std::uint8_t>(below(9));
    for (std::uint8_t* axis : {&report.x, &report.y, &report.rx, &report.ry})
      if (below(2) == 0) *axis = static_cast<std::uint8_t>(below(3) == 0 ? 128 : below(256));
    return report;
  };
  const auto end = std::chrono::steady_clock::now() + std::chrono::seconds{cases(10, 600)};
  std::array<int, 7> deeds{};
  while (std::chrono::steady_clock::now() < end) {
    const unsigned pad = below(players);
    const unsigned action = below(40);
    if (!evening.plugged(pad)) {
      const bool beside_a_holder = below(2) == 0;
      beside_a_holder ? evening.plug_in_beside_a_holder(pad) : evening.plug_in(pad);
      ++deeds[beside_a_holder ? 4 : 0];
    } else if (action == 0) {
      // in the middle of a gesture
      evening.send(pad, random_report(evening.state(pad)));
      evening.pull_out(pad);
      ++deeds[1];
    } else if (action == 1 || (evening.frozen() && action < 8)) {
      evening.freeze_or_thaw(pad);
      ++deeds[2];
    } else if (action == 2) {
      evening.swap(pad);
      ++deeds[3];
    } else if (action == 8) {
      evening.start_bystander(below(3));
      ++deeds[5];
    } else if (action == 9) {
      const auto second = evening.second_evening();
      for (unsigned plugged = 0; plugged < players; ++plugged)
        if (evening.plugged(plugged)) evening.send(plugged, random_report(evening.state(plugged)));
      evening.compare();
      CHECK(second->wait_for_end() == 0);
      CHECK(second->output().find("plays with") == std::string::npos);
      ++deeds[6];
    } else {
      for (unsigned reports = 1 + below(6); reports > 0; --reports)
        evening.send(pad, random_report(evening.state(pad)));
    }
    evening.compare();
  }
  for (unsigned pad = 0; pad < players; ++pad)
    if (evening.plugged(pad)) evening.send(pad, {});
  evening.compare();
  CHECK(evening.all_at_rest());
  for (const int times : deeds) CHECK(times > 0);
  WARN("samples that agree: " << evening.samples());
  evening.program().signal(SIGTERM);
  CHECK(evening.program().wait_for_end() == 5);
  // The session's own recording has no gap, and replays what the games have seen.
  CHECK(count(contents(whole_trace), "\"gap\":true") == 0);
  Program replay{{"/box/omnipar", "trace", "replay", whole_trace, "--profile", "/tmp/soak.toml", "--json"}};
  REQUIRE(replay.wait_for_end(600'000) == 0);
  std::istringstream lines{replay.output()};
  std::map<std::pair<std::size_t, std::string>, int> again;
  for (std::string line; std::getline(lines, line);)
    for (std::size_t port = 1; port <= players; ++port) {
      const std::string head = fmt::format("\"port\":{},\"changed\":{{", port);
      if (line.find(head) == std::string::npos) continue;
      for (const Outlet& outlet : outlets)
        if (outlet.type == EV_KEY && line.find(fmt::format("\"{}\":1", outlet.target)) != std::string::npos)
          ++again[{port, outlet.target}];
    }
  for (const auto& [of, times] : evening.presses()) {
    CAPTURE(of.first, of.second);
    CHECK(again[of] == times);
  }
  CHECK(again.size() == evening.presses().size());
}
