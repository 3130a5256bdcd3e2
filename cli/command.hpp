// What the commands share. Each command is a small file: parse, call, print.
#pragma once

#include <string>

#include <CLI/CLI.hpp>

namespace omnipar::cli {

/// Exit statuses: the same for every command.
enum Status : int {
  good = 0,
  found_something = 1,
  bad_input = 2,
  machine_refuses = 3,
};

/// Adds a command to the program. When it is chosen, `status` is set to what the program exits with.
void add_play(CLI::App& app, int& status);
void add_units(CLI::App& app, int& status);
void add_doctor(CLI::App& app, int& status);
void add_calibrate(CLI::App& app, int& status);
void add_check(CLI::App& app, int& status);
void add_catalogue(CLI::App& app, int& status);
void add_rig(CLI::App& app, int& status);
void add_profile(CLI::App& app, int& status);
void add_trace(CLI::App& app, int& status);
void add_why(CLI::App& app, int& status);
void add_demo(CLI::App& app, int& status);

/// Results go to stdout.
void print(const std::string& line);
/// Talk goes to stderr.
void talk(const std::string& line);

}  // namespace omnipar::cli
