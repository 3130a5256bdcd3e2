// omnipar why CONTROL
#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <memory>
#include <utility>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "base/code_names.hpp"
#include "catalogue/lookup.hpp"
#include "command.hpp"
#include "inspect/why.hpp"
#include "omnipar/hid.hpp"
#include "omnipar/role.hpp"
#include "picture_file.hpp"
#include "sources.hpp"
#include "unused.hpp"

namespace omnipar::cli {
namespace {

struct WhyArguments {
  Sources sources;
  std::string control;
  std::vector<double> at;  ///< how far it is pushed: x, or x and y
  std::string picture;
  bool unused = false;
  bool json = false;
};

/// The subject of a question: roles, each with its origin, at one seat or at all.
struct Question {
  std::string seat;
  std::vector<inspect::Meaning> roles;
};

/// Other meanings of a word that is neither a role nor a raw code.
Diagnostic no_control(const FoundProfile& given, const std::string& name) {
  const auto targets = given.plan->targets();
  if (std::ranges::find(targets, name, &TargetInfo::name) != targets.end())
    return {"unknown-role", Severity::error,
            fmt::format("'{}' is a target of the machine, not a control of a unit", name), "",
            "name a role, such as south; 'omnipar profile show PROFILE' shows the sources of each target"};
  std::vector<std::string_view> names = role_names();
  const std::vector<std::string_view> codes = base::code_names();
  names.insert(names.end(), codes.begin(), codes.end());
  const std::string near = catalogue::suggestion(name, names);
  return {"unknown-role", Severity::error, fmt::format("'{}' is neither a role nor a raw code", printable(name)), "",
          near.starts_with("did") ? near : "roles are: " + catalogue::listed(role_names())};
}

/// The seat that the word before the '/' denotes: itself, or that of the rig's unit with this name.
tl::expected<std::string, Diagnostic> seat_of(const FoundProfile& given, const Rig& rig, const std::string& word) {
  const auto seats = given.plan->seats();
  const auto unit = std::ranges::find(rig.units, word, &RigUnit::name);
  const std::string seat = unit == rig.units.end() ? word : unit->seat;
  if (std::ranges::find(seats, seat) != seats.end()) return seat;
  std::vector<std::string_view> names{seats.begin(), seats.end()};
  return tl::unexpected(Diagnostic{
      "unknown-seat", Severity::error,
      unit == rig.units.end()
          ? fmt::format("no port in this profile is played from seat '{}'", printable(word))
          : fmt::format("\"{}\" is assigned to {}, which plays no port in this profile", printable(word), seat),
      "", fmt::format("its seats are: {}", catalogue::listed(names))});
}

/// The roles of a raw control: on the units of the room, if there is one, otherwise by all sheets and the convention.
tl::expected<std::vector<inspect::Meaning>, Diagnostic> meanings_of(const WhyArguments& arguments,
                                                                    const FoundProfile& given,
                                                                    const std::string& name) {
  if (!arguments.sources.host.empty()) {
    const auto nodes = read_room(os::real_door(), arguments.sources.host, given.catalogue);
    if (!nodes) return tl::unexpected(nodes.error());
    auto found = inspect::meanings(given.catalogue, std::span{*nodes}, name);
    if (!found.empty()) return found;
    return tl::unexpected(Diagnostic{"unknown-code", Severity::error,
                                     fmt::format("no unit in this room has a control '{}' with a role", name),
                                     arguments.sources.host, "omnipar units" + same_host(arguments.sources.host)});
  }
  const auto code = base::code_of_name(name);
  auto found = code ? inspect::meanings(given.catalogue, *code) : inspect::meanings(given.catalogue, name);
  if (!found.empty()) return found;
  return tl::unexpected(Diagnostic{"unknown-code", Severity::error,
                                   fmt::format("'{}' has no role in any sheet or convention", name), "",
                                   "assign a role in a unit sheet; see: omnipar catalogue fields unit"});
}

tl::expected<Question, Diagnostic> asked(const WhyArguments& arguments, const FoundProfile& given, const Rig& rig) {
  Question question;
  const std::string& control = arguments.control;
  const std::size_t slash = hid::is_name(control) ? std::string::npos : control.find('/');
  if (slash != std::string::npos) {
    const auto seat = seat_of(given, rig, control.substr(0, slash));
    if (!seat) return tl::unexpected(seat.error());
    question.seat = *seat;
  }
  const std::string name = slash == std::string::npos ? control : control.substr(slash + 1);
  if (role_kind(name) || stick_direction(name)) {
    question.roles.push_back({"", name});
    return question;
  }
  if (!base::code_of_name(name) && !hid::is_name(name)) return tl::unexpected(no_control(given, name));
  auto roles = meanings_of(arguments, given, name);
  if (!roles) return tl::unexpected(roles.error());
  question.roles = std::move(*roles);
  return question;
}

std::string origin_words(const inspect::Link& link) {
  if (link.origin == "default") return "its default source";
  if (link.origin == "own") return "written at " + link.place;
  if (link.origin == "built in") return "built in";
  return fmt::format("as {}, written at {}", link.origin, link.place);
}

/// The whole chain, then where it is written: on the same line, or below if it is long.
void show(const inspect::Link& link) {
  const std::string target = link.port == 0 ? "action " + link.target
                                            : fmt::format("port {} ({}): {}", link.port, link.controller, link.target);
  const std::string chain = fmt::format("  {} at seat {} -> {}{}", link.source, link.seat,
                                        link.shape.empty() ? "" : link.shape + " -> ", target);
  constexpr std::size_t column = 64;
  if (chain.size() <= column) return print(fmt::format("{:<{}}  {}", chain, column, origin_words(link)));
  print(chain);
  print("      " + origin_words(link));
}

std::vector<inspect::StageValue> values_of(const WhyArguments& arguments, const inspect::Link& link) {
  if (arguments.at.empty()) return {};
  return inspect::stage_values(link, arguments.at[0], arguments.at.size() > 1 ? arguments.at[1] : 0);
}

/// The value after each stage, one line each.
void show(const std::vector<inspect::StageValue>& values) {
  for (const inspect::StageValue& value : values) print(fmt::format("      {:<32} {}", value.stage, value.value));
}

nlohmann::ordered_json to_json(const inspect::Link& link, const std::vector<inspect::StageValue>& values) {
  nlohmann::ordered_json json{{"seat", link.seat},  {"source", link.source}, {"shape", link.shape},
                              {"port", link.port},  {"target", link.target}, {"origin", link.origin},
                              {"place", link.place}};
  for (const inspect::StageValue& value : values) {
    const bool is_native = value.stage.ends_with(" of the machine");  // whole numbers
    auto numbers = nlohmann::ordered_json::array();
    for (const double number : value.numbers)
      is_native ? numbers.push_back(static_cast<std::int64_t>(number)) : numbers.push_back(number);
    nlohmann::ordered_json shown = value.value;
    if (numbers.size() == 1) shown = numbers.front();
    if (numbers.size() > 1) shown = numbers;
    json["values"].push_back({{"stage", value.stage}, {"value", shown}});
    if (value.value.ends_with("off-screen")) json["values"].back()["off-screen"] = true;
  }
  return json;
}

/// The response to pushes of every length in the direction of --at, or to the right.
std::optional<draw::Curve> curve_of(const WhyArguments& arguments, const inspect::Link& link) {
  double x = arguments.at.empty() ? 1 : arguments.at[0], y = arguments.at.size() > 1 ? arguments.at[1] : 0;
  const double length = std::sqrt(x * x + y * y);
  if (length == 0) x = 1;
  if (length > 0) x /= length, y /= length;
  const auto along = [&](double push) -> std::optional<double> {
    const auto out = inspect::shaped_push(link, x * push, y * push);
    if (!out) return std::nullopt;
    const double far = std::sqrt(out->first * out->first + out->second * out->second);
    return out->first * x + out->second * y < -1e-9 ? -far : far;
  };
  if (!along(0)) return std::nullopt;
  draw::Curve curve{fmt::format("{} to {}", link.source, link.target), {}, {}, {}};
  constexpr int steps = 200;
  for (int i = 0; i <= steps; ++i)
    curve.ways.emplace_back(i / static_cast<double>(steps), *along(i / static_cast<double>(steps)));
  if (!arguments.at.empty()) curve.now = {std::min(1.0, length), *along(std::min(1.0, length))};
  for (const inspect::StageValue& stage : inspect::stage_values(link, x, y)) curve.stages.push_back(stage.stage);
  return curve;
}

int run(const WhyArguments& arguments) {
  if (const auto problem = refuses_picture(arguments.picture)) {
    tell({*problem});
    return bad_input;
  }
  const FoundProfile given = load(os::real_door(), arguments.sources);
  tell(given.elsewhere);
  tell(given.problems);
  if (!given.plan) return bad_input;
  const auto rig = load_rig(os::real_door(), arguments.sources);
  if (!rig) {
    tell(rig.error());
    return bad_input;
  }
  const auto question = asked(arguments, given, *rig);
  if (!question) {
    tell({question.error()});
    return bad_input;
  }
  auto all = inspect::links(given.catalogue, *given.profile);
  inspect::apply_calibrations(all, given.catalogue, *rig);
  auto list = nlohmann::ordered_json::array();
  std::size_t found = 0;
  std::vector<draw::Curve> curves;
  for (const inspect::Meaning& meaning : question->roles) {
    const int more = std::max(0, meaning.says - 2);
    bool has_heading = meaning.by.empty();
    const auto print_heading = [&] {
      if (!std::exchange(has_heading, true))
        print(fmt::format("{} is '{}' by {}{}:", arguments.control, meaning.role, meaning.by,
                          more == 0 ? "" : fmt::format(", and {} more sheet{}", more, more == 1 ? "" : "s")));
    };
    for (const inspect::Link& link : all) {
      if (link.source.empty() || !inspect::concerns(link.source, meaning.role)) continue;
      if (!question->seat.empty() && link.seat != question->seat) continue;
      ++found;
      if (!arguments.picture.empty())
        if (auto curve = curve_of(arguments, link)) curves.push_back(std::move(*curve));
      const auto values = values_of(arguments, link);
      list.push_back(to_json(link, values));
      if (arguments.json) continue;
      print_heading();
      show(link);
      show(values);
    }
    for (const inspect::Stop& stop : inspect::stops(given.catalogue, *given.profile, meaning.role)) {
      if (arguments.json || (!question->seat.empty() && stop.seat != question->seat)) continue;
      print_heading();
      print(fmt::format("{:<64}  written at {}",
                        fmt::format("  {} at seat {} -> is not bound: port {}'s {} has other sources", meaning.role,
                                    stop.seat, stop.port, stop.target),
                        stop.place));
    }
  }
  if (arguments.json) print_json(list, 2);
  if (!arguments.picture.empty()) {
    const std::string title = fmt::format("{} in {}", arguments.control, arguments.sources.profile);
    const int status = draw_picture(arguments.picture, "this link has no stick or axis",
                                    [&](const draw::Pictures& pictures, draw::Format format) {
                                      return curves.empty() ? "" : pictures.curves(title, curves, format);
                                    });
    if (status != good) return status;
  }
  if (found == 0) talk(fmt::format("'{}' is not bound in this profile.", arguments.control));
  return found > 0 ? good : found_something;
}

/// Empty for a number from -1 to 1, otherwise the error.
std::string a_push(const std::string& word) {
  char* end = nullptr;
  const double value = std::strtod(word.c_str(), &end);
  const bool good_number = end != word.c_str() && *end == '\0' && value >= -1 && value <= 1;
  return good_number ? "" : fmt::format("invalid number '{}': expected -1 to 1", word);
}

}  // namespace

void add_why(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand("why", "Show every link from a control to the machine");
  const auto arguments = std::make_shared<WhyArguments>();
  CLI::Option* control = command->add_option("CONTROL", arguments->control,
                                             "a role such as south, or a raw code such as BTN_SOUTH or hid:0/x; for "
                                             "one seat SEAT/ROLE, for one unit in the rig UNIT/ROLE");
  command->add_flag("--unused", arguments->unused, "instead of a control: list the unbound controls of each unit")
      ->excludes(control);
  command->add_option("--profile", arguments->sources.profile, "a profile, or a machine")->required();
  add_data_option(*command, arguments->sources);
  add_rig_option(*command, arguments->sources);
  add_host_option(*command, arguments->sources);
  command
      ->add_option(
          "--at", arguments->at,
          "show the value after each stage at this position (a gun: from the screen's centre): X or X,Y, each -1 to 1")
      ->delimiter(',')
      ->expected(1, 2)
      ->check(CLI::Validator{a_push, "-1..1"});
  command->add_option("--picture", arguments->picture, "draw the response curve to this .svg or .png file");
  command->add_flag("--json", arguments->json, "print JSON");
  command->footer(
      "Example: the coin button on the left panel of Marrowby's cabinet:\n  omnipar why left/select --profile "
      "cabinet.toml\n"
      "List the controls that are not bound:\n  omnipar why --unused --profile cabinet.toml\n"
      "Exit status: 0 bound, 1 not bound, or no unit connected, 2 no such control, seat or profile.");
  command->callback([arguments, &status] {
    if (!arguments->unused && arguments->control.empty()) throw CLI::RequiredError("CONTROL");
    status = arguments->unused ? show_unused(arguments->sources, arguments->json) : run(*arguments);
  });
}

}  // namespace omnipar::cli
