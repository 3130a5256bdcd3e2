// omnipar rig show|add|seat|unseat|rename|connection|forget|swap|rollcall|undo
#include <algorithm>
#include <memory>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "command.hpp"
#include "files/write.hpp"
#include "omnipar/sheets.hpp"
#include "play/rollcall.hpp"
#include "sources.hpp"
#include "text/edit.hpp"
#include "text/quoted.hpp"
#include "base/list.hpp"
#include "changes.hpp"

namespace omnipar::cli {
namespace {

struct RigArguments {
  Sources sources;
  std::string name;
  std::string other;
  std::vector<std::string> seats;
  double seconds = 60;
  bool with_virtual = false;
  bool json = false;
};

bool is_seat(const std::string& word) {
  const auto fits = [](char c) { return (c >= 'a' && c <= 'z') || (c >= '0' && c <= '9') || c == '-'; };
  if (!word.empty() && word.size() <= 40 && word[0] >= 'a' && word[0] <= 'z' && std::ranges::all_of(word, fits))
    return true;
  tell({{"bad-name", Severity::error, fmt::format("invalid seat name '{}'", printable(word)), "",
         "use lower-case letters, digits and '-', start with a letter, at most 40 characters"}});
  return false;
}

int show(const RigArguments& arguments) {
  os::Door& door = os::real_door();
  const auto rig = load_rig(door, arguments.sources);
  if (!rig) {
    tell(rig.error());
    return bad_input;
  }
  auto list = nlohmann::ordered_json::array();
  for (const RigUnit& unit : rig->units) {
    list.push_back({{"name", unit.name},
                    {"seat", unit.seat},
                    {"model", unit.model},
                    {"part", unit.part},
                    {"serial", unit.serial},
                    {"socket", unit.socket},
                    {"half", unit.half},
                    {"connection", unit.connection},
                    {"vendor", unit.vendor},
                    {"product", unit.product}});
    if (arguments.json) continue;
    const std::string by = !unit.serial.empty()   ? "serial " + printable(unit.serial)
                           : !unit.socket.empty() ? "socket " + printable(unit.socket)
                                                  : "nothing: press a button on it each time";
    print(fmt::format("{:<16}\"{}\"{}", unit.seat.empty() ? "(no seat)" : unit.seat, printable(unit.name),
                      unit.part.empty() ? "" : ", the part " + unit.part));
    print(fmt::format("{:<16}{} {:04x}:{:04x}, identified by {}{}", "", printable(unit.model), unit.vendor,
                      unit.product, by,
                      unit.connection.empty() ? "" : "; " + unit.connection + " if both are available"));
  }
  for (const Screen& screen : rig->screens)
    if (!arguments.json)
      print(fmt::format("{:<16}\"{}\", {} x {} pixels{}", "(screen)", printable(screen.name), screen.width,
                        screen.height,
                        screen.turned == QuarterTurn::none ? "" : fmt::format(", rotated {}", word_of(screen.turned))));
  if (arguments.json) print_json(list, 2);
  if (rig->units.empty())
    talk("The rig has no units. Next: omnipar rig rollcall seat-1 seat-2" + same_rig(arguments.sources));
  return good;
}

void tell_next(const RigArguments& arguments) {
  const std::string which = same_rig(arguments.sources);
  talk(fmt::format("Next: omnipar rig show{0}, or omnipar rig undo{0}", which));
}

int report_change(const RigArguments& arguments, int status, const std::string& done) {
  if (status != good) return status;
  if (arguments.json)
    print_json(nlohmann::ordered_json{{"done", done}});
  else
    print(done);
  tell_next(arguments);
  return good;
}

/// Changes one unit.
int change_unit(const RigArguments& arguments, const std::string& done, const std::function<void(RigUnit&)>& change) {
  const int status = change_rig(arguments.sources, [&](Rig& rig) -> std::optional<Diagnostic> {
    const auto unit = named_unit(rig, arguments.name);
    if (!unit) return unit.error();
    change(**unit);
    return std::nullopt;
  });
  return report_change(arguments, status, done);
}

int seat(const RigArguments& arguments) {
  if (!is_seat(arguments.other)) return bad_input;
  return change_unit(arguments, fmt::format("\"{}\" is assigned to {}", arguments.name, arguments.other),
                     [&](RigUnit& unit) { unit.seat = arguments.other; });
}

int unseat(const RigArguments& arguments) {
  return change_unit(arguments,
                     fmt::format("\"{}\" has no seat now; the next press on it takes a free one", arguments.name),
                     [](RigUnit& unit) { unit.seat.clear(); });
}

int rename(const RigArguments& arguments) {
  return change_unit(arguments, fmt::format("\"{}\" is now called \"{}\"", arguments.name, arguments.other),
                     [&](RigUnit& unit) { unit.name = arguments.other; });
}

int forget(const RigArguments& arguments) {
  const int status = change_rig(arguments.sources, [&](Rig& rig) -> std::optional<Diagnostic> {
    const auto unit = named_unit(rig, arguments.name);
    if (!unit) return unit.error();
    rig.units.erase(rig.units.begin() + (*unit - rig.units.data()));
    return std::nullopt;
  });
  return report_change(arguments, status, fmt::format("\"{}\" was removed from the rig", arguments.name));
}

int connection(const RigArguments& arguments) {
  if (arguments.other != "wired" && arguments.other != "wireless") {
    tell({{"bad-word", Severity::error, fmt::format("invalid connection '{}'", printable(arguments.other)), "",
           "expected wired or wireless"}});
    return bad_input;
  }
  return change_unit(
      arguments, fmt::format("\"{}\" uses its {} connection if both are available", arguments.name, arguments.other),
      [&](RigUnit& unit) { unit.connection = arguments.other; });
}

int swap(const RigArguments& arguments) {
  if (!is_seat(arguments.name) || !is_seat(arguments.other)) return bad_input;
  std::size_t moved = 0;
  const int status = change_rig(arguments.sources, [&](Rig& rig) -> std::optional<Diagnostic> {
    for (const std::string& seat : {arguments.name, arguments.other})
      if (std::ranges::find(rig.units, seat, &RigUnit::seat) == rig.units.end())
        return Diagnostic{"unknown-seat", Severity::error, fmt::format("no unit in the rig is assigned to {}", seat),
                          "", "'omnipar rig show' lists the seats; 'omnipar rig seat NAME SEAT' assigns a unit"};
    for (RigUnit& unit : rig.units) {
      const bool first = unit.seat == arguments.name;
      if (!first && unit.seat != arguments.other) continue;
      unit.seat = first ? arguments.other : arguments.name;
      ++moved;
    }
    return std::nullopt;
  });
  return report_change(arguments, status,
                       fmt::format("swapped {} and {} ({})", arguments.name, arguments.other, quantity(moved, "unit")));
}

int undo(const RigArguments& arguments) {
  os::Door& door = os::real_door();
  const auto path = rig_to_write(door, arguments.sources);
  if (!path) {
    tell({path.error()});
    return bad_input;
  }
  const auto kept = files::undo_rig(door, household_of(arguments.sources));
  if (!kept) return refuse_file(kept.error());
  if (arguments.json)
    print_json(nlohmann::ordered_json{{"file", *path}, {"undone", *kept}});
  else
    print(undone_words(door, *path));
  talk(fmt::format("The undone version is saved as {}", *kept));
  return good;
}

/// Runs the rollcall on the connected units or on those of a room.
std::optional<Diagnostic> call(const RigArguments& arguments, const Catalogue& catalogue, play::RollCall& rollcall) {
  os::Door& door = os::real_door();
  if (arguments.sources.host.empty()) {
    talk(fmt::format("While this runs, other programs receive no input from the controllers. It ends after {} s.",
                     arguments.seconds));
    const Duration longest{static_cast<std::int64_t>(arguments.seconds * 1e6)};
    return play::listen(door,
                        {.catalogue = &catalogue,
                         .with_virtual = arguments.with_virtual,
                         .grab = true,
                         .say = talk,
                         .longest = longest},
                        rollcall);
  }
  rollcall.ready();
  return hear_trace(door, arguments.sources.host, catalogue, [&](const TraceEvent& event, const Description& node) {
    Description numbered = node;
    numbered.node = std::to_string(event.node);
    if (event.action == TraceAction::plug_in) rollcall.arrived(event.node, numbered, event.time);
    if (event.action == TraceAction::pull_out) rollcall.left(event.node, event.time);
    if (event.action == TraceAction::report) rollcall.on_report(event.node, {event.time, event.changes});
    rollcall.waited(event.time);
    return !rollcall.done();
  });
}

std::string find_name(const Rig& rig, const play::RollCall::Seated& seated) {
  const RigUnit* unit = find_unit(rig, seated.unit, {}, seated.part);
  return unit != nullptr ? unit->name : "";
}

/// `adds`: adds a unit at a seat, which may have others.
int run_call(const RigArguments& arguments, bool adds) {
  for (const std::string& seat : arguments.seats) {
    if (!is_seat(seat)) return bad_input;
    if (std::ranges::count(arguments.seats, seat) == 1) continue;
    tell({{"seat-twice", Severity::error, fmt::format("duplicate seat '{}'", seat), "", "name each seat once"}});
    return bad_input;
  }
  // Checked before the users press: whether the result can be saved.
  if (const auto path = rig_to_write(os::real_door(), arguments.sources); !path) {
    tell({path.error()});
    return bad_input;
  }
  const auto rig = load_rig(os::real_door(), arguments.sources);
  if (!rig && rig.error().front().id != "no-file") {  // it may be a new one
    tell(rig.error());
    talk("Nothing was changed.");
    return bad_input;
  }
  const FoundSheets shelf = load_shelf(os::real_door(), arguments.sources);
  tell(shelf.problems);
  play::RollCall rollcall{shelf.catalogue, arguments.seats, talk};
  if (const auto failure = call(arguments, shelf.catalogue, rollcall)) {
    tell({*failure});
    return arguments.sources.host.empty() ? machine_refuses : bad_input;
  }
  if (rollcall.was_broken_off()) {
    talk("Cancelled; nothing was changed.");
    return found_something;
  }
  const auto seated = rollcall.seated();
  if (seated.empty()) {
    talk("No button was pressed; nothing was changed.");
    return found_something;
  }
  Rig before;
  Rig after;
  const int status = change_rig(arguments.sources, [&](Rig& now) -> std::optional<Diagnostic> {
    before = now;
    after = rollcall.applied_to(before, adds);
    if (adds && !arguments.name.empty())
      if (const RigUnit* unit = find_unit(after, seated.front().unit, {}, seated.front().part))
        std::ranges::find(after.units, unit->name, &RigUnit::name)->name = arguments.name;
    now = after;
    return std::nullopt;
  });
  if (status != good) return status;
  auto list = nlohmann::ordered_json::array();
  for (const auto& sitting : seated) {
    const RigUnit* unit = find_unit(after, sitting.unit, {}, sitting.part);
    const std::string name = unit != nullptr ? unit->name : play::name_of(sitting.unit, sitting.part);
    list.push_back({{"seat", sitting.seat}, {"unit", name}});
    if (!arguments.json) print(fmt::format("{:<16}\"{}\"", sitting.seat, printable(name)));
  }
  if (arguments.json) print_json(list, 2);
  for (std::size_t i = 0; i < before.units.size(); ++i)
    if (after.units[i].seat.empty() && !before.units[i].seat.empty())
      talk(fmt::format("\"{}\" was at {} before, and has no seat now.", printable(before.units[i].name),
                       before.units[i].seat));
  for (const RigUnit& unit : before.units)
    if (adds && unit.seat == arguments.seats.front() && unit.name != find_name(after, seated.front()))
      talk(fmt::format("\"{}\" is at {} as well. Both can play from it.", printable(unit.name), unit.seat));
  if (seated.size() < arguments.seats.size())
    talk(fmt::format("{} of {} seats are taken.", seated.size(), arguments.seats.size()));
  tell_next(arguments);
  talk("To see live who moves what: omnipar watch" + same_host(arguments.sources.host));
  return seated.size() == arguments.seats.size() ? good : found_something;
}

int rollcall(const RigArguments& arguments) { return run_call(arguments, false); }
int add(const RigArguments& arguments) { return run_call(arguments, true); }

}  // namespace

void add_rig(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand(
      "rig", "Manage units and seats: show, rollcall, add, seat, unseat, rename, connection, forget, swap, undo");
  const auto arguments = std::make_shared<RigArguments>();
  constexpr const char* changes = "0 success, 2 invalid input, 3 the file cannot be written";
  constexpr const char* calls =
      "0 all seats taken, 1 some are free, 2 invalid input, 3 the file cannot be written or access was denied";
  const auto verb = [&](const char* name, const char* about, int (*run)(const RigArguments&), const char* example,
                        const char* statuses) {
    CLI::App* added = command->add_subcommand(name, about);
    add_rig_option(*added, arguments->sources);
    added->add_flag("--json", arguments->json, "print JSON");
    added->footer(fmt::format("Example:\n  {}\nExit status: {}.", example, statuses));
    added->callback([arguments, &status, run] { status = run(*arguments); });
    return added;
  };
  const auto listens = [&](CLI::App* added) {
    add_data_option(*added, arguments->sources);
    add_host_option(*added, arguments->sources);
    added->add_option("--seconds", arguments->seconds, "end after this many seconds (default: 60)")
        ->check(number_between(1, 3600));
    added->add_flag("--with-virtual", arguments->with_virtual, "include virtual controllers made by other programs");
  };
  verb("show", "list units and their seats", show, "omnipar rig show", "0 success, 2 the rig is invalid");
  CLI::App* roll = verb("rollcall", "seat players in the order in which they press (a second press leaves the seat)",
                        rollcall, "omnipar rig rollcall left right sofa", calls);
  roll->add_option("SEAT", arguments->seats, "the seats, in order")->required();
  listens(roll);
  CLI::App* one = verb("add", "add the next unit pressed", add, "omnipar rig add sofa --name \"blue pad\"", calls);
  one->add_option("SEAT", arguments->seats, "its seat")->required()->expected(1);
  one->add_option("--name", arguments->name, "a name for it");
  listens(one);
  const auto named = [&](const char* name, const char* about, int (*run)(const RigArguments&), const char* example,
                         const char* first, const char* second) {
    CLI::App* added = verb(name, about, run, example, changes);
    added->add_option(first, arguments->name)->required();
    if (second != nullptr) added->add_option(second, arguments->other)->required();
  };
  named("seat", "move a unit to another seat", seat, "omnipar rig seat \"blue pad\" left", "NAME", "SEAT");
  named("unseat", "remove a unit from its seat (it stays in the rig)", unseat, "omnipar rig unseat \"blue pad\"",
        "NAME", nullptr);
  named("rename", "rename a unit", rename, "omnipar rig rename \"Fenwick Reading-Room Pad\" \"blue pad\"", "NAME",
        "NEW");
  named("connection", "choose wired or wireless for a unit that has both (default: wired)", connection,
        "omnipar rig connection \"blue pad\" wireless", "NAME", "CONNECTION");
  named("forget", "remove a unit from the rig", forget, "omnipar rig forget \"blue pad\"", "NAME", nullptr);
  named("swap", "swap the units of two seats", swap, "omnipar rig swap left right", "SEAT", "OTHER");
  verb("undo", "undo the last change", undo, "omnipar rig undo", changes);
  command->require_subcommand(1);
  command->footer(
      "Example: four players at Marrowby's table:\n  omnipar rig rollcall cabinet-left cabinet-right sofa shelf\n"
      "Exit status: 0 success, 1 some seats are free, 2 invalid input, 3 the file cannot be written or access was "
      "denied.");
}

}  // namespace omnipar::cli
