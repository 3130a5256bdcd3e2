// A session that calibrates a gun: connects reports with the guide, and the guide with the user and the page of
// targets.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "omnipar/aiming.hpp"
#include "asking_run.hpp"
#include "target_page.hpp"

namespace omnipar::cli {

struct GunRunOptions {
  SessionOptions session;
  std::optional<Room> room{};
  AimingOptions options{};
  bool may_be_new = false;  ///< it need not be in the rig
  TargetPage* page = nullptr;
};

class GunRun final : public AskingRun {
 public:
  [[nodiscard]] static tl::expected<std::unique_ptr<GunRun>, Diagnostics> open(GunRunOptions run_options);

  void process(Time now) override;
  void run(Time until) override;
  [[nodiscard]] std::optional<Time> next_due() const override;
  [[nodiscard]] bool has_changed() noexcept override;
  [[nodiscard]] bool wants_end() const override { return guide_.over() || watching_->wants_end() || failure_; }
  [[nodiscard]] bool is_over() const override { return wants_end() || watching_->is_over(); }
  [[nodiscard]] view::Page page() const override;
  bool press(char key) override;
  [[nodiscard]] std::string keys() const override;

  /// The user chose to discard the result.
  [[nodiscard]] bool is_discarded() const noexcept { return is_discarded_; }
  [[nodiscard]] const Aiming& guide() const noexcept { return guide_; }
  /// The gun's description, and its part.
  [[nodiscard]] const UnitDetails* gun() const noexcept;
  /// The same as last seen, even if it is disconnected; null before it is known.
  [[nodiscard]] const UnitDetails* last_gun() const noexcept { return last_gun_ ? &*last_gun_ : nullptr; }
  [[nodiscard]] const std::optional<Diagnostic>& failure() const noexcept { return failure_; }

 protected:
  void wait_behind(Time until) override;

 private:
  explicit GunRun(GunRunOptions& run_options);
  void meet(const std::vector<UnitDetails>& units) override;
  void on_report(int node, const Report& report) override;
  void on_event(const SessionEvent& event) override;
  void drain() override;
  void show_on_page();
  [[nodiscard]] view::Block picture() const;

  Aiming guide_;
  bool may_be_new_;
  Rig rig_;
  TargetPage* page_;
  std::vector<UnitDetails> units_;
  std::optional<UnitDetails> last_gun_;
  std::map<int, std::string> nodes_;  ///< of guns, and the unit of each
  std::optional<Diagnostic> failure_;
  std::string last_line_;
  std::string last_note_;
  bool grabs_anew_ = false;
  bool changed_ = true;
  bool asked_to_leave_ = false;
  bool is_discarded_ = false;
};

}  // namespace omnipar::cli
