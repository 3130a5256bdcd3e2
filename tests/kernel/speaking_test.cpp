// Several programs and several players on one unit, stuck switches, and readers that disappear.
#include <catch2/catch.hpp>

#include <fcntl.h>
#include <sys/ioctl.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <csignal>
#include <cstdlib>
#include <fstream>
#include <memory>

#include "made_units.hpp"
#include "support/settings.hpp"

using namespace omnipar::test;

namespace {

/// A new home directory, in which pads with these names have been seated in this order.
class Household {
 public:
  Household(const std::string& name, bool root, const std::vector<std::pair<const UhidPad*, std::string>>& seated)
      : folder_("/tmp/" + name), root_(root) {
    std::system(("rm -rf " + folder_ + "; mkdir -p " + folder_ + "; chmod 0777 " + folder_).c_str());
    if (seated.empty()) return;
    std::string seats;
    for (const auto& [pad, seat] : seated) seats += " " + seat;
    Program call = run("rig rollcall" + seats);
    for (const auto& [pad, seat] : seated) {
      REQUIRE(call.wait_for(seat + ": press any button"));
      REQUIRE(tap_until(*pad, call, "takes " + seat));
    }
    REQUIRE(call.wait_for_end() == 0);
  }
  [[nodiscard]] std::string command(const std::string& words) const {
    return "env XDG_CONFIG_HOME=" + folder_ + " XDG_STATE_HOME=" + folder_ + "/state /box/omnipar " + words;
  }
  [[nodiscard]] Program run(const std::string& words) const { return Program{run_by(root_, "exec " + command(words))}; }

 private:
  std::string folder_;
  bool root_;
};

bool is_free(const NodeReader& node) {
  if (::ioctl(node.descriptor(), EVIOCGRAB, 1) != 0) return false;
  ::ioctl(node.descriptor(), EVIOCGRAB, 0);
  return true;
}

template <typename IsSo>
bool soon(IsSo is_so) {
  for (int tries = 0; tries < 150; ++tries, sleep_ms(20))
    if (is_so()) return true;
  return false;
}

}  // namespace

TEST_CASE("Seats named by the user match those of a proposed profile", "[speaking]") {
  const OpenNodes open;
  const bool root = is_root();
  const UhidPad first{"Own Pad", "o1"};
  const UhidPad second{"Own Pad", "o2"};
  REQUIRE(wait_for_nodes("Own Pad", 2));
  const Household home{"own", root, {{&first, "left"}, {&second, "shelf"}}};
  Program play = home.run("play pad-2b");
  CHECK(play.wait_for("Player 1 continues with \"Own Pad\""));
  CHECK(play.wait_for("Player 2 continues with \"Own Pad (2)\""));
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
  // For a profile with other seats they are players like any others.
  std::ofstream{"/tmp/other.toml"} << "omnipar = 1\nkind = \"profile\"\nname = \"other\"\nsystem = \"pad-2b\"\n"
                                      "[port.1]\nseat = \"sofa\"\n[port.2]\nseat = \"shelf\"\n";
  Program check = home.run("check /tmp/other.toml");
  CHECK(check.wait_for_end() == 0);
  CHECK(check.output().find("No port is played from the seat of \"Own Pad\" (seat left)") != std::string::npos);
  Program other = home.run("play /tmp/other.toml");
  CHECK(other.wait_for("\"Own Pad\" is assigned to seat left, which plays no port in this profile. Press a button"));
  CHECK(other.wait_for("Player 2 continues with \"Own Pad (2)\""));
  CHECK(tap_until(first, other, "Player 1 plays with \"Own Pad\""));
  other.signal(SIGTERM);
  CHECK(other.wait_for_end() == 0);
}

TEST_CASE("Arguments after '--' are passed to the program unchanged", "[speaking]") {
  const OpenNodes open;
  const bool root = is_root();
  std::ofstream{"/tmp/none.toml"} << "omnipar = 1\nkind = \"rig\"\n";
  const std::string words =
      "/box/omnipar play pad-2b --data /tmp/none.toml --wait-at-most 0 -- echo --help --data x -- y";
  Program play{run_by(root, "exec " + words)};
  CHECK(play.wait_for_end() == 0);
  CHECK(play.output().find("--help --data x -- y") != std::string::npos);
  Program empty{{"/box/omnipar", "play", "pad-2b", "--", ""}};
  CHECK(empty.wait_for_end() == 127);
  CHECK(empty.output().find("the program's name is empty") != std::string::npos);
  std::ofstream{"/tmp/lost.sh"} << "#!/nowhere/sh\n";
  REQUIRE(std::system("chmod 0755 /tmp/lost.sh") == 0);
  Program lost{{"/box/omnipar", "play", "pad-2b", "--wait-at-most", "0", "--", "/tmp/lost.sh"}};
  CHECK(lost.wait_for_end() == 125);
  CHECK(lost.output().find("its interpreter or a library is missing") != std::string::npos);
}

TEST_CASE("A stuck switch blocks neither the program nor a long press, and others see its release", "[speaking]") {
  const OpenNodes open;
  const bool root = is_root();
  const UhidPad pad{"Stuck Pad", "st"};
  REQUIRE(wait_for_nodes("Stuck Pad", 1));
  const Household home{"stuck", root, {{&pad, "left"}}};
  NodeReader desktop{nodes_named("Stuck Pad").front()};
  pad.send({west});
  REQUIRE(desktop.wait_for(EV_KEY, BTN_WEST, 1));
  Program play = home.run("play pad-2b --wait-at-most 0 -- sh -c 'echo it runs; sleep 4'");
  CHECK(play.wait_for(
      "\"Stuck Pad\": BTN_WEST stays held. The unit is grabbed anyway: other programs receive a release"));
  CHECK(play.wait_for("it runs"));
  CHECK(desktop.wait_for(EV_KEY, BTN_WEST, 0));
  NodeReader game{nodes_named(port_1).front()};
  desktop.forget_events();
  pad.send({west | east});
  CHECK(game.wait_for(EV_KEY, BTN_EAST, 1));
  pad.send({west});
  CHECK(game.wait_for(EV_KEY, BTN_EAST, 0));
  desktop.drain();
  CHECK(desktop.events().empty());
  CHECK(play.wait_for_end() == 0);
  pad.send({});
}

TEST_CASE("A program that ignores Ctrl-C gets SIGTERM before SIGKILL, as do processes that a launcher leaves behind",
          "[speaking]") {
  const OpenNodes open;
  const bool root = is_root();
  const bool launcher = GENERATE(false, true);
  CAPTURE(root, launcher);
  std::remove("/tmp/guest/saved");
  std::ofstream{"/tmp/game.sh"} << "trap '' INT; trap 'echo saved >/tmp/guest/saved; exit 0' TERM\necho it runs\n"
                                   "for i in $(seq 60); do sleep 0.1; done\n";
  const std::string program = launcher ? "sh /tmp/game.sh & sleep 0.5" : "exec sh /tmp/game.sh";
  const auto words =
      run_by(root, "exec /box/omnipar play pad-2b --wait-at-most 0 --insist-after 4 -- sh -c '" + program + "'");
  std::vector<char*> pointers;
  for (const std::string& word : words) pointers.push_back(const_cast<char*>(word.c_str()));
  pointers.push_back(nullptr);
  const int terminal = ::posix_openpt(O_RDWR | O_NOCTTY);
  REQUIRE(terminal >= 0);
  REQUIRE(::grantpt(terminal) == 0);
  REQUIRE(::unlockpt(terminal) == 0);
  const std::string name = ::ptsname(terminal);
  const pid_t child = ::fork();
  if (child == 0) {
    ::setsid();
    const int slave = ::open(name.c_str(), O_RDWR);
    for (const int stream : {0, 1, 2}) ::dup2(slave, stream);
    ::execvp(pointers.front(), pointers.data());
    ::_exit(127);
  }
  std::string said;
  const auto read_until = [&](const std::string& words) {
    ::fcntl(terminal, F_SETFL, O_NONBLOCK);
    return soon([&] {
      char piece[512];
      for (ssize_t got = ::read(terminal, piece, sizeof piece); got > 0; got = ::read(terminal, piece, sizeof piece))
        said.append(piece, static_cast<std::size_t>(got));
      return said.find(words) != std::string::npos;
    });
  };
  CHECK(read_until("it runs"));
  if (launcher) CHECK(read_until("Play continues until that ends"));
  REQUIRE(::write(terminal, "\x03", 1) == 1);
  CHECK(soon([] { return contents("/tmp/guest/saved") == "saved\n"; }));
  CHECK(read_until("Asked "));
  int status = -1;
  CHECK(soon([&] { return ::waitpid(child, &status, WNOHANG) == child; }));
  INFO(said);
  CHECK(said.find("It did not quit and is killed") == std::string::npos);
  ::close(terminal);
}

TEST_CASE("A closed output pipe does not end play", "[speaking]") {
  const OpenNodes open;
  const bool root = is_root();
  const UhidPad pad{"Piped Pad", "pi"};
  REQUIRE(wait_for_nodes("Piped Pad", 1));
  const Household home{"piped", root, {{&pad, "left"}}};
  std::remove("/tmp/piped/gone");
  const std::string command = home.command("play pad-2b -- sh -c 'sleep 4; exit 7'");
  Program play{run_by(root, command + " 2>&1 | (head -n 1; echo >/tmp/piped/gone)")};
  REQUIRE(soon([] { return contents("/tmp/piped/gone") == "\n"; }));
  REQUIRE(soon([] { return !nodes_named(port_1).empty(); }));
  sleep_ms(1000);
  NodeReader game{nodes_named(port_1).front()};
  pad.send({east});
  CHECK(game.wait_for(EV_KEY, BTN_EAST, 1));
  pad.send({});
  CHECK(game.wait_for_end());
  CHECK(game.held() == 0);
}

TEST_CASE("A unit held by another program is reported, and used when it is free", "[speaking]") {
  const OpenNodes open;
  const bool root = is_root();
  const UhidPad pad{"Lent Pad", "le"};
  REQUIRE(wait_for_nodes("Lent Pad", 1));
  const Household home{"lent", root, {{&pad, "left"}}};
  const NodeReader holder{nodes_named("Lent Pad").front()};
  NodeReader third{nodes_named("Lent Pad").front()};
  REQUIRE(::ioctl(holder.descriptor(), EVIOCGRAB, 1) == 0);
  Program play = home.run("play pad-2b");
  const std::string who = root ? "kernel-tests (process " + std::to_string(::getpid()) + ")" : "another program";
  CHECK(play.wait_for("\"Lent Pad\" is grabbed by " + who));
  sleep_ms(700);
  CHECK(play.output().find("Release all buttons") == std::string::npos);
  REQUIRE(::ioctl(holder.descriptor(), EVIOCGRAB, 0) == 0);
  CHECK(soon([&] { return !is_free(third); }));  // although it has reported nothing
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
}

TEST_CASE("A second play leaves units in use alone; 'trace record' and 'doctor' name their process", "[speaking]") {
  const OpenNodes open;
  const bool root = is_root();
  const UhidPad pad{"Wanted Pad", "wa"};
  REQUIRE(wait_for_nodes("Wanted Pad", 1));
  const Household home{"wanted", root, {}};
  Program first = home.run("play pad-2b");
  REQUIRE(first.wait_for("Player 1: press any button"));
  sleep_ms(300);
  const std::string who = "omnipar (process " + std::to_string(first.process()) + ")";
  Program second = home.run("play pad-2b");
  CHECK(second.wait_for("\"Wanted Pad\" is in use by " + who + " and is left alone."));
  REQUIRE(second.wait_for("Player 1: press any button"));
  REQUIRE(tap_until(pad, first, "Player 1 plays"));
  sleep_ms(300);
  CHECK(second.output().find("Player 1 plays") == std::string::npos);
  CHECK(nodes_named(port_1).size() == 1);  // the second one's devices have distinct names
  CHECK(nodes_named("Omnipar port 1 pad (2)").size() == 1);
  second.signal(SIGTERM);
  CHECK(second.wait_for_end() == 0);
  const std::string held = "\"Wanted Pad\" is grabbed by " + who + ": no input from it arrives.";
  std::remove("/tmp/wanted/beside.trace");
  Program record = home.run("trace record /tmp/wanted/beside.trace --seconds 0.5");
  CHECK(record.wait_for_end() == 0);
  CHECK(record.output().find(held) != std::string::npos);
  Program listen = home.run("units --listen 0.5");
  CHECK(listen.wait_for_end() == 0);
  CHECK(listen.output().find(held) != std::string::npos);
  Program call = home.run("rig rollcall left --seconds 1 --rig /tmp/wanted/rig.toml");
  CHECK(call.wait_for_end() == 1);
  CHECK(call.output().find("\"Wanted Pad\" is in use by " + who + " and is left alone") != std::string::npos);
  std::ofstream{"/tmp/wanted/rig.toml"} << "omnipar = 1\nkind = \"rig\"\n[[unit]]\nname = \"w\"\nseat = \"left\"\n"
                                           "vendor = 0x1209\nproduct = 2\nmodel = \"Wanted Pad\"\nserial = \"wa\"\n";
  Program calibrate = home.run("calibrate combinations w --seconds 1 --rig /tmp/wanted/rig.toml");
  CHECK(calibrate.wait_for_end() == 1);
  CHECK(calibrate.output().find("\"Wanted Pad\" is in use by " + who + " and is left alone") != std::string::npos);
  Program doctor = home.run("doctor");
  CHECK(doctor.wait_for_end() >= 0);
  CHECK(doctor.output().find("good   \"Wanted Pad\" (" + nodes_named("Wanted Pad").front() + ") is in use by " + who) !=
        std::string::npos);
  CHECK(doctor.output().find("kill") == std::string::npos);
  first.signal(SIGTERM);
  CHECK(first.wait_for_end() == 0);
}

TEST_CASE("Two idle units of the same model are distinguished by their sockets", "[speaking]") {
  const OpenNodes open;
  const bool root = is_root();
  std::vector<std::unique_ptr<UhidPad>> pads;
  for (const char* serial : {"t1", "t2", "t3", "t4"}) {
    pads.push_back(std::make_unique<UhidPad>("Twin Pad", serial));
    REQUIRE(wait_for_nodes("Twin Pad", pads.size()));
  }
  const auto node_of = [](std::size_t pad) { return nodes_named("Twin Pad").at(pad); };
  const Household home{"twins", root, {}};
  Program call = home.run("rig rollcall one two");
  REQUIRE(call.wait_for("one: press any button"));
  CHECK(tap_until(*pads[3], call, "\"Twin Pad (" + node_of(3) + ")\" takes one"));
  call.signal(SIGINT);
  CHECK(call.wait_for_end() == 1);
  Program play = home.run("play pad-2b");
  REQUIRE(play.wait_for("press any button"));
  CHECK(tap_until(*pads[1], play, "Player 1 plays with \"Twin Pad\""));
  CHECK(tap_until(*pads[2], play, "Player 2 plays with \"Twin Pad (2)\""));
  for (const std::size_t late : {std::size_t{0}, std::size_t{3}})
    CHECK(tap_until(*pads.at(late), play, "\"Twin Pad (" + node_of(late) + ")\""));
  INFO(play.output());
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
}

TEST_CASE("An interrupted roll call changes nothing", "[speaking]") {
  const OpenNodes open;
  const bool root = is_root();
  const UhidPad first{"Called Pad", "c1"};
  const UhidPad second{"Called Pad", "c2"};
  REQUIRE(wait_for_nodes("Called Pad", 2));
  const Household home{"called", root, {{&first, "left"}, {&second, "right"}}};
  const std::string before = contents("/tmp/called/omnipar/rig.toml");
  REQUIRE_FALSE(before.empty());
  Program call = home.run("rig rollcall one two");
  REQUIRE(call.wait_for("one: press any button"));
  REQUIRE(tap_until(second, call, "takes one"));
  call.signal(SIGINT);
  CHECK(call.wait_for_end() == 1);
  CHECK(call.output().find("Cancelled; nothing was changed.") != std::string::npos);
  CHECK(contents("/tmp/called/omnipar/rig.toml") == before);
  // A unit that the rig knows gets the given name, and the seat's other unit is named.
  Program add = home.run("rig add left --name blue");
  REQUIRE(add.wait_for("left: press any button"));
  REQUIRE(tap_until(second, add, "takes left"));
  CHECK(add.wait_for_end() == 0);
  CHECK(add.output().find("\"Called Pad\" is at left as well. Both can play from it.") != std::string::npos);
  CHECK(contents("/tmp/called/omnipar/rig.toml").find("name = \"blue\"") != std::string::npos);
}

TEST_CASE("A recording on a full disk ends with a complete line", "[speaking]") {
  const OpenNodes open;
  const bool root = is_root();
  const UhidPad pad{"Talking Pad", "ta"};
  REQUIRE(wait_for_nodes("Talking Pad", 1));
  REQUIRE(std::system("mkdir -p /tmp/small && mount -t tmpfs -o size=16k,mode=0777 none /tmp/small") == 0);
  Program record{run_by(root, "exec /box/omnipar trace record /tmp/small/full.trace")};
  REQUIRE(record.wait_for("recording \"Talking Pad\""));
  for (int i = 0; i < 3000 && record.wait_for_end(0) < 0; ++i) {
    pad.send({static_cast<std::uint16_t>(i % 2 == 0 ? south : east), 8, static_cast<std::uint8_t>(i)});
    ::usleep(500);
  }
  pad.send({});
  CHECK(record.wait_for_end() == 3);
  CHECK(record.output().find("cannot continue writing: No space left on device") != std::string::npos);
  Program check{{"/box/omnipar", "check", "/tmp/small/full.trace"}};
  CHECK(check.wait_for_end() == 0);
  INFO(check.output());
  CHECK(std::system("umount /tmp/small") == 0);
}

TEST_CASE("Unwritable files are reported before play", "[speaking]") {
  std::system("mkdir -p /tmp/locked && chmod 0555 /tmp/locked");
  const std::string words =
      "env XDG_CONFIG_HOME=/tmp/locked XDG_STATE_HOME=/tmp/locked /box/omnipar play pad-2b --keep evening";
  Program play{as_guest(words)};
  CHECK(play.wait_for_end() == 3);
  CHECK(play.output().find("cannot save the previous version") != std::string::npos);
  CHECK(play.output().find("press any button") == std::string::npos);
}

TEST_CASE("A shared coin button seats no player and works for seated ones", "[speaking]") {
  const OpenNodes open;
  const bool root = is_root();
  const UhidUnit encoder{"Tern Two-Player Encoder", "co", 6, keyboard_descriptor()};
  REQUIRE(wait_for_nodes("Tern Two-Player Encoder", 1));
  constexpr std::uint8_t coin = 0x40, of_the_right = 0x1c;  // the keys F7 and Y
  const auto tap = [&encoder](std::uint8_t usage) {
    encoder.send_bytes({0, 0, usage, 0, 0, 0, 0, 0});
    sleep_ms(60);
    encoder.send_bytes({0, 0, 0, 0, 0, 0, 0, 0});
    sleep_ms(60);
  };
  Playing play{run_by(root, "exec /box/omnipar play arcade-4b")};
  sleep_ms(300);
  tap(coin);
  tap(of_the_right);
  REQUIRE(play.wait_for("Player 1 plays with \"Tern Two-Player Encoder, right\""));
  NodeReader one{nodes_named(port_1).front()};
  NodeReader two{nodes_named("Omnipar port 2 pad").front()};
  encoder.send_bytes({0, 0, coin, 0, 0, 0, 0, 0});
  CHECK(soon([&] { return one.drain() && !one.events().empty(); }));
  encoder.send_bytes({0, 0, 0, 0, 0, 0, 0, 0});
  sleep_ms(200);
  CHECK(two.drain());
  CHECK(two.events().empty());
  CHECK(play.output().find("Player 2 plays") == std::string::npos);
  play.signal(SIGTERM);
  CHECK(play.wait_for_end() == 0);
}
