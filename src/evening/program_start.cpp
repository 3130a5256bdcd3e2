#include "evening/program_start.hpp"

#include <algorithm>
#include <cstring>
#include <utility>

#include <fmt/format.h>

#include "host/alone.hpp"
#include "omnipar/session_words.hpp"

namespace omnipar::inline abi_0::evening {
namespace {

constexpr Duration patience_for_announcement = std::chrono::seconds{3};

}  // namespace

std::optional<Diagnostic> refuses_alone(os::Door& door, bool alone) {
  const std::string setting = alone ? host::setting_for_namespaces(door) : "";
  if (setting.empty()) return std::nullopt;
  return Diagnostic{"not-alone", Severity::error,
                    fmt::format("hiding the units from the program requires the kernel setting {}", setting), "",
                    "'omnipar doctor' shows how to change it; or remove --alone"};
}

void ProgramStart::begin() {
  began_ = door_.now();
  for (const std::string& seat : session_.plan().seats())
    if (std::ranges::find(options_.rig.units, seat, &RigUnit::seat) != options_.rig.units.end()) seats_.push_back(seat);
  if (seats_.empty() && !session_.plan().seats().empty()) seats_.push_back(session_.plan().seats().front());
}

bool ProgramStart::ask_for_the_missing() const {
  bool asked = false;
  for (const std::string& seat : seats_) {
    const auto unit = std::ranges::find(options_.rig.units, seat, &RigUnit::seat);
    if (!program_.is_requested() || unit == options_.rig.units.end() || !is_missing(seat)) continue;
    asked = true;
    options_.say(
        fmt::format("Waiting for {} with \"{}\". Plug it in, or press a button on another controller to replace it.",
                    player_of(session_.plan(), seat), unit->name));
  }
  return asked;
}

bool ProgramStart::waits_for_units() const {
  const bool all_there = std::ranges::none_of(seats_, [this](const std::string& seat) { return is_missing(seat); });
  return !all_there && !(options_.longest_wait && door_.now() >= began_ + *options_.longest_wait);
}

/// udev has announced the virtual devices, or has taken too long.
bool ProgramStart::waits_for_announcement() const {
  if (door_.now() >= began_ + patience_for_announcement) return false;
  const auto devices = session_.virtual_devices();
  return !std::ranges::all_of(devices, &VirtualDeviceHere::announced);
}

std::optional<Time> ProgramStart::due() const {
  if (!program_.is_requested() || program_.started()) return std::nullopt;
  if (waits_for_announcement()) return began_ + patience_for_announcement;
  if (waits_for_units() && options_.longest_wait) return began_ + *options_.longest_wait;
  return std::nullopt;
}

std::optional<Diagnostic> ProgramStart::start_when_ready() {
  if (!program_.is_requested() || program_.started() || session_.engine().frozen()) return std::nullopt;
  if (waits_for_units() || waits_for_announcement()) return std::nullopt;
  if (session_.waits_for_release()) {
    if (!std::exchange(said_let_go_, true)) options_.say("Release all buttons to start the program.");
    return std::nullopt;
  }
  host::Alone alone;
  if (options_.alone) {
    const auto paths = hidden_paths();
    hidden_ = {paths.begin(), paths.end()};
    alone = host::without(door_, paths);
  }
  const auto before = [&] { return options_.alone ? host::go_alone(door_, alone) : 0; };
  if (auto failure = program_.start(before)) return failure;
  if (options_.alone)
    options_.say("It cannot open the units in use, including ones connected later. (Device lists still show them.)");
  return std::nullopt;
}

void ProgramStart::hide_what_came() {
  if (!options_.alone || !program_.started()) return;
  const pid_t process = program_.process();
  std::vector<std::string> paths = hidden_paths();
  const std::set<std::string> now{paths.begin(), paths.end()};
  std::erase_if(paths, [this](const std::string& path) { return hidden_.contains(path); });
  hidden_ = now;  // a path may be reused by nodes with other numbers
  if (paths.empty() || process < 0) return;
  if (const int result = host::hide_also(door_, process, paths); result < 0)
    options_.say(fmt::format("Cannot hide units connected later from the program: {}.", std::strerror(-result)));
}

/// The nodes that the program must not open: units in play, and all other controllers.
std::vector<std::string> ProgramStart::hidden_paths() const {
  std::vector<std::string> paths;
  for (const NodeHere& node : session_.nodes())
    if (node.plays || node.is_controller) paths.push_back(node.syspath);
  return paths;
}

}  // namespace omnipar::inline abi_0::evening
