// omnipar profile list|show|new|set|clear|copy|undo
#include <algorithm>
#include <memory>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "base/list.hpp"
#include "changes.hpp"
#include "command.hpp"
#include "files/write.hpp"
#include "host/look.hpp"
#include "inspect/why.hpp"
#include "omnipar/learning.hpp"
#include "omnipar/sheets.hpp"
#include "play/trace_host.hpp"
#include "sources.hpp"

namespace omnipar::cli {
namespace {

struct ProfileArguments {
  Sources sources;
  std::string as;
  int to_port = 2;
  bool like = false;
  std::string system;
  std::string target;
  std::vector<std::string> uses;
  int port = 1;
  bool nothing = false;
  bool json = false;
};

int list(const ProfileArguments& arguments) {
  os::Door& door = os::real_door();
  const std::string folder = files::profiles_folder(door);
  if (const auto problem = files::unreadable_folder(door, folder)) return refuse_file({*problem});
  auto all = nlohmann::ordered_json::array();
  for (const std::string& file : door.names_in(folder)) {
    if (!file.ends_with(".toml")) continue;
    Sources sources = arguments.sources;
    sources.profile = file.substr(0, file.size() - std::string_view{".toml"}.size());
    const FoundProfile given = load(door, sources);
    const std::string system = given.profile ? given.profile->system : "";
    all.push_back({{"name", sources.profile}, {"system", system}, {"good", given.plan.has_value()}});
    if (!arguments.json)
      print(fmt::format("{:<24}{:<16}{}", sources.profile, system,
                        given.plan ? "" : fmt::format("has errors: omnipar check {}", shell_word(sources.profile))));
  }
  if (arguments.json) print_json(all, 2);
  if (all.empty() && !arguments.json)
    talk(folder.empty() ? "There are no profiles: HOME is not set."
                        : fmt::format("There are no profiles in {}.", folder));
  if (!arguments.json) talk("Next: omnipar profile new NAME --system pad-2b");
  return good;
}

void show_actions(const Profile& profile) {
  if (!profile.hotkeys.empty()) print("\nhotkeys (at every seat)");
  for (const Hotkey& hotkey : profile.hotkeys)
    print(fmt::format("  {:<14}{:<42}{}", hotkey.action,
                      fmt::format("{} + {}, {}", hotkey.modifier, hotkey.press, inspect::held_words(hotkey.after)),
                      hotkey.place.empty() ? "built in" : "own, " + hotkey.place));
}

/// One line per source: its targets, and where that is written.
void show_line(const inspect::Link& link, const std::string& first_seat, bool again) {
  std::string source =
      link.source.empty() ? "(unassigned on purpose)" : link.source + (link.shape.empty() ? "" : ", " + link.shape);
  if (link.seat.empty()) source = "(not played: no second seat)";
  if (!link.seat.empty() && link.seat != first_seat) source += " of seat " + link.seat;
  print(fmt::format("  {:<14}{:<42}{}", again ? "" : link.target, source + "  ",
                    link.place.empty() ? link.origin : fmt::format("{}, {}", link.origin, link.place)));
}

int show(const ProfileArguments& arguments) {
  const FoundProfile given = load(os::real_door(), arguments.sources);
  tell(given.elsewhere);
  tell(given.problems);
  if (!given.plan) return bad_input;
  auto all = nlohmann::ordered_json::array();
  inspect::Link before;
  std::string first_seat;
  if (!arguments.json) print(fmt::format("\"{}\", for {}", given.profile->name, given.profile->system));
  for (const inspect::Link& link : inspect::links(given.catalogue, *given.profile)) {
    all.push_back({{"port", link.port},
                   {"seat", link.seat},
                   {"target", link.target},
                   {"source", link.source},
                   {"shape", link.shape},
                   {"origin", link.origin},
                   {"place", link.place}});
    if (arguments.json || link.port == 0) continue;
    if (link.port != before.port)
      print(fmt::format("\nport {}: {}, played from seat {}\n  {:<14}{:<42}{}", link.port, link.controller, link.seat,
                        "target", "source", "origin"));
    if (link.port != before.port) first_seat = link.seat;
    show_line(link, first_seat, link.port == before.port && link.target == before.target);
    before = link;
  }
  if (arguments.json)
    print_json(all, 2);
  else
    show_actions(*given.profile);
  return good;
}

int make(const ProfileArguments& arguments) {
  os::Door& door = os::real_door();
  const FoundSheets shelf = load_shelf(door, arguments.sources);
  auto profile = propose(shelf.catalogue, arguments.system);
  if (!profile) return refuse_file(profile.error());
  const auto rig = load_rig(door, arguments.sources);
  if (!rig) return refuse_file(rig.error());
  *profile = with_seats_of(*rig, std::move(*profile));
  const std::string& name = arguments.sources.profile;
  const auto path = profile_to_write(door, arguments.sources, name);
  if (!path) return refuse_file({path.error()});
  profile->name = files::profile_name(name);
  if (shelf.catalogue.system(name) != nullptr)
    return refuse_file({{"name-twice", Severity::error, fmt::format("'{}' is the name of a machine", name), "",
                         "choose another name; nothing was changed"}});
  if (const auto problems = files::write_new_profile(door, *path, *profile)) return refuse_file(*problems);
  if (arguments.json)
    print_json(nlohmann::ordered_json{{"file", *path}});
  else
    print(*path);
  talk(fmt::format(
      "Next: omnipar learn profile {0} (by pressing), omnipar profile set {0} TARGET ROLE, omnipar play {0}",
      shell_word(name)));
  return good;
}

/// Roles as TOML: "south", or ["east", "west"]. A word that begins with '{' is already a table, and one with '[' the
/// whole list.
std::string value_of(const std::vector<std::string>& uses) {
  if (uses.size() == 1 && uses[0].starts_with('[')) return uses[0].substr(0, uses[0].rfind(']') + 1);
  std::string all;
  for (const std::string& use : uses) {
    const std::string one = use.starts_with('{') ? use : "\"" + use + "\"";
    all += (all.empty() ? "" : ", ") + one;
  }
  return uses.size() == 1 ? all : "[" + all + "]";
}

/// Edits one binding of a profile's file. An edit that would introduce a mistake is rejected.
int edit(const ProfileArguments& arguments, bool clear) {
  os::Door& door = os::real_door();
  const auto to_write = profile_to_write(door, arguments.sources, arguments.sources.profile);
  if (!to_write) return refuse_file({to_write.error()});
  const std::string& path = *to_write;
  const files::Edit change{{"port", std::to_string(arguments.port), "bind", arguments.target},
                           clear ? std::nullopt : std::optional{value_of(arguments.uses)}};
  const auto written = files::edit_profile(door, path, load_shelf(door, arguments.sources).catalogue, {change});
  if (!written) {
    const int status = refuse_file(written.error());
    talk("Nothing was changed.");
    return status;
  }
  if (arguments.json)
    print_json(nlohmann::ordered_json{{"file", path}, {"changed", *written}});
  else
    print(*written ? fmt::format("{}: port {}, {} {}", path, arguments.port, arguments.target,
                                 clear ? "was reset to its default sources" : "= " + value_of(arguments.uses))
                   : fmt::format("{}: nothing to change", path));
  if (*written)
    talk(fmt::format("Next: omnipar play {0}, or omnipar profile undo {0}", shell_word(arguments.sources.profile)));
  return good;
}

int set(const ProfileArguments& arguments) {
  if (arguments.uses.empty() != arguments.nothing) {
    tell({{"bad-arguments", Severity::error,
           arguments.nothing ? "roles and --nothing exclude each other" : "no role is given", "",
           "name its roles, or use --nothing to leave it unassigned"}});
    return bad_input;
  }
  return edit(arguments, false);
}

int clear(const ProfileArguments& arguments) { return edit(arguments, true); }

/// The names in a port: its directions, and its controller's targets.
std::vector<std::string> targets_of(const FoundProfile& given, int port) {
  std::vector<std::string> names{"directions"};
  for (const Question& question : questions_for(given.catalogue, *given.profile, port)) names.push_back(question.name);
  for (const Question& question : questions_for(given.catalogue, *given.profile, port, true))
    names.push_back(question.name);
  return names;
}

/// Gives one port the bindings of another; those whose target it lacks are in `no_twin`.
tl::expected<Profile, Diagnostics> with_port_copied(const FoundProfile& given, const ProfileArguments& arguments,
                                                    std::vector<std::string>& no_twin) {
  Profile profile = *given.profile;
  const auto port_of = [&](int number) { return std::ranges::find(profile.ports, number, &PortProfile::port); };
  for (const int number : {arguments.port, arguments.to_port})
    if (port_of(number) == profile.ports.end())
      return tl::unexpected(
          Diagnostics{{"unknown-port", Severity::error, fmt::format("this profile has no port {}", number),
                       arguments.sources.profile, "'omnipar profile show' lists the ports"}});
  if (arguments.port == arguments.to_port)
    return tl::unexpected(Diagnostics{
        {"same-port", Severity::error, "a port cannot be copied to itself", "", "choose another port with --to-port"}});
  PortProfile& to = *port_of(arguments.to_port);
  const PortProfile& from = *port_of(arguments.port);
  to.bind.clear();
  to.like.reset();
  if (arguments.like) {
    to.like = from.like.value_or(arguments.port);
    return profile;
  }
  to.like = from.like;
  const std::vector<std::string> there = targets_of(given, arguments.to_port);
  for (const Binding& binding : from.bind) {
    const bool has_twin = std::ranges::find(there, binding.target) != there.end() ||
                          std::ranges::find(direction_names, binding.target) != direction_names.end();
    if (has_twin)
      to.bind.push_back(binding);
    else
      no_twin.push_back(binding.target);
  }
  return profile;
}

/// The targets of a port for which the connected units of its seat have no control.
std::vector<std::string> unserved_here(const ProfileArguments& arguments, const Catalogue& catalogue,
                                       const Profile& profile) {
  const auto plan = compile(catalogue, profile);
  const auto rig = load_rig(os::real_door(), arguments.sources);
  const auto port = std::ranges::find(profile.ports, arguments.to_port, &PortProfile::port);
  if (!plan || !rig || port == profile.ports.end()) return {};
  std::vector<Description> nodes;
  if (arguments.sources.host.empty())
    nodes = play::used_nodes(catalogue, all_nodes(host::look_around(os::real_door())));
  else if (auto room = read_room(os::real_door(), arguments.sources.host, catalogue))
    nodes = std::move(*room);
  std::vector<std::string> roles;
  for (const Description& node : nodes)
    for (const std::string& part : unit_parts(catalogue, node)) {
      const RigUnit* unit = find_unit(*rig, node, {}, part);
      if (unit == nullptr || unit->seat != port->seat) continue;
      for (std::string& role : roles_of(attach_node(catalogue, node, node, part))) roles.push_back(std::move(role));
    }
  return roles.empty() ? std::vector<std::string>{} : unserved(*plan, port->seat, roles);
}

/// Copies a whole profile to a new name, or one port's bindings to another port.
int copy(const ProfileArguments& arguments) {
  os::Door& door = os::real_door();
  const FoundProfile given = load(door, arguments.sources);
  tell(given.elsewhere);
  tell(given.problems);
  if (!given.plan) return bad_input;
  std::vector<std::string> no_twin;
  const bool is_whole = !arguments.as.empty();
  Profile made = *given.profile;
  if (!is_whole) {
    auto copied = with_port_copied(given, arguments, no_twin);
    if (!copied) return refuse_file(copied.error());
    made = std::move(*copied);
  }
  const std::string& name = is_whole ? arguments.as : arguments.sources.profile;
  const auto path = profile_to_write(door, arguments.sources, name);
  if (!path) return refuse_file({path.error()});
  if (is_whole) {
    made.name = files::profile_name(name);
    if (const auto problems = files::write_new_profile(door, *path, made)) return refuse_file(*problems);
  } else if (const auto written =
                 files::edit_profile(door, *path, given.catalogue, files::edits_between(*given.profile, made));
             !written) {
    const int status = refuse_file(written.error());
    talk("Nothing was changed.");
    return status;
  }
  if (arguments.json)
    print_json({{"file", *path}, {"no-twin", no_twin}});
  else
    print(is_whole ? *path
                   : fmt::format("{}: port {} {} port {}", *path, arguments.to_port,
                                 arguments.like ? "now follows" : "now has the bindings of", arguments.port));
  if (!no_twin.empty())
    talk(fmt::format("Skipped because port {} has no such controls: {}.", arguments.to_port, some_listed(no_twin, 16)));
  const std::vector<std::string> lacking =
      is_whole ? std::vector<std::string>{} : unserved_here(arguments, given.catalogue, made);
  if (!lacking.empty())
    talk(fmt::format("The unit at port {} has no control for: {}.", arguments.to_port, some_listed(lacking, 16)));
  talk(fmt::format("Next: omnipar profile show {0}, or omnipar profile undo {0}", shell_word(name)));
  return good;
}

int undo(const ProfileArguments& arguments) {
  os::Door& door = os::real_door();
  const auto path = profile_to_write(door, arguments.sources, arguments.sources.profile);
  if (!path) return refuse_file({path.error()});
  const auto kept = files::undo(door, *path, files::versions_of(door, *path));
  if (!kept) return refuse_file(kept.error());
  if (arguments.json)
    print_json(nlohmann::ordered_json{{"file", *path}, {"undone", *kept}});
  else
    print(undone_words(door, *path));
  talk(fmt::format("The undone version is saved as {}", *kept));
  return good;
}

}  // namespace

void add_profile(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand("profile", "Manage your profiles: list, show, new, set, clear, copy, undo");
  const auto arguments = std::make_shared<ProfileArguments>();
  const auto add = [&](const char* name, const char* about, int (*run)(const ProfileArguments&), bool named,
                       const char* example) {
    CLI::App* verb = command->add_subcommand(name, about);
    if (named) verb->add_option("PROFILE", arguments->sources.profile, "a profile's name, or its file")->required();
    add_data_option(*verb, arguments->sources);
    add_rig_option(*verb, arguments->sources);
    verb->add_flag("--json", arguments->json, "print JSON");
    verb->footer(
        fmt::format("Example:\n  {}\nExit status: 0 success, 2 invalid input, 3 the file cannot be written.", example));
    verb->callback([arguments, &status, run] { status = run(*arguments); });
    return verb;
  };
  const auto add_target = [&](CLI::App* verb) {
    verb->add_option("TARGET", arguments->target, "a target of the controller, such as b or directions")->required();
    verb->add_option("--port", arguments->port, "the port (default: 1)")->check(CLI::Range(1, 99));
  };
  add("list", "list your profiles", list, false, "omnipar profile list");
  add("show", "show every target with its sources (for a machine, the default bindings)", show, true,
      "omnipar profile show cabinet.toml");
  add("new", "create a profile from a machine's default bindings", make, true,
      "omnipar profile new cabinet --system arcade-4b")
      ->add_option("--system", arguments->system, "the machine")
      ->required();
  CLI::App* set_verb = add("set", "set the sources of a target, changing only that line of the file", set, true,
                           "omnipar profile set cabinet button-2 east west --port 1");
  add_target(set_verb);
  set_verb->add_option("ROLE", arguments->uses, "roles, or tables such as '{ use = \"east\", long-press = 300 }'");
  set_verb->add_flag("--nothing", arguments->nothing, "leave the target unassigned");
  add_target(
      add("clear", "reset a target to its default sources", clear, true, "omnipar profile clear cabinet button-2"));
  CLI::App* copy_verb = add("copy", "copy one port's bindings to another, or copy the whole profile", copy, true,
                            "omnipar profile copy cabinet --port 1 --to-port 2");
  copy_verb->add_option("--port", arguments->port, "the port to copy from (default: 1)")->check(CLI::Range(1, 99));
  copy_verb->add_option("--to-port", arguments->to_port, "the port to copy to (default: 2)")->check(CLI::Range(1, 99));
  copy_verb->add_flag("--like", arguments->like, "make the port follow the other one, with a 'like' line");
  add_host_option(*copy_verb, arguments->sources);
  copy_verb->add_option("--as", arguments->as, "copy the whole profile to this name");
  add("undo", "undo the last change, up to ten", undo, true, "omnipar profile undo cabinet");
  command->require_subcommand(1);
  command->footer(
      "Example: player 1's b button on Marrowby's cabinet, with two switches:\n"
      "  omnipar profile new cabinet --system arcade-4b\n"
      "  omnipar profile set cabinet b east west");
}

}  // namespace omnipar::cli
