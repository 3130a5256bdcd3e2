#include <unistd.h>

#include <algorithm>
#include <cstdio>
#include <exception>
#include <new>
#include <optional>
#include <span>
#include <sstream>
#include <vector>

#include <fmt/format.h>

#include "base/list.hpp"
#include "base/near.hpp"
#include "command.hpp"
#include "omnipar/identity.hpp"
#include "omnipar/version.hpp"
#include "os/door.hpp"
#include "style.hpp"

namespace omnipar::cli {

CLI::Validator number_between(double low, double high) {
  const std::string range = fmt::format("{} to {}", low, high);
  return {[=](const std::string& word) {
            double number = 0;
            const bool good = CLI::detail::lexical_cast(word, number) && number >= low && number <= high;
            return good ? std::string{} : fmt::format("invalid number '{}': expected {}", printable(word), range);
          },
          range};
}

namespace {

/// A first word that is neither a command nor an option: a suggestion.
bool refuse_unknown_command(const CLI::App& app, std::string_view word) {
  if (word.starts_with('-')) return false;
  std::vector<std::string> names;
  for (const CLI::App* command : app.get_subcommands(nullptr)) names.push_back(command->get_name());
  if (std::ranges::find(names, word) != names.end()) return false;
  const auto near = base::nearest(word, std::vector<std::string_view>{names.begin(), names.end()});
  tell({{"bad-arguments", Severity::error, fmt::format("unknown command '{}'", printable(word)), "",
         near ? fmt::format("did you mean '{}'?", *near) : "'omnipar --help' lists all commands"}});
  return true;
}

/// The command that the arguments selected, and its name.
const CLI::App* innermost(const CLI::App& app, std::string& called) {
  const CLI::App* command = &app;
  while (!command->get_subcommands().empty()) {
    command = command->get_subcommands().front();
    called += " " + command->get_name();
  }
  return command;
}

/// The error in a word that a command does not know; nothing if it is another error.
std::optional<Diagnostic> unknown_word(const CLI::App& app) {
  const std::vector<std::string> left = app.remaining(true);
  if (left.empty() || left.front() == "--") return std::nullopt;
  std::string called = "omnipar";
  const CLI::App* command = innermost(app, called);
  const std::string word = left.front().substr(0, left.front().find('='));
  std::vector<std::string> names;
  const bool is_option = word.starts_with('-');
  if (is_option)
    for (const CLI::Option* option : command->get_options())
      for (const std::string& name : option->get_lnames()) names.push_back("--" + name);
  else
    for (const CLI::App* verb : command->get_subcommands(nullptr)) names.push_back(verb->get_name());
  const auto near = base::nearest(word, std::vector<std::string_view>{names.begin(), names.end()});
  return Diagnostic{"bad-arguments", Severity::error,
                    fmt::format("'{}' {} no {} '{}'", called, is_option || !names.empty() ? "has" : "takes",
                                is_option        ? "option"
                                : !names.empty() ? "command"
                                                 : "word",
                                printable(word)),
                    "", near ? fmt::format("did you mean '{}'?", *near) : fmt::format("see: {} --help", called)};
}

/// CLI11 detects the error; we add a hint, on stderr, with our own exit status.
int refuse(const CLI::App& app, const CLI::ParseError& error) {
  if (error.get_exit_code() == static_cast<int>(CLI::ExitCodes::Success)) {
    std::ostringstream words;
    const int status = app.exit(error, words, words);
    std::string text = words.str();
    while (text.ends_with('\n')) text.pop_back();
    print(text);
    return status;
  }
  std::string called = "omnipar";
  const CLI::App* command = innermost(app, called);
  const bool lacks = error.get_exit_code() == static_cast<int>(CLI::ExitCodes::RequiredError);
  const bool left_over = error.get_exit_code() == static_cast<int>(CLI::ExitCodes::ExtrasError);
  std::vector<std::string> verbs;
  for (const CLI::App* verb : command->get_subcommands(nullptr)) verbs.push_back(verb->get_name());
  Diagnostic problem{"bad-arguments", Severity::error, error.what(), "", fmt::format("see: {} --help", called)};
  if (const auto unknown = lacks || left_over ? unknown_word(app) : std::nullopt)
    problem = *unknown;
  else if (lacks && !verbs.empty())
    problem.message = fmt::format("'{}' requires a subcommand: {}", called, some_listed(verbs, verbs.size()));
  tell({problem});
  return bad_input;
}

/// Everything after the "--" of `play` belongs to the program.
std::vector<std::string> split_program(int& count, char** words) {
  std::vector<std::string> program;
  if (count < 2 || std::string_view{words[1]} != "play") return program;
  char** const end = words + count;
  char** const dashes = std::find_if(words, end, [](const char* word) { return std::string_view{word} == "--"; });
  if (dashes != end) program.assign(dashes + 1, end);
  count = static_cast<int>(dashes - words);
  return program;
}

/// "--color WHEN" is accepted anywhere before "--", for every command. False if WHEN is invalid.
bool parse_colour(int& count, char** words) {
  constexpr std::string_view option = "--color";
  bool known = true;
  int kept = 1;
  bool is_ours = true;
  for (int i = 1; i < count; ++i) {
    const std::string_view word{words[i]};
    is_ours = is_ours && word != "--";
    if (is_ours && word == option)
      known = ++i < count && choose_colour(words[i]) && known;
    else if (is_ours && word.starts_with("--color="))
      known = choose_colour(word.substr(option.size() + 1)) && known;
    else
      words[kept++] = words[i];
  }
  count = std::min(count, kept);
  return known;
}

int run(int count, char** words) {
  if (!parse_colour(count, words)) {
    tell({{"bad-arguments", Severity::error, "invalid --color: expected auto, always or never", "",
           "the default is auto"}});
    return bad_input;
  }
  const std::vector<std::string> program = split_program(count, words);
  CLI::App app{
      "Map your controllers, arcade panels and light guns to the controllers of an emulated machine.\nEvery player "
      "keeps their port, and no button ever sticks.",
      "omnipar"};
  app.footer("First:  sudo omnipar doctor --fix\nThen:   omnipar play pad-2b");
  app.set_version_flag("--version", "Omnipar " OMNIPAR_VERSION);
  app.require_subcommand(1);
  std::string colour;
  app.add_option("--color", colour, "for every command: auto (on a terminal, without NO_COLOR), always or never");
  int status = good;
  add_units(app, status);
  add_doctor(app, status);
  add_catalogue(app, status);
  add_rig(app, status);
  add_learn(app, status);
  add_calibrate(app, status);
  add_profile(app, status);
  add_check(app, status);
  add_why(app, status);
  add_watch(app, status);
  add_play(app, status, program);
  add_trace(app, status);
  add_demo(app, status);
  if (count < 2) {
    talk(app.help());
    return bad_input;
  }
  if (refuse_unknown_command(app, words[1])) return bad_input;
  // Brackets contain a list of ours, such as the sources of a target, which the parser would split.
  std::vector<std::string> kept{words, words + count};
  for (std::string& word : kept)
    if (word.starts_with('[') && word.ends_with(']')) word += ' ';
  std::vector<const char*> as_given;
  for (const std::string& word : kept) as_given.push_back(word.c_str());
  try {
    app.parse(count, as_given.data());
  } catch (const CLI::ParseError& error) {
    return refuse(app, error);
  }
  return status;
}

[[noreturn]] void end_at_once(std::string_view words) {
  static_cast<void>(os::write_all(os::real_door(), STDERR_FILENO, std::as_bytes(std::span{words})));
  ::_exit(machine_refuses);
}

/// When memory is short there may be none for an exception either. The keeper releases everything.
[[noreturn]] void out_of_memory() { end_at_once("omnipar: out of memory; close other programs and try again\n"); }

/// Exceptions are caught, if there is memory to throw them.
[[noreturn]] void ends_unforeseen() {
  end_at_once("omnipar: internal error, or out of memory; if memory is not short, please report it\n");
}

/// First of all, because memory is needed even before `main`.
[[gnu::constructor(101)]] void prepare_for_little_memory() {
  std::set_new_handler(out_of_memory);
  std::set_terminate(ends_unforeseen);
}

}  // namespace
}  // namespace omnipar::cli

int main(int count, char** words) {
  try {
    omnipar::cli::begin_output({words, static_cast<std::size_t>(count)});
    return omnipar::cli::end_output(omnipar::cli::run(count, words));
  } catch (const std::exception& error) {
    omnipar::cli::talk(std::string{"omnipar: "} + error.what());
    return omnipar::cli::machine_refuses;
  }
}
