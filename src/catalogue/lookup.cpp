#include "catalogue/lookup.hpp"

#include <fmt/format.h>

#include "base/near.hpp"

namespace omnipar::inline abi_0 {

std::string catalogue::listed(const std::vector<std::string_view>& names) {
  std::string text;
  for (std::size_t i = 0; i < names.size(); ++i) {
    if (i > 0) text += i + 1 == names.size() ? " and " : ", ";
    text += names[i];
  }
  return text;
}

std::string catalogue::suggestion(std::string_view misspelt, const std::vector<std::string_view>& names) {
  if (const auto near = base::nearest(misspelt, names)) return fmt::format("did you mean '{}'?", *near);
  return names.empty() ? "none exist" : "expected one of: " + catalogue::listed(names);
}

tl::expected<const Screen*, Diagnostic> catalogue::find_screen(const std::vector<Screen>& screens,
                                                               std::string_view name) {
  std::vector<std::string_view> names;
  for (const Screen& screen : screens) names.emplace_back(screen.name);
  if (names.empty())
    return tl::unexpected(Diagnostic{"no-screen", Severity::error, "the rig has no screen", "",
                                     "omnipar calibrate screen NAME --size 1920x1080"});
  if (name.empty() && names.size() == 1) return &screens.front();
  for (const Screen& screen : screens)
    if (!name.empty() && screen.name == name) return &screen;
  const std::string hint = suggestion(name, names);
  if (name.empty())
    return tl::unexpected(
        Diagnostic{"unknown-screen", Severity::error, "the rig has several screens: name one of them", "", hint});
  return tl::unexpected(
      Diagnostic{"unknown-screen", Severity::error, fmt::format("the rig has no screen '{}'", name), "", hint});
}

tl::expected<const SystemSheet*, Diagnostic> catalogue::find_system(const Catalogue& catalogue, std::string_view name) {
  if (const SystemSheet* sheet = catalogue.system(name)) return sheet;
  std::vector<std::string_view> names;
  for (const SystemSheet& sheet : catalogue.systems) names.emplace_back(sheet.name);
  return tl::unexpected(Diagnostic{"unknown-system", Severity::error, fmt::format("no machine is called '{}'", name),
                                   "", catalogue::suggestion(name, names)});
}

}  // namespace omnipar::inline abi_0
