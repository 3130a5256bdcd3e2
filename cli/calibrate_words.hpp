// What the verbs of `omnipar calibrate` have in common.
#pragma once

#include <memory>
#include <optional>
#include <string>
#include <vector>

#include <tl/expected.hpp>

#include "command.hpp"
#include "sources.hpp"
#include "watch_loop.hpp"
#include "watching.hpp"

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
  bool forget = false;
  bool resume = false;
  bool with_virtual = false;
  bool json = false;
  // of guns
  std::string screen;
  std::string area;
  std::string check;  ///< a profile
  int shots = 5;
  int port = 0;
  bool page = false;
  bool no_test = false;
  bool sweep = false;
};

struct ScreenWords {
  Sources sources;
  std::string name;
  std::string size;
  std::string at;
  std::string turned;
  std::string area;
  std::string rectangle;
  double scale = 0;
  bool forget = false;
  bool json = false;
};

/// The rig; an empty one, if it is to be begun. Its status, if it cannot be had.
[[nodiscard]] tl::expected<Rig, int> rig_to_measure(const CalibrateWords& words);
/// What every measuring session needs; the guide's own is added to it.
template <typename Wish>
[[nodiscard]] Wish begun_wish(const CalibrateWords& words, const Catalogue& catalogue, const Rig& rig) {
  Wish wish;
  wish.session.catalogue = catalogue;
  wish.session.rig = rig;
  wish.session.with_virtual = words.with_virtual;
  watch_units_only(wish.session);
  const std::string& host = words.sources.host;
  if (!host.empty()) wish.room = Room{host, trace_lines(os::real_door(), host), {}};
  return wish;
}
/// Goes through it, in a room or live. The exit status, if it could not be opened or has failed.
template <typename Run>
[[nodiscard]] std::optional<int> measure(const CalibrateWords& words,
                                         tl::expected<std::unique_ptr<Run>, Diagnostics>& run) {
  const bool is_room = !words.sources.host.empty();
  if (!run) {
    tell(run.error());
    return is_room ? bad_input : machine_refuses;
  }
  LoopWish loop;
  loop.is_room = is_room;
  loop.from = seconds(words.from);
  loop.speed = words.speed;
  loop.step = words.step;
  auto failure = go_live(loop, words.json, **run);
  if (!failure) failure = (*run)->failure();
  if (!failure) return std::nullopt;
  tell({*failure});
  return is_room || failure->id == "unknown-unit" || failure->id == "nothing-analog" ? bad_input : machine_refuses;
}

[[nodiscard]] int calibrate_unit(const CalibrateWords& words);
[[nodiscard]] int calibrate_gun(const CalibrateWords& words);
[[nodiscard]] int calibrate_screen(const ScreenWords& words);

/// Whose a measurement is: the entry of the rig that the unit has, or would get, at `--seat`.
[[nodiscard]] RigUnit entry_for(const CalibrateWords& words, const Rig& rig, const std::string& unit,
                                const Description& description, const std::string& part);
/// One that is not in the rig comes in. The unit as it is there; its status, if that cannot be.
[[nodiscard]] tl::expected<RigUnit, int> put_in_rig(const CalibrateWords& words, const Rig& rig, const RigUnit& entry);
/// The day of a measurement; a room is on no day.
[[nodiscard]] std::string day_of(const CalibrateWords& words);
/// Nobody should shoot or sweep before it is clear that it can be kept.
[[nodiscard]] std::optional<Diagnostic> refuses_to_keep(os::Door& door, const CalibrateWords& words);

}  // namespace omnipar::cli
