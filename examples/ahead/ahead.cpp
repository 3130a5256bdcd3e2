// Run-ahead: an emulator shows what the machine will do seven frames from now, and goes back before it plays the next
// frame. It polls its controllers in every frame, including frames that it undoes, so its readers go back with it.
//
// usage: ahead ROOM [FRAMES]
#include <cstdio>
#include <cstdlib>
#include <fstream>
#include <sstream>
#include <vector>

#include <omnipar/household.hpp>
#include <omnipar/omnipar.hpp>
#include <omnipar/session.hpp>
#include <omnipar/session_words.hpp>

namespace {

/// The machine: a moving marker, and shots. A save state contains all of it.
struct Machine {
  int place = 0;
  std::uint32_t shots = 0;
  std::uint32_t seen = 0;  ///< presses, by the reader's count
};

/// The machine's view of its pad, by the plan's target names.
struct Pad {
  explicit Pad(const omnipar::Plan& plan)
      : left(*plan.target(1, "left")), right(*plan.target(1, "right")), fire(*plan.target(1, "inner")) {}
  omnipar::TargetIndex left, right, fire;
};

/// One frame of the machine, which polls its pad.
void step(Machine& machine, omnipar::Reader& reader, const Pad& pad) {
  reader.next_frame();
  const omnipar::PortSample port = reader.port(1);
  machine.place += (port.pressed(pad.right) ? 1 : 0) - (port.pressed(pad.left) ? 1 : 0);
  if (port.presses(pad.fire) != machine.seen) ++machine.shots;
  machine.seen = port.presses(pad.fire);
}

omnipar::Room room_in(const char* path) {
  std::ostringstream text;
  text << std::ifstream{path}.rdbuf();
  return {path, omnipar::lines_of(text.str())};
}

/// Runs all frames with run-ahead, and returns the machine's state in each.
std::vector<omnipar::PortValues> play(omnipar::Session& session, int frames_ahead, Machine& machine, long& shown) {
  const Pad pad{session.plan()};
  omnipar::Reader reader{session.engine()};
  std::vector<omnipar::PortValues> samples;
  std::vector<std::byte> saved;
  omnipar::Time frame{};
  while (!session.over()) {
    session.run_until(frame += session.plan().frame());
    step(machine, reader, pad);
    samples.push_back(reader.port(1).values());
    saved.resize(session.save_size());  // grows when a unit is connected
    session.save(saved);
    const Machine then = machine;
    for (int i = 0; i < frames_ahead; ++i) step(machine, reader, pad);
    shown += machine.place;  // here it would draw
    machine = then;
    session.restore(saved);
  }
  return samples;
}

}  // namespace

int main(int count, char** words) {
  if (count < 2) return std::fprintf(stderr, "usage: ahead ROOM [FRAMES]\n"), 2;
  const int frames_ahead = count > 2 ? std::atoi(words[2]) : 7;
  std::vector<omnipar::PortValues> samples[2];
  Machine machines[2];
  for (const int way : {0, 1}) {
    omnipar::FoundProfile found = omnipar::find_profile("pad-2b", {.own_files = false});
    auto session = omnipar::Session::open_room({*found.profile, found.catalogue}, room_in(words[1]));
    if (!session) return std::fprintf(stderr, "ahead: %s\n", to_text(session.error().front()).c_str()), 1;
    long shown = 0;
    samples[way] = play(*session, way == 0 ? 0 : frames_ahead, machines[way], shown);
    if (session->failure()) return std::fprintf(stderr, "ahead: %s\n", to_text(*session->failure()).c_str()), 1;
    std::printf("%d frames ahead: %zu frames, the marker is at %d, %u shots\n", way == 0 ? 0 : frames_ahead,
                samples[way].size(), machines[way].place, machines[way].shots);
  }
  const bool same = samples[0] == samples[1];
  std::printf("%s\n", same ? "Every sample is the same." : "Samples differ.");
  return same ? 0 : 1;
}
