// omnipar units
#include <memory>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "command.hpp"
#include "host/look.hpp"
#include "omnipar/omnipar.hpp"
#include "sources.hpp"

namespace omnipar::cli {
namespace {

struct UnitsWords {
  Sources sources;
  bool json = false;
  bool with_virtual = false;
  bool why = false;
};

std::size_t count(const Description& d, EventType type) {
  return static_cast<std::size_t>(
      std::ranges::count_if(d.codes, [type](const CodeRange& range) { return range.code.type == type; }));
}

/// A unit with what the catalogue and the rig say of it.
struct Known {
  const std::vector<Description>& nodes;
  const UnitNodes& unit;
  Description main;  ///< with the unit's own socket
  const UnitSheet* sheet = nullptr;
  std::vector<std::string> parts{""};
};

Known known_unit(const Catalogue& catalogue, const std::vector<Description>& nodes, const UnitNodes& unit) {
  Known known{nodes, unit, nodes[unit.main()]};
  known.main.socket = unit.socket;
  known.sheet = find_unit_sheet(catalogue, known.main);
  if (known.sheet != nullptr && !known.sheet->parts.empty()) {
    known.parts.clear();
    for (const PartSheet& part : known.sheet->parts) known.parts.push_back(part.name);
  }
  return known;
}

/// What is odd about it; that nothing is known of an axis yet is usual, and said only if `all` is asked for.
std::vector<std::string> notes_of(const Known& known, bool all) {
  const Catalogue catalogue{{}, known.sheet != nullptr ? std::vector{*known.sheet} : std::vector<UnitSheet>{}};
  std::vector<std::string> notes;
  const Description& main = known.nodes[known.unit.main()];
  for (const std::size_t i : known.unit.nodes)
    for (std::string& note : health_notes(attach_node(catalogue, main, known.nodes[i])))
      if (all || note.find("unknown until") == std::string::npos) notes.push_back(std::move(note));
  return notes;
}

nlohmann::ordered_json to_json(const Known& known, const Rig& rig) {
  const Description& d = known.main;
  auto nodes = nlohmann::ordered_json::array();
  for (const std::size_t i : known.unit.nodes)
    nodes.push_back({{"node", known.nodes[i].node}, {"kind", node_kind_name(node_kind(known.nodes[i]))}});
  auto parts = nlohmann::ordered_json::array();
  for (const std::string& part : known.parts) {
    auto ranking = nlohmann::ordered_json::array();
    for (const Match& match : matches(rig, d, part))
      ranking.push_back({{"rig", printable(match.unit->name)}, {"why", sureness_words(match.sureness)}});
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
          {"asked-every-us", d.asked_every_us},
          {"notes", notes_of(known, true)},
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

/// The unit on one line, how it is known on the next, and each of its seats.
void show(const Known& known, const Rig& rig, bool why) {
  const Description& d = known.main;
  const std::string known_by = !d.serial.empty()   ? "serial " + printable(d.serial)
                               : !d.socket.empty() ? "socket " + printable(d.socket)
                                                   : "nothing: it must be asked for each time";
  print(fmt::format("{}{}", printable(d.name), d.made_by_program ? "  (virtual)" : ""));
  print(fmt::format("    {}; {:04x}:{:04x}; known by {}; {}",
                    known.sheet != nullptr ? fmt::format("sheet '{}'", known.sheet->name)
                                           : fmt::format("{} buttons, {} axes", count(d, ev_key), count(d, ev_abs)),
                    d.vendor, d.product, known_by, nodes_text(known)));
  for (const std::size_t spare : known.unit.spares)
    print(fmt::format("    by radio, too ({}): the cable is used while it is plugged in", known.nodes[spare].node));
  if (d.asked_every_us > 0)
    print(fmt::format("    the USB asks it for news every {} ms, which is the most that it adds to the lag",
                      d.asked_every_us / 1000.0));
  for (const std::string& note : notes_of(known, why)) print("    " + note);
  for (const std::string& part : known.parts) {
    const std::string name = part.empty() ? "" : fmt::format("{}: ", part);
    if (const RigUnit* unit = find_unit(rig, d, {}, part))
      print(fmt::format("    {}\"{}\", seat {}", name, printable(unit->name), unit->seat));
    else if (!part.empty())
      print(fmt::format("    {}nobody's yet", name));
    if (!why) continue;
    const auto ranking = matches(rig, d, part);
    if (ranking.empty()) print(fmt::format("      {}the rig has none of this model", name));
    for (const Match& match : ranking)
      print(fmt::format("      {}\"{}\" {}", name, printable(match.unit->name), sureness_words(match.sureness)));
  }
}

/// The nodes that are there, or those of a room; `shut` counts those that may not be read.
tl::expected<std::vector<Description>, Diagnostic> find_units(const UnitsWords& words, std::size_t& shut) {
  if (!words.sources.host.empty()) return read_room(os::real_door(), words.sources.host);
  std::vector<Description> units;
  for (const inspect::NodeFact& node : host::look_around(os::real_door()).nodes) {
    if (node.readable)
      units.push_back(node.description);
    else if (node.pad_like)
      ++shut;
  }
  return units;
}

int run(const UnitsWords& words) {
  const Shelf shelf = load_shelf(os::real_door(), words.sources);
  tell(shelf.problems);
  const auto rig = load_rig(os::real_door(), words.sources);
  if (!rig) {
    tell(rig.error());
    return bad_input;
  }
  std::size_t shut = 0;
  auto nodes = find_units(words, shut);
  if (!nodes) {
    tell({nodes.error()});
    return bad_input;
  }
  std::erase_if(*nodes, [&](const Description& node) {
    return !is_playable(shelf.catalogue, node) || (node.made_by_program && !words.with_virtual);
  });
  auto list = nlohmann::ordered_json::array();
  for (const UnitNodes& unit : group_nodes(*nodes)) {
    const Known known = known_unit(shelf.catalogue, *nodes, unit);
    list.push_back(to_json(known, *rig));
    if (!words.json) show(known, *rig, words.why);
  }
  if (words.json) print(list.dump(2));
  if (shut > 0) talk(fmt::format("{} more may not be read; 'omnipar doctor' says why and mends it.", shut));
  if (list.empty() && shut == 0) talk("No controller is there. 'omnipar doctor' says what could be the cause.");
  if (!list.empty() && !words.json) talk("Next: omnipar play pad-2b");
  return list.empty() ? found_something : good;
}

}  // namespace

void add_units(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand("units", "List the controllers that are there");
  const auto words = std::make_shared<UnitsWords>();
  add_rig_option(*command, words->sources);
  add_host_option(*command, words->sources);
  add_data_option(*command, words->sources);
  command->add_flag("--why", words->why, "say by what each is known to the rig, the surest first");
  command->add_flag("--json", words->json, "print JSON");
  command->add_flag("--with-virtual", words->with_virtual, "list controllers that other programs made, too");
  command->footer(
      "Example: is the Marrowby pad seen, and how is it known again?\n"
      "  omnipar units\n"
      "Exit status: 0 controllers are there, 1 none is, 2 a file is bad.");
  command->callback([words, &status] { status = run(*words); });
}

}  // namespace omnipar::cli
