// What the verbs of `omnipar learn` have in common.
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
  std::string form;  ///< empty: it is asked for
  std::string by;
  std::string base = "nothing";
  std::vector<std::string> parts;
};

[[nodiscard]] inline Diagnostic learn_error(std::string id, std::string message, std::string hint,
                                            std::string place = "") {
  return {std::move(id), Severity::error, std::move(message), std::move(place), std::move(hint)};
}

[[nodiscard]] LearnOptions options_of(const LearnArguments& arguments);

/// Draws, or says what there is to say, until it ends. The exit status, good if nothing went wrong.
[[nodiscard]] int learn_on(const LearnArguments& arguments, LearningRun& run);

/// The exit status; `kept` gets the sheet's file, if one was kept.
[[nodiscard]] int learn_unit(const LearnArguments& arguments, std::string* kept = nullptr);

/// Units that are plugged in, or in the room, and that nobody knows: neither a sheet nor a convention says what their
/// controls are, and they are no plain keyboards or mice. Empty if something is there that can be played on.
[[nodiscard]] std::vector<std::string> only_unknown_units(const Sources& sources, const Catalogue& catalogue);

}  // namespace omnipar::cli
