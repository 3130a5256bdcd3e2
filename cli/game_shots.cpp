#include "game_shots.hpp"

#include <algorithm>
#include <charconv>
#include <sstream>

#include <fmt/format.h>

#include "omnipar/identity.hpp"

namespace omnipar::cli {
namespace {

std::optional<AreaPoint> place_in(const std::string& word) {
  AreaPoint place;
  const char* const last = word.data() + word.size();
  const auto x = std::from_chars(word.data(), last, place.x);
  if (x.ec != std::errc{} || x.ptr == last || *x.ptr != ',') return std::nullopt;
  const auto y = std::from_chars(x.ptr + 1, last, place.y);
  const auto is_part = [](double side) { return side >= 0 && side <= 1; };
  if (y.ec != std::errc{} || y.ptr != last || !is_part(place.x) || !is_part(place.y)) return std::nullopt;
  return place;
}

const TargetSheet* pointer_of(const Catalogue& catalogue, const Profile& profile, const PortProfile& port) {
  const SystemSheet* system = catalogue.system(profile.system);
  const PortSheet* plug = system == nullptr ? nullptr : system->port(port.port);
  if (plug == nullptr || plug->takes.empty() || port.not_ours) return nullptr;
  const ControllerSheet* sheet = system->controller(port.controller.empty() ? plug->takes.front() : port.controller);
  if (sheet == nullptr) return nullptr;
  const auto at = std::ranges::find(sheet->targets, TargetKind::pointer, &TargetSheet::kind);
  return at == sheet->targets.end() ? nullptr : &*at;
}

}  // namespace

std::optional<Diagnostic> add_game_shots(const Catalogue& catalogue, const std::string& places, Profile& profile) {
  const auto bad = [&](const std::string& message) {
    return Diagnostic{
        "bad-arguments", Severity::error, message, "--game-shots",
        "write fractions of the picture from the left and from the top: \"0.1,0.1 0.9,0.1 0.9,0.9 0.1,0.9\""};
  };
  std::vector<AreaPoint> shots;
  std::istringstream words{places};
  for (std::string word; words >> word;) {
    const auto place = place_in(word);
    if (!place) return bad(fmt::format("invalid position '{}' in the game's picture", printable(word)));
    shots.push_back(*place);
  }
  bool any = false;
  for (PortProfile& port : profile.ports) {
    const TargetSheet* pointer = pointer_of(catalogue, profile, port);
    if (pointer == nullptr) continue;
    any = true;
    port.game_shots = shots;
    const std::string begins = pointer->name + "-game-shots";
    if (port.like || std::ranges::find(port.bind, begins, &Binding::target) != port.bind.end()) continue;
    Use use{"start"};
    use.settings.set("long-press", Duration{1'500'000});
    port.bind.push_back({begins, {use}});
  }
  if (shots.empty() || !any) return bad(any ? "no position is given" : "no port in this profile has a pointer");
  return std::nullopt;
}

}  // namespace omnipar::cli
