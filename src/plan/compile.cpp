// Compiles a profile and its sheets to a plan, in one pass over the ports and one over the hotkeys. Errors are
// collected, so that all are returned at once.
#include <algorithm>
#include <deque>
#include <map>
#include <set>

#include <fmt/format.h>

#include "base/gun_roles.hpp"
#include "catalogue/lookup.hpp"
#include "omnipar/role.hpp"
#include "plan/feed.hpp"
#include "plan/game_place.hpp"
#include "plan/resolve.hpp"
#include "plan/tables.hpp"
#include "stage/table.hpp"

namespace omnipar::inline abi_0 {

using plan::EffectKind, plan::Feeder, plan::Index, plan::nothing, plan::OpposedDirections, plan::PlanData, plan::Tables;

namespace {

class Compiler {
 public:
  Compiler(const Catalogue& catalogue, const Profile& profile)
      : catalogue_(catalogue),
        profile_(profile),
        feeder_(tables_, [this](const Use& use, std::string id, std::string message, std::string hint) {
          stand_at(use.place, place_);
          error(std::move(id), std::move(message), std::move(hint));
        }) {}

  tl::expected<std::shared_ptr<const PlanData>, Diagnostics> run() {
    auto system = catalogue::find_system(catalogue_, profile_.system);
    if (!system) {
      system.error().place = profile_.place;
      return tl::unexpected(Diagnostics{std::move(system.error())});
    }
    system_ = *system;
    PlanData& plan = tables_.plan();
    plan.name = profile_.name;
    plan.system = system_->name;
    const std::int64_t frames = std::max(1, system_->frames_per_1000_seconds);
    plan.frame = Duration{(1'000'000'000 + frames / 2) / frames};
    find_area();
    for (const PortProfile& port : profile_.ports) add_port(port);
    add_hotkeys();
    check_size();
    if (!errors_.empty()) return tl::unexpected(std::move(errors_));
    return tables_.finish();
  }

 private:
  // -- errors ------------------------------------------------------------------------------------
  void error(std::string id, std::string message, std::string hint) {
    errors_.push_back({std::move(id), Severity::error, std::move(message), place_, std::move(hint)});
  }

  /// Errors from here on refer to this position in a file, or, for a profile without a file, to this name.
  void stand_at(const std::string& place, const std::string& otherwise) { place_ = place.empty() ? otherwise : place; }

  // -- the screen ----------------------------------------------------------------------------------
  void find_area() {
    stand_at(profile_.screen_place.empty() ? profile_.place : profile_.screen_place, profile_.name);
    auto place = plan::game_place(catalogue_, profile_, *system_);
    if (!place) return error(place.error().id, place.error().message, place.error().hint);
    if (!*place) return;
    const Screen& screen = (*place)->screen;
    PlanData& plan = tables_.plan();
    plan.area = (*place)->area;
    plan.screen = screen.name;
    plan.screen_size = seen_size(screen);
    if (profile_.pointer_span == PointerSpan::area) return;
    tables_.set_pointer_span(profile_.pointer_span == PointerSpan::desktop ? on_desktop(screen, catalogue_.screens)
                                                                           : AreaBox{});
  }

  // -- ports ----------------------------------------------------------------------------------------
  const ControllerSheet* controller_of(const PortProfile& port) {
    const PortSheet* sheet = system_->port(port.port);
    if (sheet == nullptr) {
      std::vector<std::string> numbers;
      for (const PortSheet& known : system_->ports) numbers.push_back(std::to_string(known.number));
      error("unknown-port", fmt::format("'{}' has no port {}", system_->name, port.port),
            "its ports: " + catalogue::listed({numbers.begin(), numbers.end()}));
      return nullptr;
    }
    const std::string name = port.controller.empty() && !sheet->takes.empty() ? sheet->takes.front() : port.controller;
    const bool taken = std::ranges::find(sheet->takes, name) != sheet->takes.end();
    const ControllerSheet* found = taken ? system_->controller(name) : nullptr;
    if (found == nullptr)
      error("unknown-controller", fmt::format("port {} does not accept a controller '{}'", port.port, name),
            catalogue::suggestion(name, {sheet->takes.begin(), sheet->takes.end()}));
    return found;
  }

  void check_not_ours(const PortProfile& port) {
    if (system_->port(port.port) == nullptr) controller_of(port);  // reports the unknown port
    if (!port.seat.empty() || !port.second_seat.empty() || !port.bind.empty() || port.like || !port.controller.empty())
      error("not-ours", "a port with 'not-ours' cannot have a seat, controller or bindings",
            "remove them, or remove 'not-ours'");
  }

  void check_second_seat(const PortProfile& port, const ControllerSheet& sheet) {
    if (port.second_seat.empty()) return;
    if (!sheet.is_for_two())
      error("no-second-player", fmt::format("'{}' is for one player and has no second seat", sheet.name),
            "remove 'second-seat'");
    else if (port.second_seat == port.seat)
      error("no-second-player", "both players on this plug have the same seat", "choose another seat for one of them");
  }

  void check_accessories(const PortProfile& port, const ControllerSheet& sheet) {
    std::vector<std::string_view> names;
    for (const AccessorySheet& accessory : sheet.accessories) names.emplace_back(accessory.name);
    for (const std::string& name : port.accessories)
      if (std::ranges::find(names, name) == names.end())
        error("unknown-accessory", fmt::format("'{}' does not accept an accessory '{}'", sheet.name, name),
              names.empty() ? "it accepts none" : catalogue::suggestion(name, names));
  }

  void check_opposites(const PortProfile& port, const ControllerSheet& sheet) {
    if (!sheet.directions && port.opposites != Opposites::both)
      error("no-directions", fmt::format("'{}' has no directions, so 'opposites' has no effect", sheet.name),
            "remove 'opposites'");
  }

  void check_game_dead_zone(const PortProfile& port) {
    constexpr double most = 0.9;
    if (!(port.game_dead_zone >= 0 && port.game_dead_zone <= most))
      error("bad-number", "'game-dead-zone' is out of range", fmt::format("expected 0 to {}", most));
  }

  void check_like(const PortProfile& port) {
    if (port.like && plan::liked_port(profile_, port) == nullptr)
      error("unknown-like", fmt::format("'like' names port {}, which has no bindings of its own", *port.like),
            "name a port of this profile that has no 'like' itself");
  }

  void add_port(const PortProfile& port) {
    stand_at(port.place, fmt::format("port {}", port.port));
    if (std::ranges::find(tables_.plan().ports, port.port, &PortInfo::number) != tables_.plan().ports.end())
      return error("port-twice", "duplicate port", "remove one of them");
    if (port.not_ours) return check_not_ours(port);
    if (port.seat.empty()) return error("no-seat", "this port has no seat", "add a seat, such as 'seat-1'");
    const ControllerSheet* plain = controller_of(port);
    if (plain == nullptr) return;
    check_accessories(port, *plain);
    const plan::PortSources sources{profile_, port, *plain};
    const ControllerSheet& sheet = sources.sheet;
    for (const std::string& seat : {port.seat, port.second_seat})
      if (!seat.empty() && std::ranges::find(tables_.plan().seats, seat) == tables_.plan().seats.end())
        tables_.plan().seats.push_back(seat);
    PortInfo info{port.port,
                  tables_.keep(port.seat),
                  tables_.keep(sheet.name),
                  static_cast<Index>(tables_.plan().targets.size()),
                  0,
                  tables_.keep(port.second_seat),
                  tables_.keep(system_->port(port.port)->splitter)};
    check_like(port);
    check_second_seat(port, sheet);
    check_opposites(port, sheet);
    check_game_dead_zone(port);
    check_targets(sheet, sources.bind);
    if (sheet.directions) add_directions(port, sources.fed);
    aiming_ = {};
    aiming_.shots = sources.game_shots;
    for (const plan::Fed& fed : sources.fed)
      if (fed.sheet != nullptr) add_target(port, fed);
    add_shots(port);
    for (const plan::Fed& fed : sources.pointer_presses) add_pointer_press(port, fed);
    info.target_count = static_cast<Index>(tables_.plan().targets.size() - info.first_target);
    tables_.plan().ports.push_back(info);
  }

  void check_targets(const ControllerSheet& sheet, const std::vector<Binding>& bind) {
    std::vector<std::string_view> names;
    if (sheet.directions) {
      names.push_back(plan::directions_group);
      names.insert(names.end(), direction_names.begin(), direction_names.end());
    }
    for (const TargetSheet& target : sheet.targets) names.emplace_back(target.name);
    std::deque<std::string> more;
    for (const TargetSheet& target : sheet.targets)
      for (const std::string_view suffix : plan::pointer_suffixes)
        if (target.kind == TargetKind::pointer)
          names.emplace_back(more.emplace_back(target.name + std::string{suffix}));
    const std::set<std::string_view> known{names.begin(), names.end()};
    std::set<std::string_view> bound;
    for (const Binding& binding : bind) {
      const std::string& name = binding.target;
      stand_at(binding.place, place_);
      if (!known.contains(name))
        error("unknown-target", fmt::format("'{}' has no target '{}'", sheet.name, name),
              catalogue::suggestion(name, names));
      if (!bound.insert(name).second)
        error("target-twice", fmt::format("'{}' is bound twice", name), "write one binding with all its sources");
    }
  }

  void stand_at(const PortProfile& port, const plan::Fed& fed) {
    stand_at(fed.binding != nullptr ? fed.binding->place : "", fmt::format("port {}, {}", port.port, fed.target));
  }

  std::array<Index, 4> new_directions() {
    std::array<Index, 4> signals{};
    for (std::size_t d = 0; d < direction_names.size(); ++d) {
      TargetSheet target;
      target.place = fmt::format("dpad-{}", direction_names[d]);
      const Index made = tables_.new_target(target, std::string{direction_names[d]}, TargetKind::button);
      if (tables_.too_large()) return signals;
      tables_.plan().partner_of_target[made] = static_cast<Index>(d % 2 == 0 ? made + 1 : made - 1);
      signals.at(d) = tables_.plan().signal_of_target[made];
    }
    return signals;
  }

  /// The source of the whole group feeds those directions that have no binding of their own.
  void add_directions(const PortProfile& port, const std::vector<plan::Fed>& all) {
    std::array<Index, 4> from_group = behind_opposites(plan::opposites_of(profile_, port), new_directions());
    if (tables_.too_large()) return;
    for (const plan::Fed& fed : all) {
      const auto* const direction = std::ranges::find(direction_names, fed.target);
      if (fed.sheet != nullptr || direction == direction_names.end()) continue;
      const auto d = static_cast<std::size_t>(direction - direction_names.begin());
      stand_at(port, fed);
      for (const Use& use : fed.uses) feeder_.feed_button(fed.seat, use, from_group.at(d));
      from_group.at(d) = nothing;
    }
    stand_at(port, all.front());
    for (const Use& use : all.front().uses) feeder_.feed_directions(all.front().seat, use, from_group);
  }

  /// The signals that sources raise to reach the four directions.
  std::array<Index, 4> behind_opposites(Opposites opposites, const std::array<Index, 4>& targets) {
    const stage::Values values{static_cast<double>(opposites)};
    if (!stage::opposites.acts(values)) return targets;
    OpposedDirections made{&stage::opposites,
                           stage::opposites.prepare(values, RoleKind::dpad),
                           {},
                           targets,
                           stage::opposites.words(values)};
    for (Index& signal : made.in) signal = tables_.new_signal();
    if (!tables_.too_large()) tables_.new_opposites(made);
    return made.in;
  }

  void add_target(const PortProfile& port, const plan::Fed& fed) {
    stand_at(port, fed);
    const TargetSheet& sheet = *fed.sheet;
    if (sheet.kind == TargetKind::button) {
      const Index target = tables_.new_target(sheet, sheet.name, TargetKind::button);
      if (tables_.too_large()) return;
      Index signal = tables_.plan().signal_of_target[target];
      if (base::is_trigger(sheet.place) && aiming_.trigger == nothing) {
        aiming_.target = signal;
        aiming_.trigger = signal = aiming_.shots.empty() ? signal : tables_.new_signal();
        if (tables_.too_large()) return;
      }
      for (const Use& use : fed.uses) feeder_.feed_button(fed.seat, use, signal);
      return;
    }
    const bool is_pointer = sheet.kind == TargetKind::pointer;
    const Index made = is_pointer ? tables_.new_pointer(sheet) : tables_.new_group(sheet);
    if (is_pointer && !tables_.too_large()) aiming_.pointers.push_back({sheet.name, made});
    for (const Use& use : fed.uses) {
      if (tables_.too_large()) return;
      is_pointer ? feeder_.feed_pointer(fed.seat, use, made) : feeder_.feed_axis(fed.seat, use, made, sheet.kind);
    }
  }

  // -- buttons of pointers ----------------------------------------------------------------------------
  /// The pulls of the trigger give calibration shots to the port's first pointer.
  void add_shots(const PortProfile& port) {
    if (aiming_.shots.empty() || tables_.too_large()) return;
    stand_at(port.place, fmt::format("port {}", port.port));
    constexpr std::size_t most = 64;
    const bool are_on =
        std::ranges::all_of(aiming_.shots, [](AreaPoint p) { return p.x >= 0 && p.x <= 1 && p.y >= 0 && p.y <= 1; });
    if (!are_on || aiming_.shots.size() > most)
      error("bad-number", "'game-shots' is not a list of positions in the game's picture",
            fmt::format("use at most {} pairs of numbers from 0 to 1: from the left, from the top", most));
    if (aiming_.pointers.empty() || aiming_.trigger == nothing)
      return error("no-trigger", "'game-shots' requires a pointer and a trigger, which this controller does not have",
                   "remove 'game-shots'");
    PlanData& plan = tables_.plan();
    plan::Pointer& pointer = plan.pointers[aiming_.pointers.front().second];
    pointer.shots = {static_cast<Index>(plan.shots.size()), static_cast<Index>(aiming_.shots.size())};
    plan.shots.insert(plan.shots.end(), aiming_.shots.begin(), aiming_.shots.end());
    tables_.add_effect(aiming_.trigger, EffectKind::pull, aiming_.pointers.front().second);
    tables_.add_effect(aiming_.trigger, EffectKind::raise, aiming_.target);
  }

  /// 'aim-reload' and the like.
  void add_pointer_press(const PortProfile& port, const plan::Fed& fed) {
    const auto pointer = std::ranges::find(aiming_.pointers, fed.sheet->name, &std::pair<std::string, Index>::first);
    if (pointer == aiming_.pointers.end() || tables_.too_large()) return;
    const std::string_view suffix = std::string_view{fed.target}.substr(fed.sheet->name.size());
    stand_at(port, fed);
    if (suffix == plan::reload_suffix && aiming_.trigger == nothing)
      return error("no-trigger", "a reload pulls the trigger, which this controller does not have", "remove it");
    if (suffix == plan::shots_suffix && tables_.plan().pointers[pointer->second].shots.count == 0)
      return error("no-game-shots", "this requires 'game-shots'",
                   "add game-shots = [[0.1, 0.1], [0.9, 0.9]] to the port");
    for (const Use& use : fed.uses) feed_pointer_press(port, use, suffix, pointer->second);
  }

  void feed_pointer_press(const PortProfile& port, const Use& use, std::string_view suffix, Index pointer) {
    Index& off = tables_.plan().pointers[pointer].off;
    if ((suffix == plan::reload_suffix || suffix == plan::off_suffix) && off == nothing) {
      const Index made = tables_.new_signal();
      if (tables_.too_large()) return;
      off = made;
      tables_.add_effect(made, EffectKind::hide, pointer);
    }
    if (suffix == plan::reload_suffix) feeder_.feed_reload(port.seat, use, pointer, aiming_.trigger);
    if (suffix == plan::off_suffix) feeder_.feed_button(port.seat, use, off);
    if (suffix == plan::centre_suffix) feeder_.feed_effect(port.seat, use, EffectKind::centre, pointer);
    if (suffix == plan::shots_suffix) feeder_.feed_effect(port.seat, use, EffectKind::shots, pointer);
  }

  // -- hotkeys -----------------------------------------------------------------------------------
  void add_hotkeys() {
    tables_.plan().hotkey_signals = static_cast<Index>(tables_.plan().signals.size());
    tables_.plan().hotkey_gates = static_cast<Index>(tables_.plan().gates.size());
    PortInfo port{0, "", "", static_cast<Index>(tables_.plan().targets.size()), 0};
    std::map<std::string, Index> actions;
    for (const Hotkey& hotkey : profile_.hotkeys) {
      stand_at(hotkey.place, fmt::format("hotkey of '{}'", hotkey.action));
      if (hotkey.modifier == hotkey.press || role_kind(hotkey.modifier) != RoleKind::button ||
          role_kind(hotkey.press) != RoleKind::button) {
        error("bad-chord", fmt::format("'{}' and '{}' are not two different buttons", hotkey.modifier, hotkey.press),
              "use two different buttons, such as 'start' and 'select'");
        continue;
      }
      if (hotkey.after.count() < 0 || hotkey.after > std::chrono::minutes{1}) {
        error("bad-number", "'after' is out of range", "expected 0 to 60 seconds");
        continue;
      }
      add_chord(hotkey, action_signal(actions, hotkey.action));
    }
    port.target_count = static_cast<Index>(tables_.plan().targets.size() - port.first_target);
    if (port.target_count > 0) tables_.plan().ports.push_back(port);
  }

  Index action_signal(std::map<std::string, Index>& actions, const std::string& name) {
    if (const auto known = actions.find(name); known != actions.end()) return known->second;
    const Index target = tables_.new_target({}, name, TargetKind::button);
    if (tables_.too_large()) return 0;
    return actions[name] = tables_.plan().signal_of_target[target];
  }

  void add_chord(const Hotkey& hotkey, Index action) {
    for (const std::string& seat : tables_.plan().seats) {
      const Index chord = tables_.new_signal(2);
      if (tables_.too_large()) return;
      const stage::Values after{static_cast<double>(hotkey.after.count())};
      const Index then = feeder_.behind_gate(stage::long_press, after, action, false);
      tables_.add_effect(chord, EffectKind::raise, then);
      for (const std::string& role : {hotkey.modifier, hotkey.press}) {
        const Index half = tables_.new_signal();
        if (tables_.too_large()) return;
        tables_.add_effect(half, EffectKind::raise, chord);
        tables_.raise(seat, role, half);
      }
    }
  }

  void check_size() {
    if (!tables_.too_large()) return;
    place_ = profile_.name;
    error("plan-too-large", "the profile has too many targets or sources",
          fmt::format("the limits are {} targets, {} signals, {} sources and {} analog sources", max_targets,
                      max_signals, max_sources, max_analog_uses));
  }

  const Catalogue& catalogue_;
  const Profile& profile_;
  const SystemSheet* system_ = nullptr;
  Tables tables_;
  Diagnostics errors_;
  std::string place_;
  /// For the port being added: its pointers by name, its trigger's signal, and what its sources raise.
  struct PortPointers {
    std::vector<std::pair<std::string, Index>> pointers{};
    Index target = nothing;
    Index trigger = nothing;
    std::vector<AreaPoint> shots{};
  };
  PortPointers aiming_;
  Feeder feeder_;
};

}  // namespace

tl::expected<Plan, Diagnostics> compile(const Catalogue& catalogue, const Profile& profile) {
  auto body = Compiler{catalogue, profile}.run();
  if (!body) return tl::unexpected(std::move(body.error()));
  return Plan{std::move(*body)};
}

}  // namespace omnipar::inline abi_0
