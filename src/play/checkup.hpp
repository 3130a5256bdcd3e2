// Report listeners that check units: jitter and bounce, and inconsistent controls.
#pragma once

#include <map>
#include <memory>
#include <string>
#include <vector>

#include "attach/health_watch.hpp"
#include "calibrate/combinations.hpp"
#include "play/gathering.hpp"
#include "play/listen.hpp"

namespace omnipar::inline abi_0::play {

/// Listens to all units until it is stopped.
class HealthListener final : public ReportListener {
 public:
  explicit HealthListener(const Catalogue& catalogue) : catalogue_(catalogue) {}

  void ready() override {}
  void arrived(int node, const Description& description, Time now) override;
  void left(int node, Time now) override;
  void on_report(int node, const Report& report) override;
  void waited(Time) override {}
  [[nodiscard]] bool done() const override { return false; }
  [[nodiscard]] std::optional<Time> next_due() const override { return std::nullopt; }

  /// Findings, by the host's names of the nodes.
  [[nodiscard]] std::map<std::string, std::vector<std::string>> notes() const;

 private:
  const Catalogue& catalogue_;
  Gathering gathering_;
  std::map<int, attach::HealthWatch> watches_;
  std::map<int, std::string> names_;
};

/// Guides through the test of one unit of the rig.
class CombinationListener final : public ReportListener {
 public:
  /// Catalogue and rig must outlive it; `unit` is one of the rig's.
  CombinationListener(const Catalogue& catalogue, const Rig& rig, const RigUnit& unit,
                      std::function<void(const std::string&)> say)
      : catalogue_(catalogue), rig_(rig), unit_(unit), say_(std::move(say)) {}

  void ready() override;
  void arrived(int node, const Description& description, Time now) override;
  void left(int node, Time now) override;
  void on_report(int node, const Report& report) override;
  void waited(Time) override {}
  [[nodiscard]] bool done() const override;
  [[nodiscard]] std::optional<Time> next_due() const override { return std::nullopt; }

  /// True if the unit was connected and the test was started.
  [[nodiscard]] bool begun() const noexcept { return test_ != nullptr; }
  [[nodiscard]] std::vector<Combination> found() const;
  [[nodiscard]] const std::vector<combinations::Button>& buttons() const noexcept { return buttons_; }

 private:
  [[nodiscard]] bool is_it(const Member& member) const;

  const Catalogue& catalogue_;
  const Rig& rig_;
  const RigUnit& unit_;
  std::function<void(const std::string&)> say_;
  Gathering gathering_;
  std::map<int, bool> there_;  ///< nodes, and whether they belong to the unit
  std::vector<combinations::Button> buttons_;
  std::unique_ptr<combinations::CombinationTest> test_;
};

/// The buttons of a part of a node, with their labels for people.
[[nodiscard]] std::vector<combinations::Button> buttons_of(const Catalogue& catalogue, const Member& member,
                                                           const std::string& part);

}  // namespace omnipar::inline abi_0::play
