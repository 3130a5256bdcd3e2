// Profiles that bytes make up: any role for any target, with any stages, right or wrong.
#include <algorithm>
#include <array>

#include <fmt/format.h>

#include "judged.hpp"
#include "omnipar/role.hpp"
#include "omnipar/sheets.hpp"
#include "stage/table.hpp"

namespace omnipar::test {
namespace {

const std::vector<std::string>& roles() {
  static const std::vector<std::string> all = [] {
    std::vector<std::string> names;
    for (const std::string_view name : role_names()) names.emplace_back(name);
    for (const char* name : {"left-stick-up", "right-stick-left", "panel-3", "key-1", "nothing-such"})
      names.emplace_back(name);
    return names;
  }();
  return all;
}

class Maker {
 public:
  explicit Maker(std::span<const std::uint8_t> bytes) : bytes_(bytes) {}
  [[nodiscard]] std::span<const std::uint8_t> rest() const { return bytes_; }

  Profile profile() {
    const auto& systems = story_catalogue().systems;
    const SystemSheet& system = systems[below(systems.size())];
    Profile profile = propose(story_catalogue(), system.name).value();
    for (PortProfile& port : profile.ports) change(port, system);
    for (std::size_t n = below(3); n > 0; --n)  // before the built-in one, as when it is read
      profile.hotkeys.insert(profile.hotkeys.end() - 1,
                             {fmt::format("action-{}", n), role(), role(), Duration{below(4) * 1500}});
    return profile;
  }

 private:
  std::size_t below(std::size_t limit) {
    if (bytes_.empty()) return 0;
    const std::size_t byte = bytes_.front();
    bytes_ = bytes_.subspan(1);
    return byte % limit;
  }
  std::string role() { return roles()[below(roles().size())]; }

  void change(PortProfile& port, const SystemSheet& system) {
    const std::vector<std::string>& takes = system.port(port.port)->takes;
    port.controller = takes[below(takes.size())];
    const ControllerSheet& sheet = *system.controller(port.controller);
    if (!sheet.is_for_two()) port.second_seat.clear();
    port.seat = fmt::format("seat-{}", 1 + below(3));
    port.opposites = static_cast<Opposites>(below(3));
    if (below(8) == 0) port.like = 1;
    for (const AccessorySheet& accessory : sheet.accessories)
      if (below(2) == 0) port.accessories.push_back(accessory.name);
    for (std::size_t n = below(8); n > 0; --n) port.bind.push_back(binding(sheet));
  }

  Binding binding(const ControllerSheet& sheet) {
    std::vector<std::string> names{"directions"};
    for (const std::string_view name : direction_names) names.emplace_back(name);
    for (const TargetSheet& target : sheet.targets) names.push_back(target.name);
    Binding made{names[below(names.size())], {}};
    for (const TargetSheet& target : sheet.targets)
      if (target.name == made.target && below(2) == 0)
        for (const std::string& role : target.defaults) made.uses.push_back(use(role));
    for (std::size_t n = below(3); n > 0; --n) made.uses.push_back(use(role()));
    return made;
  }

  Use use(std::string role) {
    Use made{std::move(role)};
    const std::vector<std::string_view> fields = stage::field_names();
    for (std::size_t n = below(4); n > 0; --n) {
      const stage::Field& field = *stage::field(fields[below(fields.size())]);
      constexpr double longest = 3000;  // microseconds
      const double high = field.measure == stage::Measure::milliseconds ? std::min(longest, field.high) : field.high;
      const auto value = static_cast<double>(below(256));
      made.settings.set(field.name, field.measure == stage::Measure::number
                                        ? field.low + (high - field.low) * value / 255
                                    : field.measure == stage::Measure::flag ? static_cast<double>(value > 127)
                                                                            : std::round(high * value / 255));
    }
    return made;
  }

  std::span<const std::uint8_t> bytes_;
};

}  // namespace

std::optional<std::string> judge_profile(std::span<const std::uint8_t> bytes) {
  Maker maker{bytes};
  const Profile profile = maker.profile();
  const auto plan = compile(story_catalogue(), profile);
  if (!plan) {
    for (const Diagnostic& error : plan.error())
      if (error.id.empty() || error.message.empty() || error.hint.empty() || error.place.empty())
        return "an error says too little: " + to_text(error);
    return std::nullopt;
  }
  const Sheets again = read_sheets("t.toml", to_toml(profile));
  if (!again.problems.empty()) return "it cannot be read again: " + to_text(again.problems.front());
  const auto plan_again = compile(story_catalogue(), again.profiles.at(0));
  if (!plan_again) return "it does not compile again: " + to_text(plan_again.error().front());
  if (plan_again->listing() != plan->listing())
    return "written and read again it is another plan:\n" + to_toml(profile);
  auto complaint = judge_story(maker.rest(), profile);
  if (complaint) *complaint += "\n" + to_toml(profile);
  return complaint;
}

}  // namespace omnipar::test
