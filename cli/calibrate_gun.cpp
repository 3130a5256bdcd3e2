// omnipar calibrate gun
#include <algorithm>
#include <memory>

#include <fmt/format.h>

#include "attach/measured.hpp"
#include "base/list.hpp"
#include "calibrate_arguments.hpp"
#include "catalogue/lookup.hpp"
#include "changes.hpp"
#include "gun_run.hpp"
#include "host/look.hpp"
#include "inspect/leftover.hpp"
#include "measured_draft.hpp"
#include "omnipar/identity.hpp"
#include "picture_file.hpp"

namespace omnipar::cli {
namespace {

std::string range_words(const AimCalibration& aim, const Screen& screen, const GameArea& area) {
  switch (range_of(aim, seen_size(screen), area)) {
    case GunRange::whole_screen:
      return "The gun's range covers the whole screen.";
    case GunRange::game_area:
      return "The gun's range covers only the game area. Omnipar allows for that. For programs that read the gun "
             "directly, set it to the whole screen.";
    default:
      return "";
  }
}

class GunCalibration {
 public:
  explicit GunCalibration(const CalibrateArguments& arguments) : arguments_(arguments) {}

  int run() {
    os::Door& door = os::real_door();
    const bool keeps = arguments_.check.empty();
    if (const auto path = rig_to_write(door, arguments_.sources); keeps && !path) return refuse_file({path.error()});
    if (const auto problem = refuses_picture(arguments_.picture)) return refuse_file({*problem});
    const FoundSheets shelf = load_shelf(door, arguments_.sources);
    tell(shelf.problems);
    auto rig = rig_to_measure(arguments_);
    if (!rig) return rig.error();
    rig_ = std::move(*rig);
    if (const auto problem = choose_screen()) return refuse_file({*problem});
    if (!keeps)
      if (const auto problems = load_checked(); !problems.empty()) return refuse_file(problems);
    if (const auto problem = refuses_to_keep(door, arguments_); keeps && problem) return refuse_file({*problem});
    if (arguments_.page) {
      auto page = TargetPage::open(arguments_.port);
      if (!page) {
        tell({page.error()});
        return machine_refuses;
      }
      page_ = std::move(*page);
      talk(fmt::format("The targets are shown at {} : open it on the screen you shoot at, full-screen.",
                       page_->address()));
    }
    catalogue_ = shelf.catalogue;
    auto run = GunRun::open(run_options(shelf.catalogue));
    const auto status = measure(arguments_, run);
    if (!status && !keeps && (*run)->guide().fit()) return check(**run);
    if (!status && (*run)->guide().kept()) return keep(**run);
    if (run && keeps && (*run)->guide().fit() && (*run)->last_gun() != nullptr && !(*run)->is_discarded()) {
      put_by(arguments_.sources, entry(**run), found(**run), "gun");
      return status.value_or(found_something);
    }
    if (status) return *status;
    tell_who_is_there(**run);
    talk("Nothing was saved.");
    return found_something;
  }

 private:
  void tell_who_is_there(const GunRun& run) const {
    std::vector<std::string> names;
    for (const std::string& name : run.guide().guns()) names.push_back(fmt::format("\"{}\"", name));
    if (names.empty()) {
      talk("No gun or other pointing device is connected.");
      return tell_others();
    }
    if (!arguments_.unit.empty() && run.gun() == nullptr)
      talk(fmt::format("\"{}\" is not connected, or is not a pointing device. Connected: {}.",
                       printable(arguments_.unit), some_listed(names)));
  }

  /// Units that may be guns but have no sheet, as listed by `omnipar units`.
  void tell_others() const {
    const std::string& host = arguments_.sources.host;
    std::vector<Description> nodes;
    if (host.empty()) {
      for (const inspect::NodeFact& node : host::look_around(os::real_door()).nodes) nodes.push_back(node.description);
    } else if (const auto room = read_room(os::real_door(), host, catalogue_)) {
      nodes = *room;
    }
    const auto others = inspect::others(catalogue_, nodes);
    if (others.empty()) return;
    std::vector<std::string> names;
    for (const inspect::Other& other : others) names.push_back(other.words);
    talk(
        fmt::format("{} {} connected, but no sheet describes its controls. If it is a gun, run first: omnipar learn "
                    "unit --form gun --unit \"{}\"{}",
                    some_listed(names), names.size() == 1 ? "is" : "are", others.front().name, same_host(host)));
  }

  /// The named one, the only one, or one of the default size.
  std::optional<Diagnostic> choose_screen() {
    const auto found = catalogue::find_screen(rig_.screens, arguments_.screen);
    if (found)
      screen_ = **found;
    else if (rig_.screens.empty() && arguments_.screen.empty())
      talk("The rig has no screen, so one of 1920 x 1080 pixels is assumed: omnipar calibrate screen NAME --size …");
    else
      return found.error();
    const auto spec = parse_area(arguments_.area.empty() ? "full" : arguments_.area);
    if (!spec) return spec.error();
    area_ = area_on(seen_size(screen_), *spec);
    return std::nullopt;
  }

  Diagnostics load_checked() {
    Sources sources = arguments_.sources;
    sources.profile = arguments_.check;
    FoundProfile found = load(os::real_door(), sources);
    if (!found.plan) return found.problems;
    plan_ = std::move(*found.plan);
    return {};
  }

  [[nodiscard]] GunRunOptions run_options(const Catalogue& catalogue) const {
    auto run_options = session_options<GunRunOptions>(arguments_, catalogue, rig_);
    run_options.may_be_new = !arguments_.seat.empty() || !arguments_.check.empty();
    run_options.options.screen = screen_;
    run_options.options.within = seen_part(area_);
    run_options.options.shots = arguments_.shots;
    run_options.options.test = !arguments_.no_test && arguments_.check.empty();
    run_options.options.sweeps = arguments_.sweep;
    run_options.options.keeps = arguments_.check.empty();
    run_options.options.unit = arguments_.unit;
    run_options.page = page_.get();
    return run_options;
  }

  /// The rig entry of a connected or disconnected gun.
  [[nodiscard]] RigUnit entry(const GunRun& run) const {
    return entry_for(arguments_, rig_, run.guide().unit(), run.last_gun()->description, run.last_gun()->part);
  }

  [[nodiscard]] Calibration found(const GunRun& run) const {
    Calibration all = run.guide().found();
    for (AimCalibration& aim : all.aims) aim.on = day_of(arguments_);
    return all;
  }

  int keep(const GunRun& run) {
    const Calibration found = this->found(run);
    const auto unit = put_in_rig(arguments_, rig_, entry(run));
    const auto keep_it = [&](Calibration& all) { all = merged(std::move(all), found); };
    const auto kept = unit ? change_calibration(arguments_.sources, *unit, keep_it) : tl::unexpected(Diagnostics{});
    if (!kept) {
      const int status = unit ? refuse_file(kept.error()) : unit.error();
      put_by(arguments_.sources, unit ? *unit : entry(run), found, "gun");
      return status;
    }
    forget_what_was_put_by(arguments_.sources, kept->unit);
    show(run, found.aims.front(), kept->file);
    return arguments_.picture.empty() ? good : draw(run, kept->unit);
  }

  void show(const GunRun& run, const AimCalibration& aim, const std::string& path) const {
    const GunFit& fit = *run.guide().fit();
    if (arguments_.json) {
      nlohmann::ordered_json all{{"file", path},
                                 {"unit", run.guide().unit()},
                                 {"screen", screen_.name},
                                 {"model", word_of(aim.model)},
                                 {"shots", aim.shots}};
      const double width = seen_size(screen_).width;
      if (!fit.error_known) return print_json(all, 2);
      all["residual_pixels"] = aim.residual * width;
      all["bound_pixels"] = aim.bound * width;
      all["scatter_pixels"] = fit.scatter * width;
      auto off = nlohmann::ordered_json::array();
      for (const AreaPoint& one : fit.off) off.push_back({one.x * width, one.y * width});
      all["off_pixels"] = off;
      return print_json(all, 2);
    }
    for (const std::string& line : fit_text(fit, screen_)) print("  " + line);
    const double width = seen_size(screen_).width;
    for (std::size_t i = 0; fit.error_known && i < fit.off.size() && i < run.guide().shots().size(); ++i)
      print(fmt::format("    shot {}, {:<12} {:+6.1f} {:+6.1f} pixels", i + 1,
                        fmt::format("{:.0f} % {:.0f} %", 100 * run.guide().shots()[i].target.x,
                                    100 * run.guide().shots()[i].target.y),
                        fit.off[i].x * width, fit.off[i].y * width));
    GameArea boxed = area_;
    if (arguments_.area.empty()) boxed = area_on(seen_size(screen_), parse_area("4:3").value());
    if (const std::string range = range_words(aim, screen_, boxed); !range.empty()) print("  " + range);
    print(fmt::format("Saved to {}.", path));
    constexpr double close = 0.01;
    constexpr int most_shots = 9;
    if (fit.error_known && aim.bound > close && aim.shots < most_shots)
      talk("For a more exact fit, use more shots: --shots 9.");
    const std::string rig = same_rig(arguments_.sources);
    talk(fmt::format("Next: calibrate the other gun, or omnipar calibrate gun --check gun-booth{}{}", rig,
                     same_host(arguments_.sources.host)));
  }

  int draw(const GunRun& run, const std::string& name) const {
    return draw_picture(arguments_.picture, "there are no shots to draw",
                        [&](const draw::Pictures& pictures, draw::Format format) -> std::string {
                          if (run.guide().shots().empty()) return "";
                          return pictures.gun(name, run.guide().shots(), *run.guide().fit(), seen_size(screen_),
                                              format);
                        });
  }

  /// Where shots land in the profile with the existing calibration, and what would help.
  int check(const GunRun& run) const {
    const UnitDetails* gun = run.gun();
    if (gun == nullptr) return found_something;
    std::vector<AreaPoint> targets, landed;
    for (const Shot& shot : run.guide().shots()) {
      targets.push_back(shot.target);
      landed.push_back(landing(*gun, shot.raw));
    }
    const PixelSize size = seen_size(screen_);
    auto shots = nlohmann::ordered_json::array();
    for (std::size_t i = 0; i < targets.size(); ++i) {
      const double x = (landed[i].x - targets[i].x) * size.width, y = (landed[i].y - targets[i].y) * size.height;
      shots.push_back({x, y});
      if (!arguments_.json)
        print(fmt::format("  shot {}, {:<12} lands {:+.0f} {:+.0f} pixels off", i + 1,
                          fmt::format("{:.0f} % {:.0f} %", 100 * targets[i].x, 100 * targets[i].y), x, y));
    }
    const AimMistake mistake = mistake_of(targets, landed, size, area_, plan_->area().value_or(GameArea{}));
    const std::string advice = cure(mistake);
    if (arguments_.json)
      print_json({{"unit", run.guide().unit()}, {"beside_pixels", shots}, {"words", advice}}, 2);
    else
      print(advice);
    return mistake == AimMistake::none ? good : found_something;
  }

  /// The position on the screen where a game with the area of --area shows the shot.
  [[nodiscard]] AreaPoint landing(const UnitDetails& gun, RawPoint raw) const {
    AreaPoint on_screen;
    for (const UnitDetails::Node& node : gun.nodes)
      for (const Control& control : node.attachment.controls) {
        if (control.type != ControlType::pointer) continue;
        const double from = control.reversed ? control.maximum : control.minimum;
        const double to = control.reversed ? control.minimum : control.maximum;
        const double value = ((control.axis == Axis::y ? raw.y : raw.x) - from) / (to - from);
        (control.axis == Axis::y ? on_screen.y : on_screen.x) = value;
        const AimCalibration* aim = attach::aim_of(node.attachment, control.code, plan_->screen());
        if (control.axis == Axis::x && aim != nullptr)
          if (const auto at = aimed(*aim, raw)) return to_screen(area_, as_played(*at));
      }
    return to_screen(area_, as_played(on_screen));
  }

  [[nodiscard]] AreaPoint as_played(AreaPoint on_screen) const {
    return plan_->area() ? to_area(*plan_->area(), on_screen) : on_screen;
  }

  [[nodiscard]] std::string cure(AimMistake mistake) const {
    const std::string area = arguments_.area.empty() ? "full" : arguments_.area;
    switch (mistake) {
      case AimMistake::none:
        return "All shots land where you aimed.";
      case AimMistake::area_is_missing:
        return fmt::format(
            "The profile assumes that the game fills the screen, but it is \"{0}\", so shots land too near the centre. "
            "Write area = \"{0}\" into {1}.",
            area, arguments_.check);
      case AimMistake::area_is_too_much:
        return fmt::format(
            "The game fills the screen, but the profile assumes borders, so shots land too far from the middle. Write "
            "area = \"full\" into {}, or set the gun itself to the whole screen.",
            arguments_.check);
      case AimMistake::wrong_area:
        return fmt::format(
            "The game is \"{0}\", but the profile places it elsewhere on the screen. Write area = \"{0}\" into {1}.",
            area, arguments_.check);
      case AimMistake::beside:
        return "All shots are off in the same direction: the gun or the screen has moved. Calibrate it again: omnipar "
               "calibrate "
               "gun";
      case AimMistake::x_reversed:
        return fmt::format("Left and right are swapped. Add invert-x = true to the gun's binding in {}.",
                           arguments_.check);
      case AimMistake::y_reversed:
        return fmt::format("Up and down are swapped. Add invert-y = true to the gun's binding in {}.",
                           arguments_.check);
      case AimMistake::beside_in_wrong_area:
        return fmt::format(
            "The game is \"{0}\", but the profile places it elsewhere on the screen, and the gun or the screen has "
            "moved. Write area = \"{0}\" into {1}, and calibrate the gun again: omnipar calibrate gun",
            area, arguments_.check);
      default:
        return "The errors follow no simple pattern. Calibrate the gun: omnipar calibrate gun";
    }
  }

  const CalibrateArguments& arguments_;
  Catalogue catalogue_;
  Rig rig_;
  Screen screen_;
  GameArea area_;
  std::optional<Plan> plan_;
  std::unique_ptr<TargetPage> page_;
};

}  // namespace

int calibrate_gun(const CalibrateArguments& arguments) {
  if (arguments.resume) return keep_what_was_put_by(arguments.sources, arguments.unit, arguments.json);
  return GunCalibration{arguments}.run();
}

}  // namespace omnipar::cli
