// What the verbs of `omnipar calibrate` have in common.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include <tl/expected.hpp>

#include "command.hpp"
#include "sources.hpp"

namespace omnipar::cli {

struct CalibrateWords {
  Sources sources;
  std::string unit;
  std::string seat;
  std::string picture;
  std::vector<std::string> only;
  double seconds = 600;
  double from = 0;
  double speed = 1;
  bool step = false;
  bool marks = false;
  bool no_pushes = false;
  bool with_virtual = false;
  bool json = false;
  // of guns and screens
  std::string screen;
  std::string area;
  std::string check;  ///< a profile
  std::string size;
  std::string at;
  std::string turned;
  std::string rectangle;
  double scale = 0;
  int shots = 5;
  int port = 0;
  bool page = false;
  bool no_test = false;
  bool sweep = false;
  bool forget = false;
};

[[nodiscard]] int calibrate_unit(const CalibrateWords& words);
[[nodiscard]] int calibrate_gun(const CalibrateWords& words);
[[nodiscard]] int calibrate_screen(const CalibrateWords& words);

/// What a measurement is kept for: the unit by its name in the rig; one that is not in it comes in, at `--seat`.
[[nodiscard]] tl::expected<std::string, int> name_in_rig(const CalibrateWords& words, const Rig& rig,
                                                         const std::string& unit, const Description& description,
                                                         const std::string& part);
/// The day of a measurement; a room is on no day.
[[nodiscard]] std::string day_of(const CalibrateWords& words);
/// Nobody should shoot or sweep before it is clear that it can be kept.
[[nodiscard]] std::optional<Diagnostic> refuses_to_keep(os::Door& door, const CalibrateWords& words);

}  // namespace omnipar::cli
