#include "inspect/why.hpp"

#include <algorithm>
#include <cmath>
#include <memory>

#include <fmt/format.h>

#include "attach/measured.hpp"
#include "identity/convention.hpp"
#include "omnipar/identity.hpp"
#include "omnipar/role.hpp"
#include "plan/resolve.hpp"
#include "plan/stage_path.hpp"
#include "stage/table.hpp"

namespace omnipar::inline abi_0::inspect {
namespace {

/// The settings of the binding, as text, without defaults.
std::string shape_words(const Use& use) {
  std::string words;
  Use plain = use;
  plain.settings = {};
  for (const stage::Kind* kind : stage::of_uses()) {
    const stage::Values values = stage::values_of(*kind, use);
    if (kind->acts(values) && values != stage::values_of(*kind, plain))
      words += (words.empty() ? "" : ", ") + kind->words(values);
  }
  return words;
}

/// The treatment of directions after all their sources: "opposites: neither".
std::string opposites_words(const Profile& profile, const PortProfile& port, const plan::Fed& fed) {
  const bool is_direction =
      fed.target == plan::directions_group || std::ranges::find(direction_names, fed.target) != direction_names.end();
  const stage::Values values{static_cast<double>(plan::opposites_of(profile, port))};
  return is_direction && stage::opposites.acts(values) ? stage::opposites.words(values) : "";
}

std::string origin_words(const PortProfile& port, const plan::Fed& fed) {
  if (fed.binding == nullptr) return "default";
  return fed.own ? "own" : fmt::format("like port {}", port.like.value_or(0));
}

/// The port's controller; nothing for a port of another program, or one that the machine does not have.
std::unique_ptr<plan::PortSources> sources_of(const Catalogue& catalogue, const Profile& profile,
                                              const PortProfile& port) {
  const SystemSheet* system = catalogue.system(profile.system);
  const PortSheet* sheet = system != nullptr ? system->port(port.port) : nullptr;
  if (sheet == nullptr || sheet->takes.empty() || port.not_ours) return nullptr;
  const ControllerSheet* plain = system->controller(port.controller.empty() ? sheet->takes.front() : port.controller);
  return plain != nullptr ? std::make_unique<plan::PortSources>(profile, port, *plain) : nullptr;
}

void add_words(std::string& all, const std::string& more) {
  if (!more.empty()) all += (all.empty() ? "" : ", ") + more;
}

/// The map from the screen to the game precedes the stages in the game.
std::string game_words(const plan::GamePlace& game, const std::string& behind) {
  std::string words = fmt::format("the game \"{}\" on the screen \"{}\"", to_text(game.words), game.screen.name);
  add_words(words, behind);
  return words;
}

std::optional<plan::GamePlace> place_of(const Catalogue& catalogue, const Profile& profile) {
  const SystemSheet* system = catalogue.system(profile.system);
  if (system == nullptr) return std::nullopt;
  auto place = plan::game_place(catalogue, profile, *system);
  return place ? *place : std::nullopt;
}

bool is_direction_of(std::string_view part, std::string_view whole) {
  if (!part.starts_with(whole) || part.size() < whole.size() + 2 || part[whole.size()] != '-') return false;
  return std::ranges::find(direction_names, part.substr(whole.size() + 1)) != direction_names.end();
}

std::string hotkey_words(const Hotkey& hotkey, const std::string& other) {
  return fmt::format("with {}, {}", other, held_words(hotkey.after));
}

}  // namespace

std::string held_words(Duration time) {
  return time.count() == 0 ? "at once" : "held for " + stage::time_words(static_cast<double>(time.count()));
}

bool concerns(std::string_view source, std::string_view role) {
  return source == role || is_direction_of(source, role) || is_direction_of(role, source);
}

std::vector<Link> links(const Catalogue& catalogue, const Profile& profile) {
  std::vector<Link> all;
  std::vector<std::string> seats;
  const std::optional<plan::GamePlace> game = place_of(catalogue, profile);
  for (const PortProfile& port : profile.ports) {
    const auto sources = sources_of(catalogue, profile, port);
    if (!sources) continue;
    for (const std::string& seat : {port.seat, port.second_seat})
      if (!seat.empty() && std::ranges::find(seats, seat) == seats.end()) seats.push_back(seat);
    for (const plan::Fed& fed : sources->pointer_presses)
      for (const Use& use : fed.uses)
        all.push_back({fed.seat, use.role, shape_words(use), port.port, sources->sheet.name, fed.target,
                       origin_words(port, fed), use.place, use});
    for (const plan::Fed& fed : sources->fed) {
      const Link link{fed.seat, "", "", port.port, sources->sheet.name, fed.target, origin_words(port, fed), ""};
      if (fed.uses.empty()) all.push_back(link);
      for (const Use& use : fed.uses) {
        all.push_back(link);
        all.back().source = use.role;
        all.back().use = use;
        if (fed.sheet != nullptr) all.back().kind = fed.sheet->kind;
        if (fed.sheet != nullptr) all.back().native = fed.sheet->native;
        all.back().shape = shape_words(use);
        add_words(all.back().shape, opposites_words(profile, port, fed));
        if (game && all.back().kind == TargetKind::pointer) {
          all.back().game = game;
          if (role_kind(use.role) == RoleKind::pointer) all.back().shape = game_words(*game, all.back().shape);
        }
        all.back().place = use.place;
      }
    }
  }
  for (const Hotkey& hotkey : profile.hotkeys)
    for (const std::string& seat : seats)
      for (const bool first : {true, false})
        all.push_back({seat, first ? hotkey.modifier : hotkey.press,
                       hotkey_words(hotkey, first ? hotkey.press : hotkey.modifier), 0, "", hotkey.action,
                       hotkey.place.empty() ? "built in" : "own", hotkey.place});
  return all;
}

namespace {

/// The role of an axis: by the convention, or by the one sheet that has it.
std::string role_of(const Catalogue& catalogue, Code code) {
  const std::vector<Meaning> all = meanings(catalogue, code);
  return all.empty() ? "" : all.front().role;
}

/// For one unit: its roles, with the dead zones that they need.
std::vector<std::pair<std::string, double>> zones_of(const Catalogue& catalogue, const Calibration& measured) {
  Attachment unit;
  unit.sticks = measured.sticks;
  unit.axes = measured.axes;
  std::vector<std::pair<std::string, double>> all;
  const auto add = [&](Code code) {
    const std::string role = role_of(catalogue, code);
    const double usual = default_dead_zone(role);
    if (const double zone = attach::dead_zone_for(unit, code, usual); zone != usual) all.emplace_back(role, zone);
  };
  for (const StickCalibration& stick : measured.sticks) add(stick.x);
  for (const AxisCalibration& axis : measured.axes) add(axis.code);
  return all;
}

}  // namespace

void apply_calibrations(std::vector<Link>& links, const Catalogue& catalogue, const Rig& rig) {
  for (const Calibration& measured : rig.calibrations) {
    const auto unit = std::ranges::find(rig.units, measured.unit, &RigUnit::name);
    if (unit == rig.units.end()) continue;
    for (const auto& [role, zone] : zones_of(catalogue, measured))
      for (Link& link : links)
        if (link.seat == unit->seat && concerns(link.source, role)) link.measured_zone = zone;
  }
}

namespace {

/// A virtual device shows each state for at least 1.2 frames.
void remark_on_pace(Diagnostics& all, const std::string& where, const Use& use, double frames) {
  const double most = std::floor(frames / 2.4);
  const double rate = use.settings.find("autofire").value_or(0);
  if (rate <= most) return;
  all.push_back({"too-quick", Severity::warning,
                 fmt::format("{}: of {:g} presses per second, a game at {:g} frames per second sees {:g}", where, rate,
                             frames, most),
                 use.place, fmt::format("use at most autofire = {:g}", most)});
}

void remark_on_idle_fields(Diagnostics& all, const std::string& where, const Use& use, TargetKind wanted) {
  const auto kind = stick_direction(use.role) ? RoleKind::stick : role_kind(use.role).value_or(RoleKind::button);
  for (const std::string_view field : plan::idle_fields(use, kind, wanted))
    all.push_back({"no-effect", Severity::warning,
                   fmt::format("{}: '{}' has no effect on '{}'", where, field, use.role), use.place,
                   "remove it; 'omnipar catalogue fields' lists what each stage applies to"});
}

/// The profile compensates a dead zone of the game, and the machine's sheet one of the machine: together that is too
/// much.
void remark_on_dead_zones(Diagnostics& all, const std::string& where, const plan::Fed& fed, const Use& use) {
  const double undone = use.settings.find("anti-dead-zone").value_or(0);
  if (undone <= 0 || fed.sheet == nullptr || fed.sheet->native.dead_band == 0) return;
  all.push_back({"undone-twice", Severity::warning,
                 fmt::format("{}: a dead zone is compensated twice: {:g} by the profile, and the machine's own of {}",
                             where, undone, fed.sheet->native.dead_band),
                 use.place, "remove 'game-dead-zone' or 'anti-dead-zone' if the game uses the machine's dead zone"});
}

}  // namespace

Diagnostics remarks(const Catalogue& catalogue, const Profile& profile) {
  Diagnostics all;
  const SystemSheet* system = catalogue.system(profile.system);
  if (const auto game = place_of(catalogue, profile))
    if (auto problem = area_problem(seen_size(game->screen), game->words)) all.push_back(std::move(*problem));
  for (const PortProfile& port : profile.ports) {
    const auto sources = sources_of(catalogue, profile, port);
    if (!sources) continue;
    for (const plan::Fed& fed : sources->fed)
      for (const Use& use : fed.uses) {
        const std::string where = fmt::format("port {}, {}", port.port, fed.target);
        remark_on_pace(all, where, use, system->frames_per_1000_seconds / 1000.0);
        remark_on_dead_zones(all, where, fed, use);
        remark_on_idle_fields(all, where, use, fed.sheet != nullptr ? fed.sheet->kind : TargetKind::button);
      }
  }
  return all;
}

std::vector<Stop> stops(const Catalogue& catalogue, const Profile& profile, std::string_view role) {
  std::vector<Stop> all;
  const auto concerned = [role](std::string_view source) { return concerns(source, role); };
  for (const PortProfile& port : profile.ports) {
    const auto sources = sources_of(catalogue, profile, port);
    if (!sources) continue;
    for (const plan::Fed& fed : sources->fed)
      if (fed.binding != nullptr && std::ranges::any_of(fed.defaults, concerned) &&
          std::ranges::none_of(fed.uses, concerned, &Use::role))
        all.push_back({port.port, fed.seat, fed.target, fed.binding->place});
  }
  return all;
}

namespace {

void add_meaning(std::vector<Meaning>& all, const std::string& by, const std::string& role) {
  const auto known = std::ranges::find(all, role, &Meaning::role);
  if (known == all.end())
    all.push_back({by, role});
  else if (known->by.find(by) != std::string::npos)
    return;
  else if (++known->says == 2)
    known->by += " and " + by;
}

/// By the sheets that have the requested control.
template <typename IsMeant>
void add_sheets(std::vector<Meaning>& all, const Catalogue& catalogue, IsMeant is_meant) {
  for (const UnitSheet& sheet : catalogue.units)
    for (const ControlSheet& control : sheet.controls)
      if (is_meant(control)) add_meaning(all, fmt::format("the sheet of \"{}\"", sheet.title), control.role);
}

}  // namespace

std::vector<Meaning> meanings(const Catalogue& catalogue, std::span<const Description> nodes, std::string_view name) {
  std::vector<Meaning> all;
  for (const UnitNodes& unit : group_nodes(nodes)) {
    const Description& main = nodes[unit.main()];
    for (const std::size_t i : unit.nodes)
      for (const std::string& part : unit_parts(catalogue, main))
        for (const Control& control : attach_node(catalogue, main, nodes[i], part).controls)
          if (control_name(nodes[i], control.code) == name)
            add_meaning(all, fmt::format("\"{}\"{}", printable(main.name), part.empty() ? "" : ", " + part),
                        control.role);
  }
  return all;
}

std::vector<Meaning> meanings(const Catalogue& catalogue, std::string_view raw_control) {
  std::vector<Meaning> all;
  add_sheets(all, catalogue, [raw_control](const ControlSheet& control) { return control.raw == raw_control; });
  return all;
}

std::vector<Meaning> meanings(const Catalogue& catalogue, Code code) {
  std::vector<Meaning> all;
  Description only;
  // A stick needs both its halves, so the adjacent codes are present as well.
  constexpr int half_range = 32767;
  const auto number = static_cast<int>(code.number);
  for (int near = number - 1; near <= number + 1; ++near)
    if (near >= 0 && (near == number || code.type == ev_abs))
      only.codes.push_back({{code.type, static_cast<std::uint16_t>(near)}, -half_range, half_range, 0});
  for (const Control& control : identity::convention_controls(only))
    if (control.code == code) add_meaning(all, "the kernel's gamepad convention", control.role);
  add_sheets(all, catalogue, [code](const ControlSheet& control) { return control.code == code; });
  return all;
}

}  // namespace omnipar::inline abi_0::inspect
