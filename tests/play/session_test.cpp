// Sessions with the simulated units of a room: what they report, and that dividing time over calls changes nothing.
#include <poll.h>

#include <array>
#include <catch2/catch.hpp>
#include <limits>
#include <random>
#include <set>
#include <thread>

#include "engine/byte_dice.hpp"
#include "marrowby.hpp"
#include "omnipar/omnipar.hpp"
#include "omnipar/session.hpp"
#include "omnipar/session_words.hpp"
#include "support/settings.hpp"
#include "support/stories.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

SessionOptions marrowby_evening() {
  Sheets sheets = read_sheets("marrowby.toml", marrowby::sheets_text());
  return {sheets.profiles.at(0), {std::move(sheets.systems), std::move(sheets.units)}};
}

Room marrowby_room() { return {"marrowby.trace", lines_of(std::string{marrowby::trace_text()})}; }

int id_of(const Session& session, const std::string& name) {
  for (const UnitHere& unit : session.units())
    if (unit.name == name) return unit.id;
  return 0;
}

/// Everything that a frame shows, as one line.
std::string line_of(const Session& session, const Reader& game) {
  std::string line;
  for (std::uint16_t target = 0; target < session.plan().targets().size(); ++target)
    line += std::to_string(game.native({target})) + " ";
  return line;
}

struct Evening {
  std::vector<std::string> messages;
  std::vector<std::string> frames;
  friend bool operator==(const Evening&, const Evening&) = default;
};

/// One sample per frame to the end of the room; `pass` advances to the end of a frame.
template <typename Pass>
Evening played(Session& session, Pass pass) {
  Evening evening;
  Reader game{session.engine()};
  Time frame{};
  while (!session.over()) {
    frame += session.plan().frame();
    pass(frame);
    game.next_frame();
    evening.frames.push_back(line_of(session, game));
    while (const auto event = session.next_event())
      evening.messages.push_back(std::to_string(event->index()) + " " + to_text(*event, session));
  }
  return evening;
}

Evening played_in_frames() {
  auto session = Session::open_room(marrowby_evening(), marrowby_room()).value();
  return played(session, [&](Time frame) { session.run_until(frame); });
}

/// A pad for two ports of a machine with two-button pads, and its reports.
std::string room_of(const std::string& lines) {
  return R"({"omnipar":1,"kind":"trace","about":"","made-up":true})"
         "\n"
         R"({"node":1,"name":"Moor Pad","id":"0003:1209:0002:0100","socket":"hall:3","keys":["BTN_SOUTH","BTN_EAST","BTN_TR","BTN_SELECT","BTN_START"],"axes":{"ABS_HAT0X":[-1,1],"ABS_HAT0Y":[-1,1]}})"
         "\n" +
         lines;
}

SessionOptions two_buttons() {
  SessionOptions options;
  options.profile = propose(options.catalogue, "pad-2b").value();
  options.profile.hotkeys.push_back({"swap-ports", "start", "right-shoulder"});
  return options;
}

Session session_in(const std::string& lines, SessionOptions options = two_buttons()) {
  return Session::open_room(std::move(options), {"moor.trace", lines_of(room_of(lines))}).value();
}

constexpr const char* seated = R"({"t":10000,"node":1,"plug":"in"}
{"t":20000,"node":1,"report":["BTN_SOUTH",1]}
{"t":30000,"node":1,"report":["BTN_SOUTH",0]}
)";
/// An event much later, which keeps the room running until then.
constexpr const char* late = R"({"t":9000000,"node":1,"report":["BTN_EAST",1]}
)";

template <typename Event>
std::vector<Event> all_of(Session& session) {
  std::vector<Event> found;
  while (const auto event = session.next_event())
    if (const auto* wanted = std::get_if<Event>(&*event)) found.push_back(*wanted);
  return found;
}

Time ms(std::int64_t count) { return at_us(count * 1000); }

}  // namespace

TEST_CASE("A session reports and shows the same however time is divided into calls", "[session]") {
  const Evening whole = played_in_frames();
  REQUIRE(whole.messages.size() > 8);
  std::mt19937 dice{20261129};
  for (int run = 0; run < cases(20, 300); ++run) {
    auto session = Session::open_room(marrowby_evening(), marrowby_room()).value();
    const Evening cut = played(session, [&](Time frame) {
      while (session.now() < frame && !session.over()) {
        session.run_until(std::min(frame, session.now() + Duration{dice() % 20'000}));
        if (dice() % 4 == 0) session.process();  // nothing is left
      }
    });
    REQUIRE(cut == whole);
  }
}

TEST_CASE("Sessions on several threads do not disturb each other", "[session]") {
  const Evening alone = played_in_frames();
  std::array<Evening, 4> evenings;
  std::vector<std::thread> threads;
  for (Evening& evening : evenings) threads.emplace_back([&evening] { evening = played_in_frames(); });
  for (std::thread& thread : threads) thread.join();
  for (const Evening& evening : evenings) CHECK(evening == alone);
}

TEST_CASE("Events are delivered at once, or queued in the same order", "[session]") {
  const Evening waited = played_in_frames();
  std::vector<std::string> messages;
  Session* opened = nullptr;
  SessionOptions options = marrowby_evening();
  options.on_event = [&](const SessionEvent& event) {
    messages.push_back(std::to_string(event.index()) + " " + to_text(event, *opened));
  };
  auto session = Session::open_room(std::move(options), marrowby_room()).value();
  opened = &session;
  const Evening evening = played(session, [&](Time frame) { session.run_until(frame); });
  CHECK(evening.frames == waited.frames);
  CHECK(evening.messages.empty());
  // A sentence about free seats is evaluated when it is formatted.
  REQUIRE(messages.size() == waited.messages.size());
  const auto kind = [](const std::string& event) { return event.substr(0, event.find(' ')); };
  for (std::size_t i = 0; i < messages.size(); ++i) CHECK(kind(messages[i]) == kind(waited.messages[i]));
}

TEST_CASE("The last 1,024 events are queued", "[session]") {
  std::string lines = seated;
  for (int i = 0; i < 700; ++i) {
    lines += R"({"t":)" + std::to_string(100'000 + i * 200) + R"(,"node":1,"plug":"out"})" + "\n";
    lines += R"({"t":)" + std::to_string(100'100 + i * 200) + R"(,"node":1,"plug":"in"})" + "\n";
  }
  Session session = session_in(lines);
  session.run_until(ms(2000));
  int waited = 0;
  while (session.next_event()) ++waited;
  CHECK(waited == 1024);
}

TEST_CASE("A reseated unit keeps its seat, and held controls count from their next press", "[session]") {
  Session session = session_in(std::string{seated} + R"({"t":100000,"node":1,"report":["BTN_SOUTH",1]}
{"t":200000,"node":1,"report":["BTN_SOUTH",0]}
{"t":300000,"node":1,"report":["BTN_SOUTH",1]}
{"t":400000,"node":1,"plug":"out"}
{"t":500000,"node":1,"plug":"in"}
)" + late);
  Reader game{session.engine()};
  const TargetIndex fire = session.plan().target(1, "inner").value();
  const auto pressed_at = [&](int port, std::int64_t time) {
    session.run_until(ms(time));
    game.next_frame();
    return game.port(port).pressed(fire);
  };
  CHECK(pressed_at(1, 150));
  const int moor = id_of(session, "Moor Pad");
  CHECK(session.reseat(moor, "seat-3")->id == "unknown-seat");
  CHECK(session.reseat(moor + 77, "seat-2")->id == "unknown-unit");
  REQUIRE_FALSE(session.reseat(moor, "seat-2"));
  REQUIRE_FALSE(session.reseat(moor, "seat-2"));
  CHECK(session.units() == std::vector<UnitHere>{{"Moor Pad", "seat-2", true, moor}});
  CHECK_FALSE(pressed_at(1, 160));
  CHECK_FALSE(pressed_at(2, 170));
  CHECK(pressed_at(2, 350));
  CHECK(session.rig().units.front().seat == "seat-2");
  session.run_until(ms(600));
  const auto seats = all_of<Seated>(session);
  REQUIRE(seats.size() == 3);
  CHECK((seats.back().seat == "seat-2" && seats.back().again));
}

TEST_CASE("Rumble and LEDs follow the players of a port", "[session]") {
  SessionOptions options = two_buttons();
  options.rumble = 0.5;
  Session session = session_in(std::string{seated} + R"({"t":400000,"node":1,"plug":"out"}
{"t":500000,"node":1,"plug":"in"}
)" + late,
                               std::move(options));
  session.light_number(1);
  session.rumble(1, 1, 0.25);
  CHECK(all_of<Felt>(session).empty());  // no player yet
  session.run_until(ms(100));
  const auto lit = all_of<Lit>(session);
  REQUIRE(lit.size() == 1);
  CHECK((lit.front().unit == "Moor Pad" && lit.front().which == 1));
  session.rumble(2, 1, 1);
  session.rumble(9, 1, 1);
  CHECK(all_of<Felt>(session).empty());
  session.rumble(1, 7, -1, std::chrono::milliseconds{20});
  const auto once = all_of<Felt>(session);
  REQUIRE(once.size() == 1);
  CHECK((once.front().strong == 0.5 && once.front().weak == 0));
  session.run_until(ms(600));
  CHECK(all_of<Lit>(session).size() == 1);
  session.pulse(1, 3);
  CHECK(all_of<Felt>(session).size() == 3);
}

TEST_CASE("unit_details has the current state of all controls", "[session]") {
  Session session = session_in(std::string{seated} +
                               R"({"t":40000,"node":1,"report":["BTN_EAST",1,"ABS_HAT0X",-1]}
{"t":60000,"node":1,"report":["BTN_EAST",0,"BTN_SELECT",1]}
)" + late);
  const auto state_of = [&](Code code) -> std::optional<std::int32_t> {
    for (const UnitDetails& unit : session.unit_details())
      for (const UnitDetails::Node& node : unit.nodes)
        for (const Change& change : node.attachment.state)
          if (change.code == code) return change.value;
    return std::nullopt;
  };
  session.run_until(ms(25));
  CHECK(state_of(code::btn_south) == 1);
  session.run_until(ms(50));
  CHECK(state_of(code::btn_south) == 0);
  CHECK(state_of(code::btn_east) == 1);
  CHECK(state_of(code::abs_hat0x) == -1);
  session.run_until(ms(70));
  CHECK(state_of(code::btn_east) == 0);
  CHECK(state_of(code::btn_select) == 1);
}

namespace {

/// Two unknown pads of one model.
std::string twins_room(const std::string& lines) {
  const auto pad = [](int node, const char* socket) {
    return std::string{R"({"node":)"} + std::to_string(node) +
           R"(,"name":"Moor Pad","id":"0003:1209:0002:0100","socket":")" + socket +
           R"(","keys":["BTN_SOUTH","BTN_EAST","BTN_TL","BTN_SELECT","BTN_START"],"axes":{"ABS_HAT0X":[-1,1],"ABS_HAT0Y":[-1,1]}})" +
           "\n";
  };
  return R"({"omnipar":1,"kind":"trace","about":"","made-up":true})" + ("\n" + pad(1, "hall:1") + pad(2, "hall:2")) +
         R"({"t":10000,"node":1,"plug":"in"}
{"t":10000,"node":2,"plug":"in"}
{"t":20000,"node":1,"report":["BTN_SOUTH",1]}
{"t":30000,"node":1,"report":["BTN_SOUTH",0]}
{"t":40000,"node":2,"report":["BTN_SOUTH",1]}
{"t":50000,"node":2,"report":["BTN_SOUTH",0]}
)" + lines;
}

}  // namespace

TEST_CASE("A unit has one id, whatever its name", "[session]") {
  Session session =
      Session::open_room(two_buttons(), {"twins", lines_of(twins_room(std::string{R"({"t":300000,"node":1,"plug":"out"}
{"t":400000,"node":1,"plug":"in"}
)"} + late))})
          .value();
  session.run_until(ms(15));
  const auto waiting = session.units();
  REQUIRE(waiting.size() == 2);
  CHECK(waiting[0].id != waiting[1].id);
  const auto came = all_of<Waiting>(session);
  CHECK((came.size() == 2 && came[0].id == waiting[0].id && came[1].id == waiting[1].id));
  session.run_until(ms(60));
  const auto seats = all_of<Seated>(session);
  REQUIRE(seats.size() == 2);
  CHECK((seats[0].id == waiting[0].id && seats[1].id == waiting[1].id));
  CHECK((session.units()[0].id == waiting[0].id && session.units()[1].id == waiting[1].id));
  session.rumble(1, 1, 1);
  session.rumble(2, 1, 1);
  const auto felt = all_of<Felt>(session);
  REQUIRE(felt.size() == 2);
  CHECK((felt[0].id == waiting[0].id && felt[1].id == waiting[1].id));
  session.run_until(ms(350));
  CHECK(all_of<Left>(session).front().id == waiting[0].id);
  session.run_until(ms(450));
  const auto back = all_of<Seated>(session);
  REQUIRE(back.size() == 1);
  CHECK((back[0].id != waiting[0].id && back[0].id != waiting[1].id && back[0].seat == "seat-1"));
}

TEST_CASE("A player who leaves a seat frees it", "[session]") {
  const std::string chord = R"({"t":100000,"node":1,"report":["BTN_SELECT",1,"BTN_TL",1]}
{"t":200000,"node":1,"report":["BTN_SELECT",0,"BTN_TL",0]}
)";
  const std::string again = R"({"t":300000,"node":2,"report":["BTN_EAST",1]}
{"t":500000,"node":1,"report":["BTN_EAST",1]}
)";
  SessionOptions options = two_buttons();
  const bool by_hotkey = GENERATE(false, true);
  if (by_hotkey) options.profile.hotkeys.push_back({"leave-seat", "select", "left-shoulder"});
  Session session =
      Session::open_room(std::move(options), {"twins", lines_of(twins_room((by_hotkey ? chord : "") + again + late))})
          .value();
  session.run_until(ms(60));
  const int first = session.units()[0].id, second = session.units()[1].id;
  if (!by_hotkey) REQUIRE_FALSE(session.leave_seat(first));
  session.run_until(ms(250));
  const auto left = all_of<LeftSeat>(session);
  REQUIRE(left.size() == 1);
  CHECK((left[0].id == first && left[0].seat == "seat-1"));
  CHECK(session.units()[0] == UnitHere{session.units()[0].name, "", false, first});
  CHECK(session.units()[1].seat == "seat-2");
  CHECK(session.free_seats() == std::vector<std::string>{"seat-1"});
  CHECK(session.rig().units.front().seat.empty());
  session.run_until(ms(350));
  CHECK(session.units()[1].seat == "seat-2");  // an active player continues
  session.run_until(ms(550));
  CHECK(session.units()[0].seat == "seat-1");
  CHECK(session.units()[0].id == first);
  CHECK(session.leave_seat(second + 77)->id == "unknown-unit");
  REQUIRE_FALSE(session.leave_seat(second));
  REQUIRE_FALSE(session.leave_seat(second));  // has no effect
  CHECK(all_of<LeftSeat>(session).size() == 1);
}

TEST_CASE("A returning owner plays, even beside a replacement of the same model", "[session]") {
  const auto pad = [](int node, const char* serial) {
    return std::string{R"({"node":)"} + std::to_string(node) +
           R"(,"name":"Moor Pad","id":"0003:1209:0002:0100","serial":")" + serial + R"(","socket":"hall:)" +
           std::to_string(node) +
           R"(","keys":["BTN_SOUTH","BTN_EAST"],"axes":{"ABS_HAT0X":[-1,1],"ABS_HAT0Y":[-1,1]}})" + "\n";
  };
  const std::string room = R"({"omnipar":1,"kind":"trace","about":"","made-up":true})" +
                           ("\n" + pad(1, "M-1") + pad(2, "M-2")) +
                           R"({"t":10000,"node":1,"plug":"in"}
{"t":100000,"node":1,"plug":"out"}
{"t":200000,"node":2,"plug":"in"}
{"t":210000,"node":2,"report":["BTN_SOUTH",1]}
{"t":220000,"node":2,"report":["BTN_SOUTH",0]}
{"t":300000,"node":1,"plug":"in"}
{"t":400000,"node":1,"report":["BTN_SOUTH",1]}
)" + late;
  SessionOptions options = two_buttons();
  const bool has_free_seat = GENERATE(false, true);  // then there is no replacement, and no names are exchanged
  if (!has_free_seat) options.profile.ports.resize(1);
  options.rig.units.push_back({"Moor Pad", "seat-1", 0x1209, 2, "Moor Pad", "M-1", "hall:1"});
  Session session = Session::open_room(std::move(options), {"moor", lines_of(room)}).value();
  session.run_until(ms(350));
  const auto units = session.units();
  REQUIRE(units.size() == 2);
  std::set<std::string> names;
  for (const UnitHere& unit : units) {
    CHECK(unit.plays);
    CHECK(unit.seat == (has_free_seat && unit.name == "Moor Pad (2)" ? "seat-2" : "seat-1"));
    names.insert(unit.name);
  }
  CHECK(names == std::set<std::string>{"Moor Pad", "Moor Pad (2)"});
  session.run_until(ms(450));
  CHECK(all_of<NoSeat>(session).empty());
  CHECK(session.rig().units.size() == (has_free_seat ? 2U : 1U));
}

TEST_CASE("Leaving a seat during a press releases it and starts no press", "[session]") {
  Session session = session_in(R"({"t":10000,"node":1,"plug":"in"}
{"t":20000,"node":1,"report":["BTN_SOUTH",1]}
{"t":30000,"node":1,"report":["BTN_SOUTH",0]}
{"t":40000,"node":1,"report":["BTN_SOUTH",1]}
{"t":200000,"node":1,"report":["BTN_SOUTH",0]}
)" + std::string{late});
  Reader game{session.engine()};
  const TargetIndex fire = session.plan().target(1, "inner").value();
  session.run_until(ms(50));
  game.next_frame();
  REQUIRE(game.port(1).pressed(fire));
  REQUIRE_FALSE(session.leave_seat(session.units()[0].id));
  game.next_frame();
  CHECK_FALSE(game.port(1).pressed(fire));
  session.run_until(ms(300));
  CHECK(session.units()[0].seat.empty());
}

TEST_CASE("A polled room advances", "[session]") {
  Session session = session_in(seated);
  std::vector<Seated> seats;
  const int descriptor = session.descriptor();
  REQUIRE(descriptor >= 0);
  int looks = 0;
  for (; !session.over() && looks < 10'000; ++looks) {
    pollfd input{descriptor, POLLIN, 0};
    REQUIRE(::poll(&input, 1, 0) == 1);
    const Time before = session.now();
    session.process();
    REQUIRE(session.now() - before <= Duration{1000});
    for (const Seated& one : all_of<Seated>(session)) seats.push_back(one);
  }
  CHECK(looks > 30);
  CHECK(seats.size() == 1);
  CHECK(session.now() >= ms(30));
}

TEST_CASE("Invalid calls of a session are harmless", "[session]") {
  CHECK(Session::open_room(two_buttons(), {}).error().front().id == "no-lines");
  constexpr double none = std::numeric_limits<double>::quiet_NaN(), endless = std::numeric_limits<double>::infinity();
  SessionOptions options = two_buttons();
  options.rumble = GENERATE(7.0, -1.0, std::numeric_limits<double>::quiet_NaN());
  Session session = session_in(std::string{seated} + late, std::move(options));
  session.run_until(ms(100));
  for (const double strong : {none, endless, -endless, 1e300, -3.0}) {
    session.rumble(1, strong, none, Duration{-5});
    session.rumble(1, strong, strong, std::chrono::hours{1000});
  }
  for (const Felt& felt : all_of<Felt>(session)) {
    CHECK((felt.strong >= 0 && felt.strong <= 1 && felt.weak >= 0 && felt.weak <= 1));
    CHECK(felt.how_long >= Duration{0});
  }
}

namespace {

/// One call, selected by bytes.
void call_something(Session& session, Reader& game, ByteDice& dice) {
  static const std::vector<std::string> seats{"cabinet-left", "cabinet-right", "sofa", "shelf", "nowhere"};
  const int port = static_cast<int>(dice.below(6));
  switch (dice.below(19)) {
    case 0:
      return session.process();
    case 1:
      return static_cast<void>(session.wait(session.now() + Duration{dice.below(256) * 2000}));
    case 2:
    case 3:
      return static_cast<void>(session.run_until(session.now() + Duration{dice.below(256) * 4000}));
    case 4:
      return session.freeze();
    case 5:
      return session.thaw();
    case 6:
      return session.swap_ports();
    case 7:
      if (const auto units = session.units(); !units.empty())
        static_cast<void>(session.reseat(units[dice.below(units.size())].id, seats[dice.below(seats.size())]));
      return;
    case 8:
      return session.rumble(port, 1, 1, Duration{dice.below(3) * 1000});
    case 9:
      return session.pulse(port, static_cast<int>(dice.below(4)));
    case 10:
      return session.light(port, static_cast<std::uint32_t>(dice.below(256)));
    case 11:
      return session.light_number(port);
    case 12:
      return session.await({seats[dice.below(seats.size())]});
    case 13:
      while (const auto event = session.next_event()) static_cast<void>(to_text(*event, session));
      return;
    case 14:
      if (dice.below(32) == 0) session.end();
      return;
    case 15:
      if (dice.below(32) == 0) session.close();
      return;
    case 16: {
      const auto units = session.units();
      if (!units.empty()) static_cast<void>(session.leave_seat(units[dice.below(units.size())].id));
      return;
    }
    case 17: {
      std::vector<std::byte> saved(session.save_size());
      session.save(saved);
      game.next_frame();
      return static_cast<void>(session.restore(saved));
    }
    default:
      return game.next_frame();
  }
}

bool is_at_rest(const Session& session, const Reader& game) {
  const auto targets = session.plan().targets();
  for (std::uint16_t target = 0; target < targets.size(); ++target)
    if (targets[target].self_centering && game.value({target}) != 0) return false;
  return true;
}

/// For any calls in any order, names stay distinct, and in the end everything is at rest.
std::optional<std::string> judge_calls(const std::vector<std::uint8_t>& bytes) {
  ByteDice dice{bytes};
  Session session = Session::open_room(marrowby_evening(), marrowby_room()).value();
  Reader game{session.engine()};
  while (!dice.rest().empty()) {
    call_something(session, game, dice);
    std::vector<std::string> names;
    for (const UnitHere& unit : session.units()) names.push_back(unit.name);
    std::ranges::sort(names);
    if (std::ranges::adjacent_find(names) != names.end()) return "two units have one name";
  }
  session.end();
  for (int frames = 0; frames < 10; ++frames) game.next_frame();  // pending taps are shown first
  return is_at_rest(session, game) ? std::nullopt : std::optional<std::string>{"something is down behind the end"};
}

}  // namespace

TEST_CASE("After the end nothing is pressed, including held hotkeys", "[session]") {
  SessionOptions options = two_buttons();
  options.profile.hotkeys.back().action = "save-state";
  auto session = session_in(R"({"t":0,"node":1,"plug":"in"}
{"t":1000,"node":1,"report":["BTN_SOUTH",1]}
{"t":2000,"node":1,"report":["BTN_START",1,"BTN_TR",1]}
)",
                            std::move(options));
  Reader game{session.engine()};
  session.run_until(ms(30));
  game.next_frame();
  const auto action = session.plan().target(0, "save-state");
  REQUIRE(action);
  CHECK(game.port(0).pressed(*action));
  session.end();
  for (int frames = 0; frames < 3; ++frames) game.next_frame();
  CHECK(!game.port(0).pressed(*action));
  CHECK(is_at_rest(session, game));
}

TEST_CASE("Every call is allowed at any time, even after the end", "[session]") {
  judge_stories(7, cases(60, 2000), 500, judge_calls);
}

TEST_CASE("An unreadable room is reported with its place", "[session]") {
  const auto fails = [](const std::string& text) {
    auto session = Session::open_room(two_buttons(), {"moor.trace", lines_of(text)}).value();
    while (session.run_until(session.now() + std::chrono::seconds{1})) {
    }
    return session.failure().value_or(Diagnostic{}).id;
  };
  CHECK(fails("") == "not-a-trace");
  CHECK(fails("{}\n") == "not-a-trace");
  CHECK(fails(room_of("{\"t\":\n")) == "bad-line");
  CHECK(fails(room_of(seated)).empty());
  SessionOptions none = two_buttons();
  none.profile.system = "no-such-machine";
  CHECK(Session::open_room(none, {"moor.trace", lines_of("")}).error().front().id == "unknown-system");
}
