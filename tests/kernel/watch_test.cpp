// The live view: two players ticked off, a view beside eight busy units, and units that another program holds.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <sys/ioctl.h>
#include <termios.h>

#include <array>
#include <csignal>
#include <cstdlib>
#include <memory>

#include "eight_pads.hpp"
#include "made_units.hpp"

using namespace omnipar::test;

namespace {

void press(const UhidPad& pad, PadReport report) {
  pad.send(report);
  sleep_ms(60);
  pad.send({});
  sleep_ms(60);
}

/// A terminal whose reader discards what is drawn.
class Watched {
 public:
  Watched() : master_(::posix_openpt(O_RDWR | O_NOCTTY | O_NONBLOCK)) {
    ::grantpt(master_);
    ::unlockpt(master_);
    const winsize size{36, 120, 0, 0};
    ::ioctl(master_, TIOCSWINSZ, &size);
  }
  ~Watched() { ::close(master_); }
  Watched(const Watched&) = delete;
  Watched& operator=(const Watched&) = delete;
  [[nodiscard]] std::string name() const { return ::ptsname(master_); }
  void type(const std::string& text) const { REQUIRE(::write(master_, text.data(), text.size()) > 0); }
  /// Reads until this has been drawn; false after 10 s.
  bool wait_for(const std::string& words) {
    for (int tries = 0; tries < 500 && drawn_.find(words) == std::string::npos; ++tries) {
      drain();
      sleep_ms(20);
    }
    return drawn_.find(words) != std::string::npos;
  }
  /// Bytes that are pending for the next reader of the terminal.
  [[nodiscard]] int left() const {
    const int slave = ::open(name().c_str(), O_RDWR | O_NOCTTY);
    int bytes = -1;
    ::ioctl(slave, FIONREAD, &bytes);
    ::close(slave);
    return bytes;
  }
  void drain() {
    std::array<char, 4096> piece{};
    for (ssize_t got = 0; (got = ::read(master_, piece.data(), piece.size())) > 0;)
      drawn_.append(piece.data(), static_cast<std::size_t>(got));
  }
  [[nodiscard]] const std::string& drawn() const noexcept { return drawn_; }

 private:
  int master_;
  std::string drawn_;
};

/// The command, drawing on this terminal; `words` end with the redirection to it.
std::vector<std::string> drawn_on(const Watched& terminal, const std::string& words) {
  std::system("mkdir -p /tmp/terminfo/x; cp /box/xterm /tmp/terminfo/x/xterm");
  return {"sh", "-c", "TERM=xterm TERMINFO=/tmp/terminfo exec /box/omnipar watch " + words + terminal.name()};
}

}  // namespace

TEST_CASE("Two players are ticked off, one of them on a panel that types", "[units]") {
  const UhidPad pad{"Ticking Pad", "t"};
  const UhidUnit panel{"Tern Two-Player Encoder", "e", 6, keyboard_descriptor()};
  REQUIRE(wait_for_nodes("Tern Two-Player Encoder", 1));
  REQUIRE(wait_for_nodes("Ticking Pad", 1));
  Program watch{{"/box/omnipar", "watch", "arcade-6b", "--players", "1,2", "--tick-off", "--json"}};
  REQUIRE(watch.wait_for("Press every control"));
  REQUIRE(tap_until(pad, watch, "Player 1 plays"));
  for (const unsigned hat : {0U, 2U, 4U, 6U}) press(pad, {0, static_cast<std::uint8_t>(hat)});
  for (const unsigned button : {0U, 1U, 3U, 4U, 6U, 7U, 10U, 11U})
    press(pad, {static_cast<std::uint16_t>(1U << button)});
  REQUIRE(watch.wait_for("Player 1 is complete."));
  constexpr const auto& left = tern_left;
  press(panel, left[4]);  // claims the seat, and is ticked off as well
  REQUIRE(watch.wait_for("Player 2 plays"));
  for (std::size_t i = 0; i + 1 < left.size(); ++i)
    if (i != 4) press(panel, left.at(i));
  CHECK_FALSE(watch.wait_for("Player 2 is complete.", 1, 500));  // the coin is missing
  press(panel, left.back());
  CHECK(watch.wait_for_end() == 0);
  const std::string output = watch.output();
  INFO(output);
  CHECK(output.find("\"complete\": true") != std::string::npos);
  CHECK(output.find("\"lost\": 0") != std::string::npos);
  CHECK(count(output, "\"ticked\": true") == 24);
  CHECK(count(output, "\"ticked\": false") == 0);
}

TEST_CASE("Watching units in use reports the process that holds them", "[units]") {
  const UhidPad pad{"Taken Pad", "t"};
  const Playing play{"pad-2b", pad};
  Program watch{{"/box/omnipar", "watch", "--once", "--json"}};
  CHECK(watch.wait_for_end() == 0);
  INFO(watch.output());
  CHECK(watch.output().find("\"grabbed_by\": \"omnipar (process " + std::to_string(play.process()) + ")") !=
        std::string::npos);
}

TEST_CASE("A unit grabbed during watch is reported with its process, and again when it is free", "[units]") {
  const UhidPad pad{"Taken Pad", "t"};
  REQUIRE(wait_for_nodes("Taken Pad", 1));
  Program watch{{"/box/omnipar", "watch", "pad-2b", "--json"}};
  REQUIRE(tap_until(pad, watch, "Player 1 plays"));
  {
    const Playing play{"pad-2b", pad};
    CHECK(watch.wait_for("omnipar (process " + std::to_string(play.process()) + ")"));
    CHECK(count(watch.output(), "omnipar (process") == 1);
  }
  pad.send({south});
  CHECK(watch.wait_for("\"inner\":1"));
  pad.send({});
  watch.signal(SIGTERM);
  CHECK(watch.wait_for_end() == 0);
}

TEST_CASE("Keys of a watched panel are no commands and do not reach the shell", "[units]") {
  const UhidUnit panel{"Tern Two-Player Encoder", "e", 6, keyboard_descriptor()};
  REQUIRE(wait_for_nodes("Tern Two-Player Encoder", 1));
  Watched terminal;
  Program watch{drawn_on(terminal, ">")};
  REQUIRE(terminal.wait_for("Tern Two-Player Encoder"));
  // As on the console: each key comes from the panel and also reaches the terminal.
  const auto press_and_type = [&](const std::string& text) {
    press(panel, {0, 0x19});
    terminal.type(text);
    terminal.drain();
    sleep_ms(100);
  };
  press_and_type("q");
  press_and_type("\x03");
  press_and_type("ls");
  CHECK(watch.wait_for_end(300) == -1);
  press_and_type("\x03");
  terminal.drain();
  CHECK(watch.wait_for_end() == 0);
  CHECK(terminal.left() == 0);
}

TEST_CASE("Eight units at 1 kHz beside a view: no event is lost, and every press is shown", "[clockwork]") {
  constexpr int units = eight_pads;
  std::vector<std::unique_ptr<UinputPad>> pads;
  write_eight_pads("/tmp/seen.toml");
  for (int i = 0; i < units; ++i) {
    pads.push_back(std::make_unique<UinputPad>("Seen Pad " + std::to_string(i + 1)));
    REQUIRE(wait_for_nodes(pads.back()->name(), 1));
  }
  Watched terminal;
  Program watch{drawn_on(terminal, "eight --data /tmp/seen.toml --with-virtual --json --tick-off 2>")};
  REQUIRE(terminal.wait_for("Seen Pad 8"));
  for (const auto& pad : pads) {
    tap(*pad);
    sleep_ms(100);
  }
  const int milliseconds = cases(1'000, 5'000);
  for (int ms = 0; ms < milliseconds; ++ms) {
    for (const auto& pad : pads) {
      pad->send(EV_ABS, ABS_X, (ms * 37) % 20'000 - 10'000);
      if (ms % 50 == 0) pad->send(EV_KEY, BTN_SOUTH, ms / 50 % 2 == 0 ? 1 : 0);
      pad->sync();
    }
    terminal.drain();
    sleep_ms(1);
  }
  sleep_ms(200);
  terminal.drain();
  watch.signal(SIGTERM);
  CHECK(watch.wait_for_end() == 1);  // no stick has been pushed to its ends
  const std::string output = watch.output();
  INFO(output);
  CHECK(output.find("\"lost\": 0") != std::string::npos);
  CHECK(count(output, "\"presses\": " + std::to_string(milliseconds / 100 + 1)) ==
        units);  // including the press for the seat
  WARN("bytes drawn: " << terminal.drawn().size());
}
