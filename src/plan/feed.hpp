// Compiles bindings: the connections from sources to a target, through the stages of each binding.
#pragma once

#include <array>
#include <functional>
#include <optional>
#include <string>
#include <string_view>

#include "omnipar/role.hpp"
#include "plan/tables.hpp"

namespace omnipar::inline abi_0::plan {

class Feeder {
 public:
  using Error = std::function<void(const Use& use, std::string id, std::string message, std::string hint)>;

  /// Calls `error` for each invalid binding, which is then ignored.
  Feeder(Tables& tables, Error error) : tables_(tables), error_(std::move(error)) {}

  void feed_button(const std::string& seat, const Use& use, Index signal);
  /// `targets` by direction: one that is `nothing` is not fed.
  void feed_directions(const std::string& seat, const Use& use, const std::array<Index, 4>& targets);
  void feed_axis(const std::string& seat, const Use& use, Index group, TargetKind wanted);
  void feed_pointer(const std::string& seat, const Use& use, Index pointer);
  /// A press that acts on a pointer: of EffectKind `hide`, `centre` or `shots`.
  void feed_effect(const std::string& seat, const Use& use, EffectKind effect, Index pointer);
  /// A press that pulls a trigger off-screen; `trigger` is the signal to raise.
  void feed_reload(const std::string& seat, const Use& use, Index pointer, Index trigger);
  /// The signal to raise in order to reach `out` through a gate, which is left out if it has no effect with these
  /// values.
  Index behind_gate(const stage::Kind& kind, const stage::Values& values, Index out, bool each_unit);

 private:
  [[nodiscard]] std::optional<RoleKind> kind_of(const Use& use);
  void wrong_source(const Use& use, std::string_view wanted);
  Index entry(const Use& use, Index signal);
  /// The shapes of a binding to a target of that kind.
  void add_shapes(const Use& use, RoleKind role, TargetKind wanted, AnalogOperation& operation);
  void add_crossing(const std::string& seat, const std::string& role, const Use& use,
                    const std::array<Index, 4>& signals);
  void add_lane(const std::string& seat, const Use& use, Index group, TargetKind wanted);
  void add_counts(const std::string& seat, const Use& use, Index group);
  void add_steady(const std::string& seat, const Use& use, Index operation);
  void add_digital(const std::string& seat, const Use& use, Index group, const std::array<std::string, 4>& roles);

  Tables& tables_;
  Error error_;
};

}  // namespace omnipar::inline abi_0::plan
