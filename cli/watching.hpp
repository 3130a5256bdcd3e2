// A watched session: what it shows, ticks off and prints, without the drawing.
#pragma once

#include <functional>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include <nlohmann/json.hpp>

#include "inspect/seen.hpp"
#include "inspect/tick_off.hpp"
#include "inspect/why.hpp"
#include "omnipar/session.hpp"
#include "live.hpp"
#include "views.hpp"

namespace omnipar::cli {

/// The options of a session, and whether ports are shown: with an empty profile only units are.
struct WatchingOptions {
  SessionOptions session;
  std::optional<Room> room{};
  bool ticks = false;
  std::vector<int> players{};  ///< with ticks: only these players
  LineSink samples{};          ///< receives samples as JSON Lines
  /// Called for connected units and for reports, once the view has them.
  std::function<void(const std::vector<UnitDetails>&)> on_units{};
  std::function<void(int node, const Report&)> on_report{};
  EventHandler on_event{};
};

/// A profile without ports, and the catalogue that contains its machine.
void watch_units_only(SessionOptions& options);

class Watching final : public Live {
 public:
  [[nodiscard]] static tl::expected<std::unique_ptr<Watching>, Diagnostics> open(WatchingOptions run_options);
  Watching(const Watching&) = delete;
  Watching& operator=(const Watching&) = delete;
  /// Closes the session first, so that its last events find all members.
  ~Watching() override {
    if (session_) session_->close();
  }

  /// Also prints the messages for players.
  void say_to(LineSink say) override { say_ = std::move(say); }
  [[nodiscard]] Session& session() noexcept override { return *session_; }
  /// Also prints the samples that are due.
  void process(Time now) override;
  void run(Time until) override;
  [[nodiscard]] std::optional<Time> next_due() const override;
  [[nodiscard]] bool has_changed() noexcept override { return std::exchange(changed_, false); }
  [[nodiscard]] bool wants_end() const override { return exits_ || (ticks_ && ticks_->complete()); }
  [[nodiscard]] bool is_over() const override { return exits_ || session_->over() || session_->failure(); }
  [[nodiscard]] bool is_typed_on(Duration within) const override;
  [[nodiscard]] const inspect::Seen& seen() const noexcept override { return seen_; }
  /// Prints which players are complete.
  void print_messages() override;

  [[nodiscard]] const std::optional<inspect::TickOff>& ticks() const noexcept { return ticks_; }
  /// Includes the last press and the ticks.
  [[nodiscard]] view::Page page() const override;
  /// Everything shown, and what is ticked off.
  [[nodiscard]] nlohmann::ordered_json seen_json() const;
  [[nodiscard]] nlohmann::ordered_json ticks_json() const;

 private:
  explicit Watching(WatchingOptions& run_options);
  void on_event(const SessionEvent& event);
  void on_report(int node, const Report& report);
  void plan_is(const Plan& plan);
  void sample(Time time);
  [[nodiscard]] Time next_frame(Time after) const;
  void look_at_units();
  void tick_what_seats(const std::string& seat);

  Catalogue catalogue_;
  Profile profile_;
  LineSink say_;
  std::optional<Session> session_;
  inspect::Seen seen_;
  std::optional<inspect::TickOff> ticks_;
  bool wants_ticks_ = false;
  std::vector<int> players_;
  std::optional<Reader> reader_;
  std::unique_ptr<View> samples_;
  std::vector<inspect::Link> links_;
  std::vector<std::string> notes_;
  std::vector<bool> told_complete_;  ///< by port
  std::function<void(const std::vector<UnitDetails>&)> on_units_;
  std::function<void(int, const Report&)> on_report_;
  EventHandler on_event_;
  std::map<std::string, std::string> grabbed_;  ///< messages about nodes that another program has grabbed, by path
  std::map<int, bool> types_;                   ///< nodes whose keys also reach the terminal
  std::optional<Time> typed_at_;
  std::uint64_t seen_changes_ = 0;
  Time sampled_{};       ///< the last frame
  bool is_busy_ = true;  ///< the next frame may differ
  bool units_are_new_ = true;
  bool changed_ = true;
  bool exits_ = false;
};

}  // namespace omnipar::cli
