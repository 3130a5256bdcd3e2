// The plan as text, one line per operation: what raises what, in the order of the lookup of a source.
#include <fmt/format.h>

#include "omnipar/role.hpp"
#include "plan/plan_data.hpp"
#include "base/list.hpp"

namespace omnipar::inline abi_0::plan {
namespace {

class Listing {
 public:
  explicit Listing(const PlanData& plan) : plan_(plan) {}

  std::string run() {
    line("plan \"{}\" for {}: {}, {}, {} bytes of state", plan_.name, plan_.system,
         quantity(plan_.targets.size(), "target"), quantity(plan_.signals.size(), "signal"), plan_.state_size);
    if (plan_.area) {
      const AreaBox seen = seen_part(*plan_.area);
      line("on screen \"{}\": visible from {:.4f}, {:.4f} to {:.4f}, {:.4f}{}{}", plan_.screen, seen.left, seen.top,
           seen.left + seen.width, seen.top + seen.height,
           plan_.area->cut > 0 ? fmt::format(", {:g} cut off", plan_.area->cut) : "",
           plan_.area->turned == QuarterTurn::none ? "" : fmt::format(", rotated {}", word_of(plan_.area->turned)));
    }
    for (const PortInfo& port : plan_.ports)
      if (port.number != 0)
        line("port {}: {} at {}{}", port.number, port.controller, port.seat,
             port.second_seat.empty() ? "" : fmt::format(" and {}", port.second_seat));
    for (const Input& input : plan_.inputs) add(input);
    for (std::size_t s = 0; s < plan_.signals.size(); ++s) add(static_cast<Index>(s));
    return std::move(text_);
  }

 private:
  template <typename... T>
  void line(fmt::format_string<T...> format, T&&... values) {
    text_ += fmt::format(format, std::forward<T>(values)...) + "\n";
  }

  /// "1/a" for port 1's target a; "action/exit" for an action.
  std::string target_name(Index target) const {
    for (const PortInfo& port : plan_.ports)
      if (target >= port.first_target && target < port.first_target + port.target_count)
        return fmt::format("{}/{}", port.number == 0 ? "action" : std::to_string(port.number),
                           plan_.targets[target].name);
    return "?";
  }

  std::string signal_name(Index signal) const {
    const Index target = plan_.signals[signal].target;
    return target == nothing ? fmt::format("s{}", signal) : target_name(target);
  }

  std::string group_name(const Group& group) const {
    return group.y == nothing ? target_name(group.x) : target_name(group.x) + " " + target_name(group.y);
  }

  void add(const Input& input) {
    const std::string source = fmt::format("{}/{}", input.seat, input.role);
    for (const Index signal : input.raises.of(plan_.raises)) line("  {:<28} raises {}", source, signal_name(signal));
    for (const Index index : input.operations.of(plan_.fed)) add(source, plan_.operations[index]);
  }

  std::string targets_of(const OpposedDirections& port) const {
    std::string names;
    for (const Index signal : port.out) names += " " + signal_name(signal);
    return names;
  }

  static std::string_view aim_word(AnalogKind kind) {
    if (kind == AnalogKind::point) return "points";
    if (kind == AnalogKind::spring) return "holds";
    return kind == AnalogKind::glide ? "pushes" : "drags";
  }

  /// ", dead zone 0.15, curve 2"
  std::string shapes_of(const AnalogOperation& operation) const {
    std::string words;
    for (const Shape& shape : operation.shapes.of(plan_.shapes)) words += ", " + shape.words;
    return words;
  }

  void add(const std::string& source, const AnalogOperation& operation) {
    if (operation.kind == AnalogKind::count)
      return line("  {:<28} adds to {}", source, group_name(plan_.groups[operation.group]));
    if (operation.kind == AnalogKind::lane)
      return line("  {:<28} moves {}{}", source, group_name(plan_.groups[operation.group]), shapes_of(operation));
    if (is_aim(operation.kind))
      return line("  {:<28} {} {} {}{}", source, aim_word(operation.kind),
                  target_name(plan_.pointers[operation.group].x), target_name(plan_.pointers[operation.group].y),
                  shapes_of(operation) + (operation.words.empty() ? "" : ", " + operation.words));
    std::string signals;
    for (std::size_t d = 0; d < operation.signals.size(); ++d)
      if (operation.signals.at(d) != nothing)
        signals += fmt::format(" {}:{}", direction_names.at(d), signal_name(operation.signals.at(d)));
    line("  {:<28} threshold {:.2f}, release {:.2f}, raises{}{}", source, operation.constants.numbers[0],
         operation.constants.numbers[1], signals, shapes_of(operation));
  }

  void add(Index index) {
    const Signal& signal = plan_.signals[index];
    const std::string name = signal.need > 1 ? fmt::format("s{} (needs {})", index, signal.need) : signal_name(index);
    for (const Effect& effect : signal.effects.of(plan_.effects)) add(name, effect);
  }

  void add(const std::string& name, const Effect& effect) {
    if (effect.kind == EffectKind::raise) return line("  {:<28} raises {}", name, signal_name(effect.index));
    if (effect.kind == EffectKind::digital) {
      const DigitalOperation& digital = plan_.digitals[effect.index];
      return line("  {:<28} moves {}{}", name, group_name(plan_.groups[digital.group]),
                  digital.ramps ? fmt::format(", {} of 2^48 a tick", digital.ramp.time) : ", at once");
    }
    if (effect.kind == EffectKind::opposites) {
      const OpposedDirections& port = plan_.opposites[effect.index];
      return line("  {:<28} {}, raises{}", name, port.words, targets_of(port));
    }
    if (effect.kind == EffectKind::sight || effect.kind == EffectKind::hide)
      return line("  {:<28} moves the pointer off-screen", name);
    if (effect.kind == EffectKind::centre) return line("  {:<28} moves the pointer to the centre", name);
    if (effect.kind == EffectKind::steady) return line("  {:<28} holds the aim", name);
    if (effect.kind == EffectKind::aim) return line("  {:<28} updates the aim from its report", name);
    if (effect.kind == EffectKind::push) return line("  {:<28} pushes the pointer", name);
    if (effect.kind == EffectKind::shots) return line("  {:<28} starts or ends the game's calibration shots", name);
    if (effect.kind == EffectKind::pull) return line("  {:<28} gives the next calibration shot", name);
    const Gate& gate = plan_.gates[effect.index];
    line("  {:<28} {}, raises {}", name, gate.words, signal_name(gate.out));
  }

  const PlanData& plan_;
  std::string text_;
};

}  // namespace

std::string listing_of(const PlanData& plan) { return Listing{plan}.run(); }

}  // namespace omnipar::inline abi_0::plan
