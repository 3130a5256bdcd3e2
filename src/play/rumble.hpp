// Rumble: effects that a game requests of a port's virtual pad reach the motors of the units at that port.
//
// An effect of a virtual pad:
//   none --upload--> loaded --play--> playing (on each unit with motors: uploaded or updated there, then played)
//   playing --stop, end of its duration, disconnect, freeze--> loaded --erase--> none
#pragma once

#include <linux/input.h>

#include <array>
#include <map>
#include <optional>
#include <set>
#include <span>
#include <vector>

#include "host/nodes.hpp"
#include "outlet/force.hpp"
#include "outlet/form.hpp"

namespace omnipar::inline abi_0::play {

/// The closest effect that a unit with these abilities can play, at a strength of 0..1; false if there is none.
/// `effect.id` is kept.
[[nodiscard]] bool translate(ff_effect& effect, std::span<const std::uint16_t> abilities, double strength);

/// The source of a rumble request at a port: its virtual device, or the program that opened the session. Each has its
/// own effects.
struct Asker {
  int port = 0;
  std::optional<outlet::FormKind> device{};
  // NOLINTNEXTLINE(modernize-use-nullptr): the 0 of a rewritten comparison is no pointer
  friend auto operator<=>(const Asker&, const Asker&) = default;
};

class Rumble {
 public:
  /// The nodes must outlive the rumble. `strength`: 0..1, a factor for all effects.
  Rumble(host::Nodes& nodes, double strength) noexcept : nodes_(nodes), strength_(strength) {}

  /// Carries out a request on the units at the port.
  void process(Asker asker, const std::vector<outlet::ForceRequest>& requests, std::span<const host::NodePart> parts);
  /// The node is gone.
  void forget(int node);
  /// Stops everything, and starts nothing until `thaw`.
  void freeze();
  /// Sets the units of a port: effects end on others, and endless effects continue here.
  void move(int port, std::span<const host::NodePart> parts);
  void thaw() noexcept { frozen_ = false; }
  /// Short rumble pulses that signal a change.
  void pulse(host::NodePart part, int times);

 private:
  struct Effect {
    bool loaded = false;
    ff_effect what{};
    std::map<host::NodePart, int> there;  ///< the effect's id on each unit
    std::set<host::NodePart> shaking;     ///< the units on which it was started
    bool playing = false;
  };
  struct Pad {
    std::array<Effect, outlet::most_effects> effects;
    double gain = 1;
  };

  void move(Pad& pad, std::span<const host::NodePart> parts);
  void upload(const Pad& pad, Effect& effect, const ff_effect& what);
  void erase(Effect& effect);
  void play(const Pad& pad, Effect& effect, std::int32_t times, std::span<const host::NodePart> parts);
  void start(const Pad& pad, Effect& effect, std::int32_t times, host::NodePart part);
  [[nodiscard]] bool put(const Pad& pad, Effect& effect, host::NodePart part);
  void put_anew(const Pad& pad, Effect& effect);

  host::Nodes& nodes_;
  double strength_;
  bool frozen_ = false;
  std::map<Asker, Pad> pads_;
  std::map<host::NodePart, int> pulses_;  ///< the id of the pulse on each unit
};

}  // namespace omnipar::inline abi_0::play
