// omnipar units
#include <memory>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "command.hpp"
#include "host/look.hpp"
#include "omnipar/omnipar.hpp"

namespace omnipar::cli {
namespace {

struct UnitsWords {
  bool json = false;
  bool with_virtual = false;
};

std::size_t count(const Description& d, EventType type) {
  return static_cast<std::size_t>(
      std::ranges::count_if(d.codes, [type](const CodeRange& range) { return range.code.type == type; }));
}

nlohmann::json to_json(const Description& d) {
  return {{"name", printable(d.name)},    {"vendor", d.vendor},
          {"product", d.product},         {"serial", printable(d.serial.empty() ? "-" : d.serial)},
          {"socket", d.socket},           {"node", d.node},
          {"virtual", d.made_by_program}, {"buttons", count(d, ev_key)},
          {"axes", count(d, ev_abs)}};
}

std::string to_line(const Description& d) {
  const std::string known_by = !d.serial.empty()   ? "serial " + printable(d.serial)
                               : !d.socket.empty() ? "socket " + printable(d.socket)
                                                   : "nothing: it must be asked for each time";
  return fmt::format("{}{}\n    {} buttons, {} axes; {:04x}:{:04x}; known by {}; {}", printable(d.name),
                     d.made_by_program ? "  (virtual)" : "", count(d, ev_key), count(d, ev_abs), d.vendor, d.product,
                     known_by, d.node);
}

int run(const UnitsWords& words) {
  const inspect::Facts facts = host::look_around(os::real_door());
  nlohmann::json list = nlohmann::json::array();
  std::size_t shut = 0;
  std::size_t shown = 0;
  for (const inspect::NodeFact& node : facts.nodes) {
    if (!node.readable) {
      shut += node.pad_like ? 1 : 0;
      continue;
    }
    if (!is_controller(node.description) || (node.description.made_by_program && !words.with_virtual)) continue;
    ++shown;
    if (words.json)
      list.push_back(to_json(node.description));
    else
      print(to_line(node.description));
  }
  if (words.json) print(list.dump(2));
  if (shut > 0) talk(fmt::format("{} more may not be read; 'omnipar doctor' says why and mends it.", shut));
  if (shown == 0 && shut == 0) talk("No controller is there. 'omnipar doctor' says what could be the cause.");
  if (shown > 0 && !words.json) talk("Next: omnipar play pad-2b");
  return shown > 0 ? good : found_something;
}

}  // namespace

void add_units(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand("units", "List the controllers that are there");
  const auto words = std::make_shared<UnitsWords>();
  command->add_flag("--json", words->json, "print JSON");
  command->add_flag("--with-virtual", words->with_virtual, "list controllers that other programs made, too");
  command->footer(
      "Example: is the Marrowby pad seen, and how is it known again?\n"
      "  omnipar units\n"
      "Exit status: 0 controllers are there, 1 none is.");
  command->callback([words, &status] { status = run(*words); });
}

}  // namespace omnipar::cli
