// Plays a trace: the same table, engine and readers as a live session, with the trace's own time. Calls
// no system.
#pragma once

#include <optional>

#include "omnipar/omnipar.hpp"
#include "play/table.hpp"
#include "play/trace_host.hpp"

namespace omnipar::play {

/// Who looks on. Acts and frames come in order of time; an act at the very moment of a frame comes first.
class Audience : public Listener {
 public:
  /// Something is about to happen to a unit. Raw reports are told as the changes that they make.
  virtual void act(const TraceEvent& event, const Description& unit) = 0;
  /// The machine has taken a sample; the reader shows it.
  virtual void frame(Time time, const Reader& reader) = 0;
  /// Ports have changed places; from the next frame on this is played.
  virtual void swapped(const Plan& plan) = 0;
  /// From the next frame on only hotkeys are heard, or everything again.
  virtual void froze(bool frozen) = 0;
};

class Script {
 public:
  /// The audience must outlive the script.
  /// With the plan's `profile`, its ports can be swapped by a hotkey.
  Script(const Plan& plan, const Catalogue& catalogue, Rig rig, Audience& audience, Profile profile = {});

  /// Takes the next event; `unit` is what it happens to.
  void take(const TraceEvent& event, const Description& unit) { host_.take(event, unit); }
  /// All that was taken is played: what is plugged in waits for what comes with it.
  void settle() { host_.settle(); }
  /// Two more frames, so that everything is seen.
  void finish();
  /// True once the plan's exit action has fired: nothing more is played.
  [[nodiscard]] bool ended() const noexcept { return ended_; }
  [[nodiscard]] const Engine& engine() const noexcept { return engine_; }
  [[nodiscard]] const Rig& rig() const noexcept { return table_.rig(); }

 private:
  void play(const TraceEvent& event, const Description& node);
  void frames_before(Time time);
  void take_frame();
  void swap_ports();

  const Catalogue& catalogue_;
  Profile profile_;
  Engine engine_;
  Audience& audience_;
  Table table_;
  Reader reader_;
  TraceHost host_;
  std::int64_t frame_ = 0;  ///< number of the last frame; frame n lies at n times the machine's frame
  bool ended_ = false;
  bool turned_ = false;  ///< swapped, frozen or thawed, and nothing has been looked at since
};

}  // namespace omnipar::play
