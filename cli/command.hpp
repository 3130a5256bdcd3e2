// Common parts of the commands. Each command is a small file: parse, call, print.
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

/// Adds a command to the program. When it is chosen, `status` is set to the program's exit status.
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

/// The type of an option in seconds.
[[nodiscard]] inline Duration seconds(double count) { return Duration{static_cast<std::int64_t>(count * 1e6)}; }

/// Validates an option: a number from `low` to `high`.
[[nodiscard]] CLI::Validator number_between(double low, double high);

using base::shell_word;

/// Results go to stdout. All output is made safe for a terminal.
void print(const std::string& line);
void print_json(const nlohmann::ordered_json& value, int indent = -1);
/// Returns JSON text that is safe for a terminal.
[[nodiscard]] std::string json_text(const nlohmann::ordered_json& value, int indent = -1);
/// Messages go to stderr.
void talk(const std::string& line);

/// The first fifty problems and the number of others, which mostly follow from the first.
[[nodiscard]] Diagnostics first_of(const Diagnostics& problems);

/// Like `to_text`, with the message and the caret highlighted on a terminal.
[[nodiscard]] std::string styled_text(Diagnostic problem);
/// Prints each problem on stderr; with --json they are also the result if there is no other: {"problems": […]}.
void tell(const Diagnostics& problems);
[[nodiscard]] nlohmann::ordered_json problems_json(const Diagnostics& problems);

/// Flushes the output. Returns false if it can no longer be written.
[[nodiscard]] bool flush_results();

/// The result consists of lines: a problem may follow them as another one.
void results_are_lines();

/// Must be called before the first output, and after the last: returns the exit status. A result that could not be
/// written completely is an error.
void begin_output(std::span<char*> words);
[[nodiscard]] int end_output(int status);

}  // namespace omnipar::cli
