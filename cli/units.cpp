// omnipar units
#include <algorithm>
#include <map>
#include <memory>

#include <fmt/format.h>
#include <fmt/ranges.h>
#include <nlohmann/json.hpp>

#include "command.hpp"
#include "suggest.hpp"
#include "base/list.hpp"
#include "host/look.hpp"
#include "inspect/leftover.hpp"
#include "omnipar/hid.hpp"
#include "omnipar/omnipar.hpp"
#include "omnipar/bindings.hpp"
#include "play/checkup.hpp"
#include "play/trace_host.hpp"
#include "sources.hpp"
#include "units_raw.hpp"

namespace omnipar::cli {
namespace {

struct UnitsArguments {
  Sources sources;
  bool json = false;
  bool with_virtual = false;
  bool why = false;
  bool raw = false;
  double listen = 0;  ///< seconds; 0: not at all
};

/// The results of listening, by node.
using Findings = std::map<std::string, std::vector<std::string>>;

constexpr std::uint16_t bus_radio = 5;

/// Buttons, or axes.
std::size_t count(const Description& d, EventType type) {
  if (d.descriptor.empty())
    return static_cast<std::size_t>(
        std::ranges::count_if(d.codes, [type](const CodeRange& range) { return range.code.type == type; }));
  const auto read = hid::read_descriptor(d.descriptor);
  const auto controls = read ? hid::controls_of(*read) : std::vector<hid::ReportControl>{};
  return static_cast<std::size_t>(std::ranges::count_if(controls, [type](const hid::ReportControl& control) {
    const bool is_button = control.kind == hid::Kind::button || control.kind == hid::Kind::key;
    const bool is_axis =
        control.kind == hid::Kind::value || control.kind == hid::Kind::hat_x || control.kind == hid::Kind::hat_y;
    return type == ev_key ? is_button : is_axis;
  }));
}

/// A unit with its sheet and its entry in the rig.
struct Known {
  const std::vector<Description>& nodes;
  const UnitNodes& unit;
  Description main;  ///< with the unit's own half
  const UnitSheet* sheet = nullptr;
  std::vector<std::string> parts{""};
};

Known known_unit(const Catalogue& catalogue, const std::vector<Description>& nodes, const UnitNodes& unit) {
  Known known{nodes, unit, nodes[unit.main()]};
  known.main.half = unit.half;
  known.sheet = find_unit_sheet(catalogue, known.main);
  known.parts = unit_parts(catalogue, known.main);
  return known;
}

/// The blocked and ghosting combinations in the calibration of the rig's unit.
void add_combinations(const Known& known, const Rig& rig, std::vector<std::string>& notes) {
  const Catalogue catalogue{{}, known.sheet != nullptr ? std::vector{*known.sheet} : std::vector<UnitSheet>{}};
  for (const std::string& part : known.parts) {
    const RigUnit* unit = find_unit(rig, known.main, {}, part);
    const auto measured =
        unit == nullptr ? rig.calibrations.end() : std::ranges::find(rig.calibrations, unit->name, &Calibration::unit);
    if (measured == rig.calibrations.end()) continue;
    std::vector<combinations::Button> buttons;
    for (const std::size_t i : known.unit.nodes)
      for (auto& button : play::buttons_of(catalogue, {known.main, known.nodes[i], i == known.unit.main()}, part))
        buttons.push_back(std::move(button));
    for (const std::string& line : combinations::words_for(measured->combinations, buttons)) notes.push_back(line);
  }
}

/// "fitted by 5 shots on 2026-03-14, for the screen "booth"".
std::string aim_words(const AimCalibration& aim) {
  return fmt::format("{}{}{}", aim.shots > 0 ? fmt::format("fitted by {} shots", aim.shots) : "swept",
                     aim.on.empty() ? "" : " on " + aim.on,
                     aim.screen.empty() ? "" : fmt::format(", for the screen \"{}\"", aim.screen));
}

/// The calibrations of its sticks, axes and aim, and those that no longer apply.
void add_measured(const Known& known, const Rig& rig, std::vector<std::string>& notes) {
  const Catalogue catalogue{{}, known.sheet != nullptr ? std::vector{*known.sheet} : std::vector<UnitSheet>{}};
  for (const std::string& part : known.parts) {
    const RigUnit* unit = find_unit(rig, known.main, {}, part);
    if (unit == nullptr) continue;
    std::vector<std::string> roles;
    std::string day;
    for (const std::size_t i : known.unit.nodes) {
      Attachment attachment = attach_node(catalogue, known.main, known.nodes[i], part);
      attachment.unit = unit->name;
      attachment.state.clear();
      calibrate(attachment, rig);
      const auto add = [&](Code code, const Measured& measured) {
        const auto control = std::ranges::find(attachment.controls, code, &Control::code);
        if (control != attachment.controls.end()) roles.push_back(control->role);
        day = std::max(day, measured.on);
      };
      for (const StickCalibration& stick : attachment.sticks) add(stick.x, stick.measured);
      for (const AxisCalibration& axis : attachment.axes) add(axis.code, axis.measured);
      for (const AimCalibration& aim : attachment.aims) notes.push_back(aim_words(aim));
      for (std::string& note : outdated_notes(attachment)) notes.push_back(std::move(note));
    }
    if (!roles.empty())
      notes.push_back(fmt::format("measured{}: {}", day.empty() ? "" : " on " + day, some_listed(roles, 8)));
  }
}

/// Warnings about it; axes without a known value are common, so they are listed only with `all`.
std::vector<std::string> notes_of(const Known& known, const Rig& rig, const Findings& findings, bool all) {
  const Catalogue catalogue{{}, known.sheet != nullptr ? std::vector{*known.sheet} : std::vector<UnitSheet>{}};
  std::vector<std::string> notes;
  const Description& main = known.nodes[known.unit.main()];
  for (const std::size_t i : known.unit.nodes)
    for (std::string& note : health_notes(attach_node(catalogue, main, known.nodes[i])))
      if (all || note.find("unknown until") == std::string::npos) notes.push_back(std::move(note));
  if (known.unit.shares_device && is_silent(attach_node(catalogue, main, main)))
    notes.emplace_back("no input yet: its socket may be empty, its pad switched off, or nobody has touched it");
  if (const UnitSheet* unfit = find_unfit_sheet(catalogue, known.main))
    notes.push_back(
        fmt::format("the sheet '{}' has its vendor and product but other controls, so it is not used", unfit->name));
  for (const std::size_t i : known.unit.nodes)
    if (const auto entry = findings.find(known.nodes[i].node); entry != findings.end())
      notes.insert(notes.end(), entry->second.begin(), entry->second.end());
  add_measured(known, rig, notes);
  add_combinations(known, rig, notes);
  return notes;
}

/// A sheet lists a unit's controls; for other units every control without a role is named.
std::vector<std::string> roleless(const Known& known) {
  const Catalogue catalogue{{}, known.sheet != nullptr ? std::vector{*known.sheet} : std::vector<UnitSheet>{}};
  std::vector<Description> own;
  for (const std::size_t i : known.unit.nodes) own.push_back(known.nodes[i]);
  return inspect::without_role(catalogue, own);
}

nlohmann::ordered_json to_json(const Known& known, const Rig& rig, const Findings& findings) {
  const Description& d = known.main;
  auto nodes = nlohmann::ordered_json::array();
  for (const std::size_t i : known.unit.nodes)
    nodes.push_back({{"node", known.nodes[i].node}, {"kind", node_kind_name(node_kind(known.nodes[i]))}});
  auto parts = nlohmann::ordered_json::array();
  for (const std::string& part : known.parts) {
    auto ranking = nlohmann::ordered_json::array();
    for (const Match& match : matches(rig, d, part))
      ranking.push_back({{"rig", printable(match.unit->name)}, {"why", confidence_text(match.confidence)}});
    const RigUnit* unit = find_unit(rig, d, {}, part);
    parts.push_back({{"part", part},
                     {"rig", unit != nullptr ? printable(unit->name) : ""},
                     {"seat", unit != nullptr ? unit->seat : ""},
                     {"ranking", ranking}});
  }
  return {{"name", printable(d.name)},
          {"vendor", d.vendor},
          {"product", d.product},
          {"serial", printable(d.serial.empty() ? "-" : d.serial)},
          {"socket", d.socket},
          {"sheet", known.sheet != nullptr ? known.sheet->name : ""},
          {"virtual", d.made_by_program},
          {"buttons", count(d, ev_key)},
          {"axes", count(d, ev_abs)},
          {"polling-interval-us", d.polling_interval_us},
          {"notes", notes_of(known, rig, findings, true)},
          {"without-role", roleless(known)},
          {"nodes", nodes},
          {"parts", parts}};
}

std::string nodes_text(const Known& known) {
  if (known.unit.nodes.size() == 1) return known.main.node;
  std::string text;
  for (const std::size_t i : known.unit.nodes)
    text += fmt::format("{}{} {}", text.empty() ? "" : ", ", node_kind_name(node_kind(known.nodes[i])),
                        known.nodes[i].node);
  return text;
}

std::string name_among(const Known& known) {
  const std::string name = printable(known.main.name);
  return play::has_double(known.nodes, known.unit) ? play::name_with_socket(name, known.main) : name;
}

/// Prints the unit, how it is identified, and its seats.
void show(const Known& known, const Rig& rig, const Findings& findings, bool why) {
  const Description& d = known.main;
  const std::string known_by = !d.serial.empty()   ? "serial " + printable(d.serial)
                               : !d.socket.empty() ? "socket " + printable(d.socket)
                                                   : "nothing: press a button on it each time";
  print(fmt::format("{}{}", name_among(known), d.made_by_program ? "  (virtual)" : ""));
  print(fmt::format("    {}; {:04x}:{:04x}; identified by {}; {}",
                    known.sheet != nullptr
                        ? fmt::format("sheet '{}'", known.sheet->name)
                        : quantity(count(d, ev_key), "button") + ", " + quantity(count(d, ev_abs), "axis", "axes"),
                    d.vendor, d.product, known_by, nodes_text(known)));
  for (const Connection& spare : known.unit.spares) {
    const Description& other = known.nodes[spare.nodes.front()];
    print(other.bus == bus_radio
              ? fmt::format("    also wireless ({}): the cable is used while plugged in, because it is faster and "
                            "charges the unit",
                            other.node)
              : fmt::format("    also wired ({}): wireless is used, as set in the rig", other.node));
  }
  if (d.polling_interval_us > 0)
    print(fmt::format("    USB polling interval {} ms, its largest contribution to the latency",
                      d.polling_interval_us / 1000.0));
  for (const std::string& note : notes_of(known, rig, findings, why)) print("    " + note);
  if (const auto names = roleless(known); !names.empty() && (why || known.sheet == nullptr))
    print(fmt::format("    without a role: {}{}", some_listed(names, why ? names.size() : 6),
                      known.sheet != nullptr ? "" : "; a sheet can assign them"));
  for (const std::string& part : known.parts) {
    const std::string name = part.empty() ? "" : fmt::format("{}: ", part);
    if (const RigUnit* unit = find_unit(rig, d, {}, part))
      print(fmt::format("    {}\"{}\", seat {}", name, printable(unit->name), unit->seat));
    else if (part == hid::own_part)
      print(fmt::format("    {}each of its sockets gets a seat when it is played on", name));
    else if (!part.empty())
      print(fmt::format("    {}not assigned", name));
    if (!why) continue;
    const auto ranking = matches(rig, d, part);
    if (ranking.empty()) print(fmt::format("      {}the rig has no unit of this model", name));
    for (const Match& match : ranking)
      print(fmt::format("      {}\"{}\" {}", name, printable(match.unit->name), confidence_text(match.confidence)));
  }
}

/// The nodes found.
struct Found {
  std::vector<Description> nodes;
  std::vector<Description> all;  ///< including unreadable ones
  std::size_t shut = 0;          ///< unreadable pads
};

/// Finds the connected nodes or those of a room. Adds notes about controls that only inaccessible raw reports contain.
tl::expected<Found, Diagnostic> find_units(const UnitsArguments& arguments, const Catalogue& catalogue,
                                           Findings& findings) {
  if (!arguments.sources.host.empty()) {
    auto room = read_room(os::real_door(), arguments.sources.host, catalogue);
    if (!room) return tl::unexpected(std::move(room.error()));
    return Found{*room, *room, 0};
  }
  const auto facts = host::look_around(os::real_door());
  Found found{play::used_nodes(catalogue, all_nodes(facts)), {}, 0};
  for (const inspect::NodeFact& node : facts.nodes) {
    found.all.push_back(node.description);
    if (!node.readable && node.pad_like) ++found.shut;
    if (const std::string lost = inspect::lost_without_raw(node, catalogue); !lost.empty())
      findings[node.path].push_back(fmt::format(
          "{}; its raw reports ({}) have them all, but you have no permission to read them: sudo omnipar doctor --fix",
          lost, node.shut_raw_path));
  }
  return found;
}

/// Other devices that could be played with a sheet.
void tell_others(const Catalogue& catalogue, const std::vector<Description>& nodes) {
  std::vector<std::string> names;
  const auto others = inspect::others(catalogue, nodes);
  for (const inspect::Other& other : others) names.push_back(other.words);
  if (names.empty()) return;
  talk(fmt::format("Also connected, but no sheet describes {}: {}. To draft a sheet: omnipar catalogue report {}",
                   names.size() == 1 ? "it" : "them", some_listed(names), shell_word(others.front().name)));
}

/// The roles of all these units.
std::vector<std::string> roles_there(const Catalogue& catalogue, const std::vector<Description>& nodes,
                                     const std::vector<UnitNodes>& units) {
  std::vector<std::string> roles;
  for (const UnitNodes& unit : units)
    for (const std::size_t i : unit.nodes)
      for (const std::string& part : unit_parts(catalogue, nodes[unit.main()]))
        for (std::string& role : roles_of(attach_node(catalogue, nodes[unit.main()], nodes[i], part)))
          roles.push_back(std::move(role));
  return roles;
}

/// Listens for the requested time, or to all of a room.
tl::expected<Findings, Diagnostic> listen(const UnitsArguments& arguments, const Catalogue& catalogue) {
  if (arguments.listen <= 0) return Findings{};
  os::Door& door = os::real_door();
  play::HealthListener listener{catalogue};
  if (arguments.sources.host.empty()) {
    talk(fmt::format("Listening for {} s. Leave the units alone to find jitter, or press buttons to find bounce.",
                     arguments.listen));
    const Duration longest{static_cast<std::int64_t>(arguments.listen * 1e6)};
    if (auto failure = play::listen(
            door, {.catalogue = &catalogue, .with_virtual = arguments.with_virtual, .say = talk, .longest = longest},
            listener))
      return tl::unexpected(std::move(*failure));
    return listener.notes();
  }
  auto failure =
      hear_trace(door, arguments.sources.host, catalogue, [&](const TraceEvent& event, const Description& node) {
        Description named = node;
        named.node = room_node_name(event.node);
        if (event.action == TraceAction::plug_in) listener.arrived(event.node, named, event.time);
        if (event.action == TraceAction::report) listener.on_report(event.node, {event.time, event.changes});
        return true;
      });
  if (failure) return tl::unexpected(std::move(*failure));
  return listener.notes();
}

int run(const UnitsArguments& arguments) {
  const FoundSheets shelf = load_shelf(os::real_door(), arguments.sources);
  tell(shelf.problems);
  if (arguments.raw)
    return show_raw(shelf.catalogue,
                    {arguments.sources.host, arguments.listen, arguments.with_virtual, arguments.json});
  const auto rig = load_rig(os::real_door(), arguments.sources);
  if (!rig) {
    tell(rig.error());
    return bad_input;
  }
  auto findings = listen(arguments, shelf.catalogue);
  if (!findings) {
    tell({findings.error()});
    return arguments.sources.host.empty() ? machine_refuses : bad_input;
  }
  const auto found = find_units(arguments, shelf.catalogue, *findings);
  if (!found) {
    tell({found.error()});
    return bad_input;
  }
  std::vector<Description> nodes = found->nodes;
  std::erase_if(nodes, [&](const Description& node) {
    return !is_playable(shelf.catalogue, node) || (node.made_by_program && !arguments.with_virtual);
  });
  auto list = nlohmann::ordered_json::array();
  auto units = group_nodes(nodes);
  choose_connections(units, nodes, *rig);
  for (const UnitNodes& unit : units) {
    const Known known = known_unit(shelf.catalogue, nodes, unit);
    list.push_back(to_json(known, *rig, *findings));
    if (!arguments.json) show(known, *rig, *findings, arguments.why);
  }
  if (arguments.json) print_json(list, 2);
  if (found->shut > 0)
    talk(fmt::format("You have no permission to read {} more. 'omnipar doctor' shows why and how to fix it.",
                     found->shut));
  if (!arguments.json) tell_others(shelf.catalogue, found->all);
  if (list.empty() && found->shut == 0) talk("No controller is connected. 'omnipar doctor' looks for the cause.");
  if (!list.empty() && !arguments.json)
    talk(fmt::format(
        "Next: {}\nTo see live which control is which: omnipar watch{}",
        play_command(shelf.catalogue, roles_there(shelf.catalogue, nodes, units), same_host(arguments.sources.host)),
        same_host(arguments.sources.host)));
  return list.empty() ? found_something : good;
}

}  // namespace

void add_units(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand("units", "List connected controllers");
  const auto arguments = std::make_shared<UnitsArguments>();
  add_rig_option(*command, arguments->sources);
  add_host_option(*command, arguments->sources);
  add_data_option(*command, arguments->sources);
  command->add_flag("--why", arguments->why, "show how each is identified, with the most reliable first");
  command->add_flag("--raw", arguments->raw,
                    "show raw reports: the decoded descriptor, what the kernel uses of it, and the last bytes");
  command
      ->add_option("--listen", arguments->listen,
                   "listen for this many seconds to find jitter and bounce (with --raw: show what moves)")
      ->check(number_between(0.1, 600));
  command->add_flag("--json", arguments->json, "print JSON");
  command->add_flag("--with-virtual", arguments->with_virtual, "include virtual controllers made by other programs");
  command->footer(
      "Example: list all units and how they are identified:\n  omnipar units\n"
      "Exit status: 0 controllers found, 1 none found, 2 a file is invalid, 3 access was denied.");
  command->callback([arguments, &status] { status = run(*arguments); });
}

}  // namespace omnipar::cli
