#include "play/checkup.hpp"

#include <algorithm>

#include <fmt/format.h>

namespace omnipar::inline abi_0::play {

// -- jitter and bounce ----------------------------------------------------------------------------------------

void HealthListener::arrived(int node, const Description& description, Time) {
  gathering_.arrive(node, description);
  names_[node] = description.node;
}

void HealthListener::left(int node, Time) { gathering_.leave(node); }

/// A node's unit may be known only once all its nodes are present, so it is looked up at the first report.
void HealthListener::on_report(int node, const Report& report) {
  auto at = watches_.find(node);
  if (at == watches_.end()) {
    const auto member = gathering_.find(node);
    if (!member) return;
    at = watches_.emplace(node, member->attachment(catalogue_)).first;
  }
  at->second.feed(report);
}

std::map<std::string, std::vector<std::string>> HealthListener::notes() const {
  std::map<std::string, std::vector<std::string>> all;
  for (const auto& [node, watch] : watches_) {
    std::vector<std::string>& notes = all[names_.at(node)];
    for (std::string& note : watch.notes()) notes.push_back(std::move(note));
  }
  return all;
}

// -- combinations ---------------------------------------------------------------------------------------------

std::vector<combinations::Button> buttons_of(const Catalogue& catalogue, const Member& member,
                                             const std::string& part) {
  const UnitSheet* sheet = find_unit_sheet(catalogue, member.unit);
  std::vector<combinations::Button> buttons;
  for (const Control& control : member.attachment(catalogue, part).controls) {
    if (control.type != ControlType::button) continue;
    std::string name = control.role;
    if (sheet != nullptr) {
      const std::string raw = control.code.type == ev_hid ? control_name(member.own, control.code) : "";
      const auto known = std::ranges::find_if(sheet->controls, [&](const ControlSheet& said) {
        return raw.empty() ? said.raw.empty() && said.code == control.code : said.raw == raw;
      });
      if (known != sheet->controls.end() && !known->label.empty()) name = known->label;
    }
    buttons.push_back({control.code, control.role, std::move(name)});
  }
  return buttons;
}

bool CombinationListener::is_it(const Member& member) const {
  return find_unit(rig_, member.unit, {}, unit_.part) == &unit_;
}

void CombinationListener::arrived(int node, const Description& description, Time) {
  gathering_.arrive(node, description);
  for (auto& [number, is_unit] : there_) is_unit = false;
  there_[node] = false;
  for (auto& [number, is_unit] : there_)
    if (const auto member = gathering_.find(number)) is_unit = is_it(*member);
}

void CombinationListener::left(int node, Time) {
  gathering_.leave(node);
  there_.erase(node);
}

void CombinationListener::ready() {
  for (const auto& [node, is_unit] : there_) {
    const auto member = is_unit ? gathering_.find(node) : std::nullopt;
    if (!member) continue;
    const auto more = buttons_of(catalogue_, *member, unit_.part);
    buttons_.insert(buttons_.end(), more.begin(), more.end());
  }
  if (buttons_.empty()) return;
  test_ = std::make_unique<combinations::CombinationTest>(buttons_, say_);
  test_->begin();
}

void CombinationListener::on_report(int node, const Report& report) {
  if (test_ != nullptr && there_.contains(node) && there_.at(node)) test_->feed(report);
}

/// Without the unit there is nothing to wait for.
bool CombinationListener::done() const { return test_ == nullptr || test_->done(); }

std::vector<Combination> CombinationListener::found() const {
  return test_ != nullptr ? test_->found() : std::vector<Combination>{};
}

}  // namespace omnipar::inline abi_0::play
