// omnipar doctor
#include <algorithm>
#include <memory>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "command.hpp"
#include "host/look.hpp"
#include "omnipar/identity.hpp"
#include "sources.hpp"
#include "style.hpp"

namespace omnipar::cli {
namespace {

struct DoctorArguments {
  Sources sources;
  bool json = false;
  bool fix = false;
  bool uninstall = false;
  std::string rule;
};

std::string mark_of(inspect::State state) {
  switch (state) {
    case inspect::State::good:
      return styled(Style::good, "good") + " ";
    case inspect::State::hint:
      return styled(Style::hint, "hint") + " ";
    case inspect::State::wrong:
      return styled(Style::error, "WRONG");
  }
  return "";
}

/// Split into lines between arguments; all but the first are indented like the first one's text.
std::string wrapped(const std::string& text) {
  constexpr std::size_t width = 110;
  std::string all;
  std::size_t column = 0;
  for (std::size_t from = 0; from < text.size();) {
    const std::size_t blank = std::min(text.find(' ', from), text.size());
    if (column > 0 && column + 1 + blank - from > width) {
      all += "\n       ";
      column = 0;
    } else if (column > 0) {
      all += ' ';
      ++column;
    }
    all += text.substr(from, blank - from);
    column += blank - from;
    from = blank + 1;
  }
  return all;
}

int change_system(const DoctorArguments& arguments) {
  os::Door& door = os::real_door();
  if (!door.is_root()) {
    tell({{"needs-root", Severity::error, "only root may change the system", "",
           arguments.fix ? "sudo omnipar doctor --fix" : "sudo omnipar doctor --uninstall"}});
    return machine_refuses;
  }
  const FoundSheets shelf = load_shelf(door, arguments.sources);
  tell(shelf.problems);
  const host::Fixed fixed = arguments.fix ? host::fix(door, shelf.catalogue) : host::uninstall(door);
  if (arguments.json) print_json(nlohmann::ordered_json{{"all", fixed.all}, {"lines", fixed.lines}}, 2);
  for (const std::string& line : fixed.lines)
    if (!arguments.json) print(line);
  if (!fixed.all) {
    talk("The failed steps are listed above. All others succeeded.");
    return machine_refuses;
  }
  if (arguments.fix)
    talk("Next: omnipar play pad-2b\nTo undo this: sudo omnipar doctor --uninstall");
  else if (fixed.lines.empty())
    talk("Nothing to uninstall: 'doctor --fix' has not installed anything here.");
  else
    talk("Connected devices stay accessible until you reconnect them.");
  return good;
}

/// Prints the rule for one model, and its meaning.
int rule(const DoctorArguments& arguments) {
  const auto models = host::models_named(os::real_door(), arguments.rule);
  if (models.empty()) {
    tell({{"unknown-unit", Severity::error, fmt::format("no connected unit is called '{}'", printable(arguments.rule)),
           "", "'cat /proc/bus/input/devices' lists all units"}});
    return found_something;
  }
  std::vector<std::string> rules;
  for (const host::ModelFact& model : models) {
    const std::string text = host::model_rule(model);
    if (std::ranges::find(rules, text) == rules.end()) rules.push_back(text);
    talk(fmt::format("{} is \"{}\"", model.node, printable(model.name)));
  }
  if (rules.size() > 1) {
    tell({{"several-models", Severity::error, fmt::format("'{}' matches several models", printable(arguments.rule)), "",
           "write more of its name"}});
    return bad_input;
  }
  talk(
      "With this rule, every program run by the user at the screen can read everything typed or moved on this model.\n"
      "That is fine for a panel or a gun, but not for a keyboard on which you type passwords.");
  if (arguments.json)
    print_json(nlohmann::ordered_json{{"rule", rules[0]}});
  else
    print(rules[0].substr(0, rules[0].size() - 1));
  talk("Next: as root, write the lines above to /etc/udev/rules.d/71-omnipar-models.rules, then reconnect the unit.");
  return good;
}

int run(const DoctorArguments& arguments) {
  if (!arguments.rule.empty()) return rule(arguments);
  if (arguments.fix && arguments.uninstall) {
    tell({{"bad-arguments", Severity::error, "--fix and --uninstall cannot be combined", "", "use only one of them"}});
    return bad_input;
  }
  if (arguments.fix || arguments.uninstall) return change_system(arguments);
  os::Door& door = os::real_door();
  const FoundSheets shelf = load_shelf(door, arguments.sources);
  tell(shelf.problems);
  const auto rig = load_rig(door, arguments.sources);
  if (!rig) {
    tell(rig.error());
    return bad_input;
  }
  const auto findings = inspect::diagnose(host::look_around(door), shelf.catalogue, *rig);
  bool wrong = false;
  nlohmann::json list = nlohmann::json::array();
  for (const inspect::Finding& finding : findings) {
    wrong = wrong || finding.state == inspect::State::wrong;
    list.push_back({{"id", finding.id},
                    {"good", finding.state == inspect::State::good},
                    {"wrong", finding.state == inspect::State::wrong},
                    {"text", finding.text},
                    {"fix", finding.fix}});
    if (arguments.json) continue;
    print(fmt::format("{}  {}", mark_of(finding.state), wrapped(finding.text)));
    if (!finding.fix.empty()) print(fmt::format("       fix it: {}", finding.fix));
  }
  if (arguments.json)
    print_json(list, 2);
  else if (!wrong)
    talk("No problems found. Next: omnipar play pad-2b");
  return wrong ? found_something : good;
}

}  // namespace

void add_doctor(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand("doctor", "Diagnose problems and fix them");
  const auto arguments = std::make_shared<DoctorArguments>();
  command->add_option("--rule", arguments->rule,
                      "print the udev rule that gives access to this model, and its consequences");
  add_rig_option(*command, arguments->sources);
  add_data_option(*command, arguments->sources);
  command->add_flag("--json", arguments->json, "print JSON");
  command->add_flag("--fix", arguments->fix, "load the uinput module, install the udev rule, and list the changes");
  command->add_flag("--uninstall", arguments->uninstall, "remove everything that --fix installed");
  command->footer(
      "Example: run once on the computer under Marrowby's big screen:\n  sudo omnipar doctor --fix\n"
      "Exit status: 0 no problems, 1 a problem was found, 2 one of your files is invalid, 3 a fix failed.");
  command->callback([arguments, &status] { status = run(*arguments); });
}

}  // namespace omnipar::cli
