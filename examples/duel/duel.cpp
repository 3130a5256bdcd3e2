// A stand-in for an emulator of a machine with two ports: everybody presses once and keeps their port, through whatever
// is unplugged and comes back. One throws by "inner", the other dodges by "left" and "right"; who is hit feels it.
//   duel                    plays with what is plugged in
//   duel --virtual          shows both ports to other programs, too
//   duel --poll             waits in a loop of its own, for one descriptor
//   duel --room FILE        the same from a room: a test that needs no device
#include <poll.h>

#include <csignal>
#include <cstdio>
#include <fstream>
#include <sstream>
#include <string>
#include <string_view>

#include <omnipar/omnipar.hpp>
#include <omnipar/session.hpp>
#include <omnipar/session_words.hpp>

namespace {

struct Words {
  bool with_virtual_devices = false, polls = false;
  std::string room;
};

Words words_of(int count, char** words) {
  Words all;
  for (int i = 1; i < count; ++i) {
    const std::string_view word = words[i];
    all.with_virtual_devices = all.with_virtual_devices || word == "--virtual";
    all.polls = all.polls || word == "--poll";
    if (word == "--room" && i + 1 < count) all.room = words[++i];
  }
  return all;
}

/// The machine, whose hotkeys are ours: start and the right shoulder swap the ports, start and the left one freeze.
omnipar::SessionOptions options_of(const Words& words) {
  omnipar::SessionOptions options;
  options.profile = omnipar::propose(options.catalogue, "pad-2b").value();
  options.profile.hotkeys.push_back({"swap-ports", "start", "right-shoulder"});
  options.profile.hotkeys.push_back({"freeze", "start", "left-shoulder"});
  options.profile.hotkeys.push_back({"save-state", "select", "right-shoulder"});
  options.virtual_devices = words.with_virtual_devices;
  options.signals = {SIGINT, SIGTERM};
  return options;
}

auto open(const Words& words) {
  if (words.room.empty()) return omnipar::Session::open(options_of(words));
  std::ostringstream text;
  text << std::ifstream{words.room}.rdbuf();
  return omnipar::Session::open_room(options_of(words), {words.room, omnipar::lines_of(text.str())});
}

/// The machine's own part: what is at each port, once a frame.
class Duel {
 public:
  explicit Duel(omnipar::Session& session) : session_(session), game_(session.engine()) {
    const omnipar::Plan& plan = session.plan();
    throw_ = plan.target(1, "inner").value();
    left_ = plan.target(1, "left").value();
    right_ = plan.target(1, "right").value();
  }

  void frame() {
    game_.next_frame();
    for (const int port : {1, 2}) {
      const omnipar::PortSample pad = game_.port(port);
      Player& player = players_[port - 1];
      const int place = pad.pressed(right_) ? 1 : pad.pressed(left_) ? -1 : 0;
      if (place != player.place) std::printf("port %d goes to %d\n", port, player.place = place);
      if (const std::uint32_t throws = pad.presses(throw_); throws != player.throws) {
        player.throws = throws;
        fly(port);
      }
    }
  }

 private:
  struct Player {
    int place = 0;
    std::uint32_t throws = 0;
  };

  void fly(int port) {
    const int other = 3 - port;
    const bool hit = players_[port - 1].place == players_[other - 1].place;
    std::printf("port %d throws: %s\n", port, hit ? "hit" : "missed");
    if (hit) session_.rumble(other, 1, 0.5, std::chrono::milliseconds{300});
  }

  omnipar::Session& session_;
  omnipar::Reader game_;
  omnipar::TargetIndex throw_, left_, right_;
  Player players_[2];
};

/// Waits until the end of the frame, as a program does that has a loop of its own.
bool poll_until(omnipar::Session& session, omnipar::Time until) {
  for (auto now = session.now(); now < until; now = session.now()) {
    pollfd input{session.descriptor(), POLLIN, 0};
    const auto left = std::chrono::ceil<std::chrono::milliseconds>(until - now);
    if (poll(&input, 1, static_cast<int>(left.count())) > 0) session.take();
  }
  session.take();
  return !session.failure();
}

}  // namespace

int main(int count, char** all_words) {
  const Words words = words_of(count, all_words);
  std::setvbuf(stdout, nullptr, _IOLBF, 0);
  auto session = open(words);
  if (!session) {
    for (const auto& why : session.error()) std::fprintf(stderr, "duel: %s\n", to_text(why).c_str());
    return 1;
  }
  Duel duel{*session};
  session->light_number(1);
  session->light_number(2);
  bool plays = true;
  for (auto frame = session->now(); plays; frame += session->plan().frame()) {
    plays = words.polls ? poll_until(*session, frame) : session->run_until(frame);
    duel.frame();
    while (const auto event = session->next_event()) {
      if (const auto* hotkey = std::get_if<omnipar::HotkeyFired>(&*event)) {
        std::printf("hotkey: %s\n", hotkey->action.c_str());
        plays = plays && hotkey->action != omnipar::exit_action;
      }
      if (std::holds_alternative<omnipar::SignalCaught>(*event)) plays = false;
      if (const auto* felt = std::get_if<omnipar::Felt>(&*event))
        std::printf("\"%s\" shakes %.1f %.1f\n", felt->unit.c_str(), felt->strong, felt->weak);
      if (const std::string told = to_text(*event, *session); !told.empty()) std::printf("%s\n", told.c_str());
    }
  }
  if (session->failure()) std::fprintf(stderr, "duel: %s\n", to_text(*session->failure()).c_str());
  return session->failure() ? 1 : 0;
}
