// A plan under construction: its tables with their limits. Entries of one signal or input are collected separately, and
// flattened at the end.
#pragma once

#include <array>
#include <cstddef>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "plan/plan_data.hpp"

namespace omnipar::inline abi_0::plan {

class Tables {
 public:
  /// Entries beyond a table's limit are left out, and everything built from them is unusable.
  [[nodiscard]] bool too_large() const noexcept { return too_large_; }
  [[nodiscard]] PlanData& plan() noexcept { return *plan_; }

  [[nodiscard]] std::string_view keep(std::string text) { return plan_->texts.emplace_back(std::move(text)); }
  Index new_signal(Index need = 1, bool each_unit = false);
  void add_effect(Index signal, EffectKind kind, Index index);
  /// A button comes with its signal.
  Index new_target(const TargetSheet& sheet, std::string name, TargetKind kind);
  /// Targets that are bound together: a single axis, or a pair, NAME-x and NAME-y.
  Index new_group(const TargetSheet& sheet);
  /// The part of the profile's screen that a virtual pointer's whole range covers: from here on pointers know their
  /// output range.
  void set_pointer_span(const AreaBox& screen_in_it) { pointer_span_ = screen_in_it; }
  /// The same, with NAME-on.
  Index new_pointer(const TargetSheet& sheet);
  Index new_gate(const Gate& gate);
  Index new_opposites(const OpposedDirections& directions);
  Index new_digital(Index group, const stage::Constants& ramp, bool ramps);
  void add_shape(AnalogOperation& operation, Shape shape);
  /// Gives an operation what its kind needs: a lane, an aim, a crossing.
  Index new_operation(AnalogOperation operation);

  void raise(const std::string& seat, const std::string& role, Index signal);
  void feed(const std::string& seat, const std::string& role, Index operation);

  /// The plan, laid out; none of this may be used afterwards.
  std::shared_ptr<PlanData> finish();

 private:
  struct Growing {
    std::vector<Index> raises, operations;
  };

  template <typename T>
  Index append(std::vector<T>& table, T value, std::size_t limit);
  Index reserve(Index& count, std::size_t more, std::size_t limit);
  Index reserve_lanes(Index group);
  void span(Index half, bool is_y);
  Growing& input(const std::string& seat, const std::string& role);
  void use_up();

  std::shared_ptr<PlanData> plan_ = std::make_shared<PlanData>();
  std::vector<std::vector<Effect>> effects_;  ///< by signal
  std::vector<Growing> inputs_;
  std::map<std::pair<std::string, std::string>, std::size_t> input_of_;
  std::size_t uses_ = 0;
  bool too_large_ = false;
  std::optional<AreaBox> pointer_span_;
};

}  // namespace omnipar::inline abi_0::plan
