#include "asking_run.hpp"

#include <tuple>
#include <variant>

#include <fmt/format.h>

#include "omnipar/session_words.hpp"

namespace omnipar::cli {

std::optional<Diagnostics> AskingRun::open_watching(WatchingOptions options) {
  options.session.grab_idle = true;
  options.on_units = [this](const std::vector<UnitDetails>& units) {
    if (!is_closing_) meet(units);
  };
  options.on_report = [this](int node, const Report& report) {
    if (!is_closing_) on_report(node, report);
  };
  options.on_event = [this](const SessionEvent& event) {
    if (!is_closing_) on_event(event);
  };
  auto watching = Watching::open(std::move(options));
  if (!watching) return watching.error();
  watching_ = std::move(*watching);
  return std::nullopt;
}

std::optional<AskingRun::InUse> AskingRun::heard_of_trouble(const SessionEvent& event) {
  const bool is_trouble = std::holds_alternative<NoPermission>(event) || std::holds_alternative<Refused>(event) ||
                          std::holds_alternative<LostEvents>(event) || std::holds_alternative<GrabbedWhileDown>(event);
  if (is_trouble && watching_) note(to_text(event, session()));
  std::string unit, opener;
  if (const auto* left = std::get_if<LeftToAnother>(&event))
    std::tie(unit, opener) = std::tie(left->unit, left->opener);
  if (const auto* grabbed = std::get_if<GrabbedElsewhere>(&event))
    std::tie(unit, opener) = std::tie(grabbed->unit, grabbed->opener);
  if (unit.empty()) return std::nullopt;
  Diagnostic problem{"unit-in-use", Severity::error,
                     fmt::format("\"{}\" is in use by {}", unit, opener.empty() ? "another program" : opener), "",
                     "close that program, then run the command again"};
  return InUse{std::move(unit), std::move(problem)};
}

}  // namespace omnipar::cli
