#include "play/words.hpp"

#include <vector>

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "base/list.hpp"
#include "host/look.hpp"

namespace omnipar::play {

/// "Player 2"; two on one plug are "Player 1a" and "Player 1b". A seat without a port is only its name.
std::string Words::who(const std::string& seat) const {
  for (const PortInfo& port : engine_.plan().ports()) {
    if (!port.is_played_from(seat)) continue;
    return fmt::format("Player {}{}", port.number, port.second_seat.empty() ? "" : port.seat == seat ? "a" : "b");
  }
  return seat;
}

void Words::ask_for_players() const {
  const auto seats = table_.free_seats();
  if (seats.empty()) return;
  if (table_.rig().units.empty())
    say_(fmt::format("{}: press any button on your controller.", who(seats.front())));
  else
    say_(fmt::format("{} may join at any time: press any button.", who(seats.front())));
}

void Words::seated(const std::string& seat, const std::string& unit, bool again) const {
  for (const PortInfo& port : engine_.plan().ports()) {
    if (!port.is_played_from(seat)) continue;
    if (!port.splitter.empty() && !again)
      say_(fmt::format("Port {} is there only with {}: switch it on in the emulator.", port.number, port.splitter));
    say_(fmt::format("{} {} with \"{}\" on {}.", who(seat), again ? "goes on" : "plays", unit,
                     device_words(port.number)));
  }
  if (!again) ask_for_players();
}

void Words::beside(const std::string& seat, const std::string& unit, const std::string& other) const {
  say_(fmt::format("{} is played with both \"{}\" and \"{}\" now.", who(seat), other, unit));
}

void Words::joined(const std::string& seat, const std::string& unit) const {
  say_(fmt::format("{} has \"{}\", too.", who(seat), unit));
}

/// "\"Omnipar port 1 pad\" (/dev/input/event7)", all of them.
std::string Words::device_words(int port) const {
  std::vector<std::string> words;
  for (const outlet::VirtualDevice& device : outlets_.devices())
    if (device.key().port == port)
      words.push_back(fmt::format("\"{}\"{}", device.name(), device.node().empty() ? "" : " (" + device.node() + ")"));
  return fmt::format("{}", fmt::join(words, " and "));
}

std::string Words::doubt_words(Doubt doubt) {
  if (doubt.moved) return doubt.others ? "is not where it was, and others look just like it" : "is not where it was";
  return doubt.others ? "cannot be told from others of its model" : "is known by its model alone";
}

void Words::asked(const std::string& seat, const std::string& unit, Doubt doubt) const {
  say_(fmt::format("{}: \"{}\" {}. Press a button on yours.", who(seat), unit, doubt_words(doubt)));
}

void Words::lacks(const std::string& seat, const std::string& unit, const std::vector<std::string>& targets) const {
  say_(
      fmt::format("{}: \"{}\" has nothing for {}. Add a unit that has it (omnipar rig add {}), or bind other "
                  "controls (omnipar profile new NAME --system {}).",
                  who(seat), unit, some_listed(targets), seat, engine_.plan().system()));
}

void Words::no_use(const std::string& unit) const {
  say_(fmt::format("\"{}\" was pressed, but it has nothing that this machine uses.", unit));
}

void Words::no_seat(const std::string& unit) const {
  say_(fmt::format("\"{}\" was pressed, but all {} players are seated.", unit, engine_.plan().seats().size()));
}

void Words::missing(const std::string& seat, const std::string& unit) const {
  say_(fmt::format("Waiting for {} with \"{}\": plug it in, or press a button on another controller to stand in.",
                   who(seat), unit));
}

void Words::grabbed(const std::string& node, const Description& unit) const {
  const host::Holders holders = host::holders_of(door_, node);
  say_(fmt::format("\"{}\" is grabbed by {}: no input from it arrives here until that program ends{}.",
                   printable(unit.name), holders.names.empty() ? "another program" : holders.names,
                   holders.only == 0 ? "" : fmt::format(" ('kill {}' ends it)", holders.only)));
}

std::string Words::left(const std::string& seat, const std::string& unit) const {
  return fmt::format("{}: \"{}\" is gone; its buttons are released. Plug it in again to go on.", who(seat), unit);
}

std::string Words::socket(const std::string& seat, const std::string& unit, Plug plug) const {
  const std::string whose = seat.empty() ? "" : who(seat) + ": ";
  switch (plug) {
    case Plug::put_in:
      return fmt::format("{}\"{}\": a plug is in its socket now.", whose, unit);
    case Plug::taken_out:
      return fmt::format("{}\"{}\": its plug is out; its buttons are released.", whose, unit);
    case Plug::none:
      break;
  }
  return fmt::format("{}\"{}\": its socket is empty.", whose, unit);
}

}  // namespace omnipar::play
