#include "play/words.hpp"

#include <algorithm>
#include <vector>

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "base/list.hpp"
#include "base/shell_word.hpp"
#include "omnipar/bindings.hpp"
#include "omnipar/session_words.hpp"

namespace omnipar::inline abi_0 {
namespace {

/// "\"Omnipar port 1 pad\" (/dev/input/event7)", all of them; empty if there are none.
std::string device_words(const Session& session, int port) {
  std::vector<std::string> words;
  for (const VirtualDeviceHere& device : session.virtual_devices())
    if (device.port == port)
      words.push_back(fmt::format("\"{}\"{}", device.name, device.node.empty() ? "" : " (" + device.node + ")"));
  return words.empty() ? "" : fmt::format(" on {}", fmt::join(words, " and "));
}

/// One sentence per kind of event.
class Teller {
 public:
  explicit Teller(const Session& session) : session_(session) {}

  std::string operator()(const Seated& event) const {
    std::vector<std::string> lines;
    for (const PortInfo& port : session_.plan().ports()) {
      if (!port.is_played_from(event.seat)) continue;
      if (!port.splitter.empty() && !event.again)
        lines.push_back(fmt::format("Port {} requires {}: enable it in the emulator.", port.number, port.splitter));
      lines.push_back(fmt::format("{} {} with \"{}\"{}.", who(event.seat), event.again ? "continues" : "plays",
                                  event.unit, device_words(session_, port.number)));
    }
    if (std::string asked = event.again ? "" : invitation(session_); !asked.empty()) lines.push_back(std::move(asked));
    return fmt::format("{}", fmt::join(lines, "\n"));
  }
  std::string operator()(const Joined& event) const {
    return fmt::format("{} also has \"{}\".", who(event.seat), event.unit);
  }
  std::string operator()(const Left& event) const {
    return fmt::format("{}: \"{}\" was disconnected; its buttons are released. Reconnect it to continue.",
                       who(event.seat), event.unit);
  }
  std::string operator()(const LeftSeat& event) const {
    return fmt::format("{}: \"{}\" left the seat; its buttons are released. Press a button on it to take a free seat.",
                       who(event.seat), event.unit);
  }
  std::string operator()(const SocketChanged& event) const {
    const std::string_view what = event.plug == Plug::none     ? "its socket is empty."
                                  : event.plug == Plug::put_in ? "something was plugged into its socket."
                                                               : "unplugged; its buttons are released.";
    return fmt::format("{}\"{}\": {}", event.seat.empty() ? "" : who(event.seat) + ": ", event.unit, what);
  }
  std::string operator()(const Waiting&) const { return ""; }
  std::string operator()(const SeatedElsewhere& event) const {
    return fmt::format(
        "\"{}\" is assigned to seat {}, which plays no port in this profile. Press a button on it to take another "
        "seat.",
        event.unit, event.seat);
  }
  std::string operator()(const Beside& event) const {
    return fmt::format("{} now uses both \"{}\" and \"{}\".", who(event.seat), event.other, event.unit);
  }
  std::string operator()(const Asked& event) const {
    return fmt::format("{}: \"{}\" {}. Press a button on yours.", who(event.seat), event.unit, to_text(event.doubt));
  }
  std::string operator()(const Lacks& event) const {
    return fmt::format(
        "{}: \"{}\" has no control for {}. Add a unit that does (omnipar rig add {}), or bind other controls (omnipar "
        "profile new NAME --system {}).",
        who(event.seat), event.unit, some_listed(event.targets), event.seat, session_.plan().system());
  }
  std::string operator()(const Idle& event) const {
    return fmt::format("{}: {} on \"{}\" {} nothing. To list such controls{}: omnipar why --unused --profile PROFILE",
                       who(event.seat), some_listed(event.controls), event.unit,
                       event.controls.size() == 1 ? "does" : "do",
                       has_free_target(event.seat) ? " and free targets" : "");
  }
  std::string operator()(const LooksLikeGun& event) const {
    return fmt::format(
        "{}the stick of \"{}\" stays in place like the aim of a gun. If it is a gun, run: omnipar learn unit --form "
        "gun --unit {}",
        event.seat.empty() ? "" : who(event.seat) + ": ", event.unit, base::shell_word(event.unit));
  }
  std::string operator()(const NoUse& event) const {
    return fmt::format(
        "\"{}\" was pressed, but it has no control that this machine uses. 'omnipar watch' shows its controls.",
        event.unit);
  }
  std::string operator()(const NoSeat& event) const {
    return fmt::format("\"{}\" was pressed, but all {} players are seated.", event.unit,
                       session_.plan().seats().size());
  }
  std::string operator()(const Refused& event) const { return to_text(event.why); }
  std::string operator()(const Froze& event) const {
    return event.frozen ? "Frozen: the controllers now work on the desktop. Press the same buttons to resume."
                        : "Resumed.";
  }
  std::string operator()(const Swapped& event) const {
    std::vector<std::string> lines;
    for (const int port : event.ports)
      lines.push_back(fmt::format("Swapped: port {} is now played from {}.", port, event.plan.port(port)->seat));
    if (lines.empty()) lines.emplace_back("Swapped; no one is at these ports.");
    return fmt::format("{}", fmt::join(lines, "\n"));
  }
  std::string operator()(const HotkeyFired&) const { return ""; }
  std::string operator()(const LeftToAnother& event) const {
    return fmt::format("\"{}\" is in use by {} and is left alone.", event.unit, event.opener);
  }
  std::string operator()(const GrabbedElsewhere& event) const {
    return fmt::format("\"{}\" is grabbed by {}: no input from it arrives until that program ends{}.", event.unit,
                       event.opener.empty() ? "another program" : event.opener,
                       event.process == 0 ? "" : fmt::format(" (to end it: kill {})", event.process));
  }
  std::string operator()(const GrabEnded& event) const {
    return fmt::format("\"{}\" is free again: its input arrives.", event.unit);
  }
  std::string operator()(const GrabbedWhileDown& event) const {
    return fmt::format("\"{}\": {} {} held. The unit is grabbed anyway: {}.", event.unit, some_listed(event.controls),
                       event.controls.size() == 1 ? "stays" : "stay",
                       event.released ? "other programs receive a release, and the control counts from its next press"
                                      : "other programs receive no release");
  }
  std::string operator()(const Remark& event) const { return event.words; }
  std::string operator()(const NoPermission&) const {
    return "You have no permission to read some units. 'omnipar doctor' shows which, and how to fix it.";
  }
  std::string operator()(const LostEvents&) const {
    return "The kernel lost events because too many arrived at once. Omnipar has read the current state again. "
           "(--stats counts this.)";
  }
  std::string operator()(const AwaitsRelease&) const { return play::await_release_words; }
  std::string operator()(const NodesChanged&) const { return ""; }
  std::string operator()(const SignalCaught&) const { return ""; }
  std::string operator()(const Felt&) const { return ""; }
  std::string operator()(const Lit&) const { return ""; }

 private:
  [[nodiscard]] std::string who(const std::string& seat) const { return player_of(session_.plan(), seat); }

  /// Some target of a port of that seat has no source.
  [[nodiscard]] bool has_free_target(const std::string& seat) const {
    const Plan& plan = session_.plan();
    const std::vector<bool> bound = bound_targets(plan);
    return std::ranges::any_of(plan.ports(), [&](const PortInfo& port) {
      if (port.number == 0 || !port.is_played_from(seat)) return false;
      const auto first = bound.begin() + port.first_target;
      return std::find(first, first + port.target_count, false) != first + port.target_count;
    });
  }

  const Session& session_;
};

}  // namespace

std::string player_of(const Plan& plan, const std::string& seat) {
  for (const PortInfo& port : plan.ports()) {
    if (!port.is_played_from(seat)) continue;
    return fmt::format("Player {}{}", port.number, port.second_seat.empty() ? "" : port.seat == seat ? "a" : "b");
  }
  return seat;
}

std::string to_text(const SessionEvent& event, const Session& session) { return std::visit(Teller{session}, event); }

std::string invitation(const Session& session) {
  const auto seats = session.free_seats();
  if (seats.empty()) return "";
  const std::string next = player_of(session.plan(), seats.front());
  return next + (session.rig().units.empty() ? ": press any button on your controller."
                                             : " can join at any time: press any button.");
}

std::string to_text(Doubt doubt) {
  if (doubt.moved) return doubt.others ? "is in another socket, and others look the same" : "is in another socket";
  return doubt.others ? "cannot be distinguished from others of its model" : "is identified only by its model";
}

}  // namespace omnipar::inline abi_0
