#include <cstdio>

#include "command.hpp"

namespace omnipar::cli {

void print(const std::string& line) {
  std::fputs((line + "\n").c_str(), stdout);
  std::fflush(stdout);
}

void talk(const std::string& line) { std::fputs((line + "\n").c_str(), stderr); }

namespace {

/// CLI11 says what is wrong with the words; we say what to do next, on stderr, with our own status.
int refuse(const CLI::App& app, const CLI::ParseError& error) {
  if (error.get_exit_code() == static_cast<int>(CLI::ExitCodes::Success)) return app.exit(error);
  talk(std::string{"omnipar: "} + error.what());
  talk("'omnipar --help' lists the commands, 'omnipar COMMAND --help' explains one.");
  return bad_input;
}

int run(int count, char** words) {
  CLI::App app{"Your controllers, arcade panels and pads as the controllers of an emulated machine:\n"
               "everybody keeps their port, and nothing ever sticks.",
               "omnipar"};
  app.footer("First:  sudo omnipar doctor --mend\nThen:   omnipar play pad-2b");
  app.require_subcommand(1);
  int status = good;
  add_units(app, status);
  add_doctor(app, status);
  add_play(app, status);
  add_demo(app, status);
  try {
    app.parse(count, words);
  } catch (const CLI::ParseError& error) {
    return refuse(app, error);
  }
  return status;
}

}  // namespace
}  // namespace omnipar::cli

int main(int count, char** words) {
  try {
    return omnipar::cli::run(count, words);
  } catch (const std::exception& error) {
    omnipar::cli::talk(std::string{"omnipar: "} + error.what());
    return omnipar::cli::machine_refuses;
  }
}
