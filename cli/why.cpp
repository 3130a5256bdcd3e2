// omnipar why CONTROL
#include <algorithm>
#include <memory>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "base/code_names.hpp"
#include "catalogue/lookup.hpp"
#include "command.hpp"
#include "inspect/why.hpp"
#include "omnipar/hid.hpp"
#include "omnipar/role.hpp"
#include "sources.hpp"

namespace omnipar::cli {
namespace {

struct WhyWords {
  Sources sources;
  std::string control;
  bool json = false;
};

/// What is asked about: roles, each with the word for where it comes from, at one seat or at all.
struct Question {
  std::string seat;
  std::vector<inspect::Meaning> roles;
};

tl::expected<Question, Diagnostic> asked(const Catalogue& catalogue, const std::string& control) {
  Question question;
  const std::size_t slash = hid::is_name(control) ? std::string::npos : control.find('/');
  if (slash != std::string::npos) question.seat = control.substr(0, slash);
  const std::string name = slash == std::string::npos ? control : control.substr(slash + 1);
  if (role_kind(name) || stick_direction(name)) {
    question.roles.push_back({"", name});
    return question;
  }
  const auto code = code_of_name(name);
  if (code || hid::is_name(name)) {
    question.roles = code ? inspect::meanings(catalogue, *code) : inspect::meanings(catalogue, name);
    if (!question.roles.empty()) return question;
    return tl::unexpected(Diagnostic{"unknown-code", Severity::error,
                                     fmt::format("no sheet and no convention says what '{}' is", name), "",
                                     "a unit sheet gives it a role; see: omnipar catalogue fields unit"});
  }
  std::vector<std::string_view> names = role_names();
  const std::vector<std::string_view> codes = code_names();
  names.insert(names.end(), codes.begin(), codes.end());
  return tl::unexpected(Diagnostic{
      "unknown-role", Severity::error, fmt::format("'{}' is neither a role nor a raw code", printable(name)), "",
      suggestion(name, names).starts_with("did") ? suggestion(name, names) : "roles are: " + listed(role_names())});
}

std::string origin_words(const inspect::Link& link) {
  if (link.origin == "usual") return "its usual source";
  if (link.origin == "own") return "written at " + link.place;
  if (link.origin == "built in") return "always there";
  return fmt::format("as {}, written at {}", link.origin, link.place);
}

/// One line: the whole chain, then where it is written.
void show(const inspect::Link& link) {
  const std::string target = link.port == 0 ? "hot action " + link.target
                                            : fmt::format("port {} ({}): {}", link.port, link.controller, link.target);
  const std::string chain = fmt::format("  {} at seat {} -> {}{}", link.source, link.seat,
                                        link.shape.empty() ? "" : link.shape + " -> ", target);
  print(fmt::format("{:<64}  {}", chain, origin_words(link)));
}

nlohmann::ordered_json to_json(const inspect::Link& link) {
  return {{"seat", link.seat},     {"source", link.source}, {"shape", link.shape}, {"port", link.port},
          {"target", link.target}, {"origin", link.origin}, {"place", link.place}};
}

int run(const WhyWords& words) {
  const Given given = load(os::real_door(), words.sources);
  tell(given.elsewhere);
  tell(given.problems);
  if (!given.plan) return bad_input;
  const auto question = asked(given.catalogue, words.control);
  if (!question) {
    tell({question.error()});
    return bad_input;
  }
  const auto all = inspect::links(given.catalogue, *given.profile);
  auto list = nlohmann::ordered_json::array();
  std::size_t found = 0;
  for (const inspect::Meaning& meaning : question->roles) {
    const int more = std::max(0, meaning.says - 2);
    if (!meaning.by.empty() && !words.json)
      print(fmt::format("{} is '{}' by {}{}:", words.control, meaning.role, meaning.by,
                        more == 0 ? "" : fmt::format(", and {} more sheet{}", more, more == 1 ? "" : "s")));
    for (const inspect::Link& link : all) {
      if (link.source.empty() || !inspect::concerns(link.source, meaning.role)) continue;
      if (!question->seat.empty() && link.seat != question->seat) continue;
      ++found;
      list.push_back(to_json(link));
      if (!words.json) show(link);
    }
    for (const inspect::Stop& stop : inspect::stops(given.catalogue, *given.profile, meaning.role)) {
      if (words.json || (!question->seat.empty() && stop.seat != question->seat)) continue;
      print(fmt::format("{:<64}  written at {}",
                        fmt::format("  {} at seat {} -> stops: port {}'s {} has other sources", meaning.role, stop.seat,
                                    stop.port, stop.target),
                        stop.place));
    }
  }
  if (words.json) print_json(list, 2);
  if (found == 0) talk(fmt::format("'{}' leads nowhere in this profile.", words.control));
  return found > 0 ? good : found_something;
}

}  // namespace

void add_why(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand("why", "Show every link from one control to what the machine sees");
  const auto words = std::make_shared<WhyWords>();
  command
      ->add_option("CONTROL", words->control,
                   "a role such as south, SEAT/ROLE, or a raw code such as BTN_SOUTH or hid:0/x")
      ->required();
  command->add_option("--profile", words->sources.profile, "a profile, or a machine")->required();
  add_data_option(*command, words->sources);
  command->add_flag("--json", words->json, "print JSON");
  command->footer(
      "Example: what does the left panel's coin button do on Marrowby's cabinet?\n"
      "  omnipar why left/select --profile cabinet.toml\n"
      "Exit status: 0 it leads somewhere, 1 it leads nowhere, 2 there is no such control or profile.");
  command->callback([words, &status] { status = run(*words); });
}

}  // namespace omnipar::cli
