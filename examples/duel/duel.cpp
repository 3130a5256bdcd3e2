// A stand-in for an emulator of a machine with two ports: each player presses once and keeps their port, whatever is
// unplugged and reconnected. One throws with "inner", the other dodges with "left" and "right"; a hit is felt as
// rumble.
//   duel                      plays with the connected units
//   duel --virtual            shows both ports to other programs, too
//   duel --poll               waits in its own loop, for one descriptor
//   duel --room FILE          the same from a room: a test that needs no device
//   duel --with-virtual       also uses units that other programs created
//   duel --seat UNIT SEAT     that unit plays from that seat after the first throw
#include <poll.h>

#include <array>
#include <csignal>
#include <cstdio>
#include <fstream>
#include <sstream>
#include <string>
#include <utility>

#include <omnipar/household.hpp>
#include <omnipar/omnipar.hpp>
#include <omnipar/session.hpp>
#include <omnipar/session_words.hpp>

namespace {

struct Words {
  bool shows = false, polls = false, takes_virtual = false;
  std::string room, unit, seat;
};

Words words_of(int count, char** words) {
  Words all;
  for (int i = 1; i < count; ++i) {
    const std::string word = words[i];
    if (word == "--virtual") all.shows = true;
    if (word == "--poll") all.polls = true;
    if (word == "--with-virtual") all.takes_virtual = true;
    if (word == "--room" && i + 1 < count) all.room = words[++i];
    if (word == "--seat" && i + 2 < count) all.unit = words[i + 1], all.seat = words[i + 2], i += 2;
  }
  return all;
}

/// The user's rig and profile, except in a simulated room. Adds hotkeys: start with the right shoulder swaps the ports,
/// start with the left one freezes, select with the left one is handled by this program.
tl::expected<omnipar::Session, omnipar::Diagnostics> open(const Words& words) {
  omnipar::HouseholdFiles files;
  files.own_files = words.room.empty();
  omnipar::FoundProfile found = omnipar::find_profile("pad-2b", files);
  if (!found.profile) return tl::unexpected(found.problems);
  omnipar::SessionOptions options{*found.profile, found.catalogue};
  if (auto kept = omnipar::find_rig(files)) options.rig = kept->rig;
  for (const auto& [action, modifier, press] :
       {std::array{"swap-ports", "start", "right-shoulder"}, std::array{"freeze", "start", "left-shoulder"},
        std::array{"save-state", "select", "left-shoulder"}})
    options.profile.hotkeys.push_back({action, modifier, press});
  options.virtual_devices = words.shows;
  options.with_virtual = words.takes_virtual;
  options.signals = {SIGINT, SIGTERM};
  if (words.room.empty()) return omnipar::Session::open(options);
  std::ifstream file{words.room};
  if (!file)
    return tl::unexpected(omnipar::Diagnostics{
        {"no-file", omnipar::Severity::error, "no such file", words.room, "name a room: examples/duel/duel.room"}});
  std::ostringstream text;
  text << file.rdbuf();
  return omnipar::Session::open_room(options, {words.room, omnipar::lines_of(text.str())});
}

/// The machine's own part: the input at each port, once per frame.
class Duel {
 public:
  explicit Duel(omnipar::Session& session) : session_(session), game_(session.engine()) {}

  /// True if either player threw.
  bool frame() {
    bool any = false;
    game_.next_frame();
    for (const int port : {1, 2}) {
      const omnipar::PortSample pad = game_.port(port);
      Player& player = players_[port - 1];
      const int place = pad.pressed(right_) ? 1 : pad.pressed(left_) ? -1 : 0;
      if (place != player.place) std::printf("port %d goes to %d\n", port, player.place = place);
      if (pad.presses(throw_) == std::exchange(player.throws, pad.presses(throw_))) continue;
      any = true;
      const int other = 3 - port;
      const bool hits = player.place == players_[other - 1].place;
      std::printf("port %d throws: %s\n", port, hits ? "hit" : "missed");
      if (hits) session_.rumble(other, 1, 0.5, std::chrono::milliseconds{300});
    }
    return any;
  }

 private:
  struct Player {
    int place = 0;
    std::uint32_t throws = 0;
  };
  omnipar::TargetIndex target(const char* name) const { return session_.plan().target(1, name).value(); }

  omnipar::Session& session_;
  omnipar::Reader game_;
  omnipar::TargetIndex throw_ = target("inner"), left_ = target("left"), right_ = target("right");
  Player players_[2];
};

/// Waits until the end of the frame like a program with its own loop. False when no more input can arrive.
bool poll_until(omnipar::Session& session, omnipar::Time until) {
  for (auto now = session.now(); now < until; now = session.now()) {
    pollfd input{session.descriptor(), POLLIN, 0};
    const auto left = std::chrono::ceil<std::chrono::milliseconds>(until - now);
    if (poll(&input, 1, static_cast<int>(left.count())) > 0) session.process();
    if (session.over()) return false;
  }
  session.process();
  return !session.failure();
}

/// Prints an event. Returns false if the player ends the session.
bool keeps_running(const omnipar::SessionEvent& event, const omnipar::Session& session) {
  if (const std::string text = to_text(event, session); !text.empty()) std::printf("%s\n", text.c_str());
  if (const auto* felt = std::get_if<omnipar::Felt>(&event))
    std::printf("\"%s\" shakes %.1f %.1f\n", felt->unit.c_str(), felt->strong, felt->weak);
  const auto* fired = std::get_if<omnipar::HotkeyFired>(&event);
  if (fired != nullptr) std::printf("hotkey: %s\n", fired->action.c_str());
  return !std::holds_alternative<omnipar::SignalCaught>(event) &&
         (fired == nullptr || fired->action != omnipar::exit_action);
}

}  // namespace

int main(int count, char** all_words) {
  const Words words = words_of(count, all_words);
  std::setvbuf(stdout, nullptr, _IOLBF, BUFSIZ);
  auto session = open(words);
  if (!session) {
    std::fprintf(stderr, "duel: %s\n", to_text(session.error().front()).c_str());
    return 1;
  }
  Duel duel{*session};
  session->light_number(1);
  session->light_number(2);
  bool running = true;
  for (auto frame = session->now(); running; frame += session->plan().frame()) {
    running = words.polls ? poll_until(*session, frame) : session->run_until(frame);
    if (duel.frame() && !words.unit.empty())
      for (const omnipar::UnitHere& unit : session->units())
        if (unit.name == words.unit)
          if (const auto why = session->reseat(unit.id, words.seat)) std::printf("%s\n", to_text(*why).c_str());
    while (const auto event = session->next_event()) running = keeps_running(*event, *session) && running;
  }
  if (session->failure()) std::fprintf(stderr, "duel: %s\n", to_text(*session->failure()).c_str());
  return session->failure() ? 1 : 0;
}
