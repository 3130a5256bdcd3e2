// omnipar calibrate unit
#include <algorithm>
#include <chrono>
#include <memory>

#include <fmt/format.h>

#include "attach/measured.hpp"
#include "base/code_names.hpp"
#include "base/list.hpp"
#include "calibrate_run.hpp"
#include "calibrate_arguments.hpp"
#include "catalogue/lookup.hpp"
#include "changes.hpp"
#include "files/write.hpp"
#include "inspect/why.hpp"
#include "measured_draft.hpp"
#include "omnipar/identity.hpp"
#include "omnipar/role.hpp"
#include "omnipar/sheets.hpp"
#include "picture_file.hpp"

namespace omnipar::cli {
namespace {

std::string today() {
  const auto day = std::chrono::year_month_day{std::chrono::floor<std::chrono::days>(std::chrono::system_clock::now())};
  return fmt::format("{:04}-{:02}-{:02}", static_cast<int>(day.year()), static_cast<unsigned>(day.month()),
                     static_cast<unsigned>(day.day()));
}

std::string measured_words(const Measured& measured) {
  return fmt::format("noise {:g}, error {:.1f} % of {}", measured.noise, 100 * measured.error,
                     quantity(static_cast<std::size_t>(measured.count), "reading"));
}

/// A control's calibration as text.
std::string words_for(const StickCalibration& stick) {
  RawPoint low = stick.edge.front(), high = low;
  for (const RawPoint& corner : stick.edge) {
    low = {std::min(low.x, corner.x), std::min(low.y, corner.y)};
    high = {std::max(high.x, corner.x), std::max(high.y, corner.y)};
  }
  std::string text =
      fmt::format("{} gate{}, rests at {:.0f} {:.0f}, reaches {:.0f}..{:.0f} and {:.0f}..{:.0f}", word_of(stick.gate),
                  stick.turned == 0 ? "" : fmt::format(", rotated by {:.1f} degrees", stick.turned), stick.rest.x,
                  stick.rest.y, low.x, high.x, low.y, high.y);
  if (!stick.self_centering) text += ", not self-centering";
  if (stick.own_dead_zone > 0) text += fmt::format(", own dead zone {:.2f}", stick.own_dead_zone);
  return text + "; " + measured_words(stick.measured);
}

std::string words_for(const AxisCalibration& axis) {
  std::string text = fmt::format("rests at {}, reaches {}..{}", axis.rest, axis.minimum, axis.maximum);
  for (const RawMark& mark : axis.marks) text += fmt::format(", {:g} at {:g}", mark.part, mark.raw);
  if (!axis.self_centering) text += ", not self-centering";
  if (axis.own_dead_zone > 0) text += fmt::format(", own dead zone {:.2f}", axis.own_dead_zone);
  return text + "; " + measured_words(axis.measured);
}

std::vector<std::pair<Code, double>> own_dead_zones(const Calibration& found) {
  std::vector<std::pair<Code, double>> all;
  for (const StickCalibration& stick : found.sticks) all.emplace_back(stick.x, stick.own_dead_zone);
  for (const AxisCalibration& axis : found.axes) all.emplace_back(axis.code, axis.own_dead_zone);
  std::erase_if(all, [](const auto& one) { return one.second == 0; });
  return all;
}

/// The name of an axis: by the kernel's convention or a sheet, otherwise its code.
std::string role_words(const Catalogue& catalogue, Code code) {
  const auto all = inspect::meanings(catalogue, code);
  return all.empty() ? base::code_name(code) : all.front().role;
}

/// Removes calibrations from a unit's file; guns and combinations are kept.
int forget(const CalibrateArguments& arguments) {
  os::Door& door = os::real_door();
  if (const auto path = rig_to_write(door, arguments.sources); !path) return refuse_file({path.error()});
  const FoundSheets shelf = load_shelf(door, arguments.sources);
  tell(shelf.problems);
  auto rig = load_rig(door, arguments.sources);
  if (!rig) return refuse_file(rig.error());
  std::vector<std::string_view> measured;
  for (const Calibration& one : rig->calibrations)
    if (!one.sticks.empty() || !one.axes.empty()) measured.emplace_back(one.unit);
  const auto known = std::ranges::find(rig->calibrations, arguments.unit, &Calibration::unit);
  if (arguments.unit.empty() || std::ranges::find(measured, arguments.unit) == measured.end())
    return refuse_file(
        {{"unknown-unit", Severity::error,
          arguments.unit.empty() ? "--forget requires the name of a unit"
                                 : fmt::format("'{}' has no calibration", printable(arguments.unit)),
          "",
          measured.empty() ? "no unit in the rig has a calibration" : "calibrated: " + catalogue::listed(measured)}});
  const auto is_meant = [&](Code code) {
    return arguments.only.empty() ||
           std::ranges::find(arguments.only, role_words(shelf.catalogue, code)) != arguments.only.end() ||
           std::ranges::find(arguments.only, base::code_name(code)) != arguments.only.end();
  };
  std::vector<std::string> has, gone;
  const auto note = [&](Code code) {
    has.push_back(role_words(shelf.catalogue, code));
    if (is_meant(code)) gone.push_back(has.back());
  };
  for (const StickCalibration& stick : known->sticks) note(stick.x);
  for (const AxisCalibration& axis : known->axes) note(axis.code);
  if (gone.empty())
    return refuse_file({{"unknown-role", Severity::error,
                         fmt::format("none of these controls of \"{}\" is calibrated", printable(arguments.unit)), "",
                         "calibrated: " + some_listed(has, has.size())}});
  RigUnit unit;  // calibrations of a unit that has left the rig can be removed, too
  unit.name = arguments.unit;
  if (const auto its = named_unit(*rig, arguments.unit)) unit = **its;
  const auto kept = change_calibration(arguments.sources, unit, [&](Calibration& left) {
    std::erase_if(left.sticks, [&](const StickCalibration& stick) { return is_meant(stick.x); });
    std::erase_if(left.axes, [&](const AxisCalibration& axis) { return is_meant(axis.code); });
  });
  if (!kept) return refuse_file(kept.error());
  if (arguments.json)
    print_json({{"file", kept->file}, {"removed", gone}}, 2);
  else
    print(fmt::format("Removed from {}: {}.", kept->file, some_listed(gone, gone.size())));
  talk("The previous version of the file is saved. To measure again: omnipar calibrate unit" +
       same_rig(arguments.sources) + same_host(arguments.sources.host));
  return good;
}

class UnitCalibration {
 public:
  explicit UnitCalibration(const CalibrateArguments& arguments) : arguments_(arguments) {}

  int run() {
    os::Door& door = os::real_door();
    if (const auto path = rig_to_write(door, arguments_.sources); !path) return refuse_file({path.error()});
    if (const auto problem = refuses_picture(arguments_.picture)) return refuse_file({*problem});
    const FoundSheets shelf = load_shelf(door, arguments_.sources);
    tell(shelf.problems);
    auto rig = rig_to_measure(arguments_);
    if (!rig) return rig.error();
    rig_ = std::move(*rig);
    if (const auto problem = refuses_to_keep(door, arguments_)) return refuse_file({*problem});
    auto run = CalibrateRun::open(run_options(shelf.catalogue));
    const auto status = measure(arguments_, run);
    if (!status && (*run)->guide().kept()) return keep(**run);
    if (run && (*run)->guide().measured() > 0 && !(*run)->is_discarded()) {
      put_by(arguments_.sources, entry(**run), found(**run), "unit");
      return status.value_or(found_something);
    }
    if (status) return *status;
    if ((*run)->unit().empty() || (*run)->guide().roles().empty()) tell_who_is_there(**run);
    talk("Nothing was saved.");
    return found_something;
  }

 private:
  [[nodiscard]] CalibrateRunOptions run_options(const Catalogue& catalogue) const {
    auto run_options = session_options<CalibrateRunOptions>(arguments_, catalogue, rig_);
    run_options.unit = arguments_.unit;
    run_options.may_be_new = !arguments_.seat.empty();
    run_options.options.only = arguments_.only;
    run_options.options.marks = arguments_.marks;
    run_options.options.pushes = !arguments_.no_pushes;
    return run_options;
  }

  void tell_who_is_there(const CalibrateRun& run) const {
    std::vector<std::string> names;
    for (const inspect::SeenUnit& unit : run.seen().units()) names.push_back(fmt::format("\"{}\"", unit.name));
    talk(fmt::format("\"{}\" is not connected{}.", printable(arguments_.unit),
                     names.empty() ? "" : fmt::format(". Connected: {}", some_listed(names))));
  }

  [[nodiscard]] RigUnit entry(const CalibrateRun& run) const {
    return entry_for(arguments_, rig_, run.unit(), run.description(), run.part());
  }

  [[nodiscard]] Calibration found(const CalibrateRun& run) const {
    Calibration all = run.guide().found();
    const std::string day = day_of(arguments_);
    for (AxisCalibration& axis : all.axes) axis.measured.on = day;
    for (StickCalibration& stick : all.sticks) stick.measured.on = day;
    return all;
  }

  int keep(const CalibrateRun& run) {
    const Calibration found = this->found(run);
    const auto unit = put_in_rig(arguments_, rig_, entry(run));
    Calibration all;
    const auto keep_it = [&](Calibration& known) {
      known = merged(std::move(known), found);
      all = known;
    };
    const auto kept = unit ? change_calibration(arguments_.sources, *unit, keep_it) : tl::unexpected(Diagnostics{});
    if (!kept) {
      const int status = unit ? refuse_file(kept.error()) : unit.error();
      put_by(arguments_.sources, unit ? *unit : entry(run), found, "unit");
      return status;
    }
    forget_what_was_put_by(arguments_.sources, kept->unit);
    show(run, found, kept->file);
    return arguments_.picture.empty() ? good : draw(run, all);
  }

  /// The first calibrated control, or the one named by --only.
  int draw(const CalibrateRun& run, const Calibration& kept) const {
    Attachment measured;
    measured.sticks = kept.sticks;
    measured.axes = kept.axes;
    return draw_picture(
        arguments_.picture, "there is no measurement to draw",
        [&](const draw::Pictures& pictures, draw::Format format) -> std::string {
          for (const std::string& role : run.guide().roles()) {
            const Control* control = run.control_of(role);
            if (control == nullptr) continue;
            const double zone = attach::dead_zone_for(measured, control->code, default_dead_zone(role));
            const std::string title = fmt::format("{}: {}", kept.unit, role);
            const StickReadings* stick = run.guide().readings_of(role);
            const AxisReadings* axis = run.guide().axis_readings_of(role);
            if (const auto* found = attach::stick_of(measured, control->code); stick != nullptr && found != nullptr)
              return pictures.stick(title, *stick, *found, zone, format);
            if (const auto* found = attach::axis_of(measured, control->code); axis != nullptr && found != nullptr)
              return pictures.axis(title, *axis, *found, zone, format);
          }
          return "";
        });
  }

  void show(const CalibrateRun& run, const Calibration& found, const std::string& path) const {
    const auto role_of = [&run](Code code) {
      for (const std::string& role : run.guide().roles()) {
        const StickReadings* stick = run.guide().readings_of(role);
        const AxisReadings* axis = run.guide().axis_readings_of(role);
        if (stick != nullptr || axis != nullptr)
          if (const auto* control = run.control_of(role); control != nullptr && control->code == code) return role;
      }
      return base::code_name(code);
    };
    if (arguments_.json) {
      auto all = nlohmann::ordered_json::array();
      for (const StickCalibration& stick : found.sticks)
        all.push_back({{"role", role_of(stick.x)},
                       {"gate", word_of(stick.gate)},
                       {"turned", stick.turned},
                       {"rest", {stick.rest.x, stick.rest.y}},
                       {"noise", stick.measured.noise},
                       {"error", stick.measured.error},
                       {"readings", stick.measured.count}});
      for (const AxisCalibration& axis : found.axes)
        all.push_back({{"role", role_of(axis.code)},
                       {"rest", axis.rest},
                       {"minimum", axis.minimum},
                       {"maximum", axis.maximum},
                       {"noise", axis.measured.noise},
                       {"error", axis.measured.error},
                       {"readings", axis.measured.count}});
      print_json({{"file", path}, {"controls", all}}, 2);
      return;
    }
    for (const StickCalibration& stick : found.sticks)
      print(fmt::format("  {:<16}{}", role_of(stick.x), words_for(stick)));
    for (const AxisCalibration& axis : found.axes)
      print(fmt::format("  {:<16}{}", role_of(axis.code), words_for(axis)));
    print(fmt::format("Saved to {}.", path));
    for (const auto& [code, own] : own_dead_zones(found))
      talk(fmt::format("To help everyone with this model, add a line to its sheet: {}: own-dead-zone = {}",
                       role_of(code), own));
    const std::string rig = same_rig(arguments_.sources);
    talk(fmt::format("Next: omnipar watch pad-two-stick{0}{1}, or omnipar play pad-two-stick{0}{1}", rig,
                     same_host(arguments_.sources.host)));
  }

  const CalibrateArguments& arguments_;
  Rig rig_;
};

}  // namespace

tl::expected<Rig, int> rig_to_measure(const CalibrateArguments& arguments) {
  auto rig = load_rig(os::real_door(), arguments.sources);
  if (rig) return std::move(*rig);
  if (!arguments.seat.empty() && rig.error().front().id == "no-file") return Rig{};
  return tl::unexpected(refuse_file(rig.error()));
}

std::optional<Diagnostic> refuses_to_keep(os::Door& door, const CalibrateArguments& arguments) {
  std::vector<std::string> paths{files::calibration_path(door, household_of(arguments.sources),
                                                         arguments.unit.empty() ? "new unit" : arguments.unit)};
  if (!arguments.seat.empty()) paths.push_back(rig_path(door, arguments.sources));
  for (const std::string& path : paths)
    if (auto problem = files::refuses_change(door, path, files::versions_of(door, path))) return problem;
  return std::nullopt;
}

RigUnit entry_for(const CalibrateArguments& arguments, const Rig& rig, const std::string& unit,
                  const Description& description, const std::string& part) {
  const auto known = std::ranges::find(rig.units, unit, &RigUnit::name);
  return known != rig.units.end() ? *known : new_unit(rig, description, arguments.seat, part);
}

tl::expected<RigUnit, int> put_in_rig(const CalibrateArguments& arguments, const Rig& rig, const RigUnit& entry) {
  if (std::ranges::find(rig.units, entry.name, &RigUnit::name) != rig.units.end()) return entry;
  auto added = files::add_unit(os::real_door(), household_of(arguments.sources), entry);
  if (!added) return tl::unexpected(refuse_file(added.error()));
  talk(fmt::format("Added \"{}\" to the rig at seat {}.", added->name, arguments.seat));
  return std::move(*added);
}

std::string day_of(const CalibrateArguments& arguments) { return arguments.sources.host.empty() ? today() : ""; }

int calibrate_unit(const CalibrateArguments& arguments) {
  if (arguments.resume) return keep_what_was_put_by(arguments.sources, arguments.unit, arguments.json);
  return arguments.forget ? forget(arguments) : UnitCalibration{arguments}.run();
}

}  // namespace omnipar::cli
