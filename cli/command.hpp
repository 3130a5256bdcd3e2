// What the commands share. Each command is a small file: parse, call, print.
#pragma once

#include <span>
#include <string>
#include <string_view>

#include <CLI/CLI.hpp>
#include <nlohmann/json.hpp>

#include "base/shell_word.hpp"
#include "omnipar/diagnostic.hpp"
#include "omnipar/time.hpp"

namespace omnipar::cli {

/// Exit statuses: the same for every command.
enum Status : int {
  good = 0,
  found_something = 1,
  bad_input = 2,
  machine_refuses = 3,
};

/// Adds a command to the program. When it is chosen, `status` is set to what the program exits with.
void add_play(CLI::App& app, int& status, const std::vector<std::string>& program);
void add_units(CLI::App& app, int& status);
void add_doctor(CLI::App& app, int& status);
void add_calibrate(CLI::App& app, int& status);
void add_learn(CLI::App& app, int& status);
void add_check(CLI::App& app, int& status);
void add_catalogue(CLI::App& app, int& status);
void add_rig(CLI::App& app, int& status);
void add_profile(CLI::App& app, int& status);
void add_trace(CLI::App& app, int& status);
void add_why(CLI::App& app, int& status);
void add_watch(CLI::App& app, int& status);
void add_demo(CLI::App& app, int& status);

/// What an option counts in seconds.
[[nodiscard]] inline Duration seconds(double count) { return Duration{static_cast<std::int64_t>(count * 1e6)}; }

/// For an option: a number from `low` to `high`, and nothing else.
[[nodiscard]] CLI::Validator number_between(double low, double high);

using base::shell_word;

/// Results go to stdout. What does harm to a terminal is left out of all that is said.
void print(const std::string& line);
void print_json(const nlohmann::ordered_json& value, int indent = -1);
/// Returns JSON text that is safe for a terminal.
[[nodiscard]] std::string json_text(const nlohmann::ordered_json& value, int indent = -1);
/// Talk goes to stderr.
void talk(const std::string& line);

/// The first fifty problems and the number of others, which mostly follow from the first.
[[nodiscard]] Diagnostics first_of(const Diagnostics& problems);

/// As `to_text`, with the message and the caret to be seen at a glance on a terminal.
[[nodiscard]] std::string styled_text(Diagnostic problem);
/// Each problem on stderr; with --json they are the result, too, if there is no other: {"problems": […]}.
void tell(const Diagnostics& problems);
[[nodiscard]] nlohmann::ordered_json problems_json(const Diagnostics& problems);

/// Flushes the output. Returns false if it can no longer be written.
[[nodiscard]] bool flush_results();

/// The result is one of many lines: a problem may follow them as one more.
void results_are_lines();

/// Before the first word, and behind the last: what the program exits with. A result that could not be written whole
/// is an error.
void begin_output(std::span<char*> words);
[[nodiscard]] int end_output(int status);

}  // namespace omnipar::cli
