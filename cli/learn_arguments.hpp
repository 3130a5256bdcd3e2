// Common parts of the verbs of `omnipar learn`.
#pragma once

#include <string>
#include <utility>
#include <vector>

#include "learning_run.hpp"
#include "sources.hpp"

namespace omnipar::cli {

struct LearnArguments {
  Sources sources;
  std::string as;
  std::string unit;
  std::string used = "ask";
  std::vector<std::string> only;
  int port = 1;
  double skip_after = 0;
  double from = 0;
  double speed = 1;
  bool step = false;
  bool second = false;
  bool missing = false;
  bool adds = false;
  bool asks_all = false;
  bool resume = false;
  bool all_units = false;
  bool with_virtual = false;
  bool feel = false;
  bool leds = false;
  bool json = false;
  std::string form;  ///< empty: the user is asked
  std::string by;
  std::string base = "nothing";
  std::vector<std::string> parts;
};

[[nodiscard]] inline Diagnostic learn_error(std::string id, std::string message, std::string hint,
                                            std::string place = "") {
  return {std::move(id), Severity::error, std::move(message), std::move(place), std::move(hint)};
}

[[nodiscard]] LearnOptions options_of(const LearnArguments& arguments);

/// Runs the session, drawing or printing, and returns the exit status.
[[nodiscard]] int learn_on(const LearnArguments& arguments, LearningRun& run);

/// Returns the exit status; `kept` receives the path of the sheet, if one was saved.
[[nodiscard]] int learn_unit(const LearnArguments& arguments, std::string* kept = nullptr);

/// Connected units (or those in the room) without a sheet or convention, except plain keyboards and mice. Empty if any
/// unit can be played on.
[[nodiscard]] std::vector<std::string> only_unknown_units(const Sources& sources, const Catalogue& catalogue);

}  // namespace omnipar::cli
