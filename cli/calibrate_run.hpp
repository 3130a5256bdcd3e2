// A session that calibrates one unit: connects its reports with the guide, and the guide with the user.
#pragma once

#include <cstdint>
#include <future>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "omnipar/calibrating.hpp"
#include "asking_run.hpp"

namespace omnipar::cli {

struct CalibrateRunOptions {
  SessionOptions session;
  std::optional<Room> room{};
  CalibrateOptions options{};
  std::string unit{};       ///< by its name; empty: the first one moved or pressed
  bool may_be_new = false;  ///< it need not be in the rig
};

class CalibrateRun final : public AskingRun {
 public:
  [[nodiscard]] static tl::expected<std::unique_ptr<CalibrateRun>, Diagnostics> open(CalibrateRunOptions run_options);

  void process(Time now) override;
  void run(Time until) override;
  [[nodiscard]] std::optional<Time> next_due() const override;
  [[nodiscard]] bool has_changed() noexcept override;
  [[nodiscard]] bool wants_end() const override { return guide_.over() || watching_->wants_end() || failure_; }
  [[nodiscard]] bool is_over() const override { return wants_end() || watching_->is_over(); }
  [[nodiscard]] view::Page page() const override;
  bool press(char key) override;
  [[nodiscard]] std::string keys() const override;

  [[nodiscard]] const Calibrating& guide() const noexcept { return guide_; }
  /// The unit being calibrated; empty before one is known. And its description.
  [[nodiscard]] const std::string& unit() const noexcept { return unit_; }
  [[nodiscard]] const Description& description() const noexcept { return description_; }
  [[nodiscard]] const std::string& part() const noexcept { return part_; }
  /// The control with this role, for a stick its x; null if there is none.
  [[nodiscard]] const Control* control_of(const std::string& role) const noexcept;
  /// The user chose to discard the result.
  [[nodiscard]] bool is_discarded() const noexcept { return is_discarded_; }
  /// Why it cannot be calibrated.
  [[nodiscard]] const std::optional<Diagnostic>& failure() const noexcept { return failure_; }

 protected:
  void wait_behind(Time until) override;

 private:
  explicit CalibrateRun(CalibrateRunOptions& run_options);
  void meet(const std::vector<UnitDetails>& units) override;
  void select_unit(const UnitDetails& unit);
  void on_report(int node, const Report& report) override;
  void on_event(const SessionEvent& event) override;
  void drain() override;
  [[nodiscard]] bool is_in_rig(const std::string& unit) const;
  [[nodiscard]] view::Block picture() const;

  void repeat_what_is_missing();
  [[nodiscard]] CalibrateOptions with_worker(CalibrateOptions options);

  std::future<void> fit_;     ///< a fit that is computed while reports are read
  std::uint64_t losses_ = 0;  ///< that the guide knows
  Calibrating guide_;
  std::string unit_;
  bool may_be_new_;
  Rig rig_;
  std::vector<UnitDetails> units_;
  std::set<int> nodes_;  ///< of the unit
  Description description_;
  std::string part_;
  std::optional<Diagnostic> failure_;
  std::string last_line_;
  bool asked_ = false;       ///< for the unit
  bool grabs_anew_ = false;  ///< the session must not be changed from its callbacks
  bool is_known_ = false;    ///< the unit is connected
  bool changed_ = true;
  bool asked_to_leave_ = false;
  bool is_discarded_ = false;
};

/// The positions of a sweep in a grid of cells: '.' visited, 'o' current, '+' rest.
[[nodiscard]] std::vector<std::string> cloud_rows(const StickReadings& readings, RawPoint now, int columns, int rows);

}  // namespace omnipar::cli
