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
};

std::size_t count(const Description& d, EventType type) {
  return static_cast<std::size_t>(
      std::ranges::count_if(d.codes, [type](const CodeRange& range) { return range.code.type == type; }));
}

/// A unit with what the rig says of it.
struct Known {
  const Description& unit;
  const RigUnit* in_rig = nullptr;
};

nlohmann::ordered_json to_json(const Known& known) {
  const Description& d = known.unit;
  nlohmann::ordered_json json{{"name", printable(d.name)},    {"vendor", d.vendor},
                              {"product", d.product},         {"serial", printable(d.serial.empty() ? "-" : d.serial)},
                              {"socket", d.socket},           {"node", d.node},
                              {"virtual", d.made_by_program}, {"buttons", count(d, ev_key)},
                              {"axes", count(d, ev_abs)}};
  if (known.in_rig != nullptr) {
    json["rig"] = printable(known.in_rig->name);
    json["seat"] = known.in_rig->seat;
  }
  return json;
}

std::string to_line(const Known& known) {
  const Description& d = known.unit;
  const std::string known_by = !d.serial.empty()   ? "serial " + printable(d.serial)
                               : !d.socket.empty() ? "socket " + printable(d.socket)
                                                   : "nothing: it must be asked for each time";
  const std::string seat = known.in_rig == nullptr
                               ? ""
                               : fmt::format("  (\"{}\", seat {})", printable(known.in_rig->name), known.in_rig->seat);
  return fmt::format("{}{}{}\n    {} buttons, {} axes; {:04x}:{:04x}; known by {}; {}", printable(d.name),
                     d.made_by_program ? "  (virtual)" : "", seat, count(d, ev_key), count(d, ev_abs), d.vendor,
                     d.product, known_by, d.node);
}

/// The units that are there, or those of a room; `shut` counts those that may not be read.
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
  const auto rig = load_rig(os::real_door(), words.sources);
  if (!rig) {
    tell(rig.error());
    return bad_input;
  }
  std::size_t shut = 0;
  const auto units = find_units(words, shut);
  if (!units) {
    tell({units.error()});
    return bad_input;
  }
  auto list = nlohmann::ordered_json::array();
  for (const Description& unit : *units) {
    if (!is_controller(unit) || (unit.made_by_program && !words.with_virtual)) continue;
    const Known known{unit, find_unit(*rig, unit)};
    list.push_back(to_json(known));
    if (!words.json) print(to_line(known));
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
  command->add_flag("--json", words->json, "print JSON");
  command->add_flag("--with-virtual", words->with_virtual, "list controllers that other programs made, too");
  command->footer(
      "Example: is the Marrowby pad seen, and how is it known again?\n"
      "  omnipar units\n"
      "Exit status: 0 controllers are there, 1 none is, 2 a file is bad.");
  command->callback([words, &status] { status = run(*words); });
}

}  // namespace omnipar::cli
