// Rumble: what a game asks of a port's virtual pad reaches the motors of the units that play there.
//
// An effect of a virtual pad:
//   none --upload--> loaded --play--> playing (on each unit with motors: put there, or put anew, then played)
//   playing --stop, its length, the unit leaves, freeze--> loaded --erase--> none
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

/// The effect as a unit with these abilities can have it, at a strength of 0..1; false if it has no way at all.
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
  /// The nodes must outlive the rumble. `strength`: 0..1, by which all is scaled.
  Rumble(host::Nodes& nodes, double strength) noexcept : nodes_(nodes), strength_(strength) {}

  /// Does what was asked, on those that play the port.
  void process(Asker asker, const std::vector<outlet::ForceRequest>& requests, std::span<const host::NodePart> parts);
  /// The node is no more.
  void forget(int node);
  /// Whatever plays is stopped, and nothing is begun until `thaw`.
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
    std::map<host::NodePart, int> there;  ///< the effect's number on each
    std::set<host::NodePart> shaking;     ///< those on which it was begun
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
  std::map<host::NodePart, int> pulses_;  ///< the number of the pulse on each
};

}  // namespace omnipar::inline abi_0::play
