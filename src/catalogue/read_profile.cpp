// Converts a checked table to a profile. Its references are checked when it is compiled.
#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>

#include "catalogue/kinds.hpp"
#include "catalogue/values.hpp"
#include "stage/table.hpp"

namespace omnipar::inline abi_0::catalogue {
namespace {

using text::Value;

constexpr std::array<std::string_view, 3> pointer_spans{"area", "screen", "desktop"};  // in the order of `PointerSpan`
constexpr std::array<std::string_view, 2> off_screens{"edge", "button"};               // in the order of `OffScreen`

class ProfileReader {
 public:
  /// `flawed`: there are errors already, and missing fields may have been left out because of them.
  ProfileReader(const text::Source& source, Diagnostics& problems, bool flawed)
      : source_(source), problems_(problems), flawed_(flawed) {}

  Profile read(const Value& table) const {
    Profile profile;
    profile.name = text_in(table, "name");
    profile.system = text_in(table, "system");
    profile.place = place_of(source_, table.find("system")->mark);
    profile.screen = text_in(table, "screen");
    profile.area = text_in(table, "area");
    for (const auto* const field : {"screen", "area", "pointer-span"})
      if (const Value* value = table.find(field); value != nullptr && profile.screen_place.empty())
        profile.screen_place = place_of(source_, value->mark);
    check_area(source_, table, problems_);
    profile.pointer_span = one_of<PointerSpan>(pointer_spans, text_in(table, "pointer-span"));
    profile.off_screen = one_of<OffScreen>(off_screens, text_in(table, "off-screen"));
    for (const auto& [key, port] : table.find("port")->members) profile.ports.push_back(port_of(key, port));
    if (const Value* hotkeys = table.find("hotkeys"))
      for (const auto& [key, action] : hotkeys->members)
        profile.hotkeys.push_back({key.name, text_in(action, "modifier"), text_in(action, "press"),
                                   milliseconds_in(action, "after"), place_of(source_, key.mark)});
    for (Hotkey& exit : built_in_exits()) profile.hotkeys.push_back(std::move(exit));
    return profile;
  }

 private:
  PortProfile port_of(const Value::Key& key, const Value& table) const {
    PortProfile port;
    std::from_chars(key.name.data(), key.name.data() + key.name.size(), port.port);
    port.seat = seat_of(key, table);
    port.second_seat = text_in(table, "second-seat");
    port.not_ours = flag_in(table, "not-ours");
    port.accessories = names_in(table, "accessories");
    port.controller = text_in(table, "controller");
    port.game_dead_zone = number_in(table, "game-dead-zone", 0);
    port.opposites = one_of<Opposites>(stage::opposites.fields[0].words, text_in(table, "opposites"));
    for (const Value& shot : items_of(table, "game-shots"))
      port.game_shots.push_back({shot.items[0].number, shot.items[1].number});
    if (const Value* like = table.find("like")) port.like = static_cast<int>(like->integer);
    port.place = place_of(source_, key.mark);
    if (const Value* bind = table.find("bind"))
      for (const auto& [target, uses] : bind->members) port.bind.push_back(binding_of(target, uses));
    return port;
  }

  /// Its index among the words; the first, if it is not among them.
  template <typename Enum>
  static Enum one_of(std::span<const std::string_view> words, const std::string& word) {
    const auto at = std::ranges::find(words, word);
    return at == words.end() ? Enum{} : static_cast<Enum>(at - words.begin());
  }

  Binding binding_of(const Value::Key& target, const Value& uses) const {
    Binding binding{target.name, {}, place_of(source_, target.mark)};
    if (uses.type != Value::Type::list) {
      binding.uses.push_back(use_of(uses));
      return binding;
    }
    for (const Value& use : uses.items) binding.uses.push_back(use_of(use));
    return binding;
  }

  Use use_of(const Value& value) const {
    Use use;
    use.place = place_of(source_, value.mark);
    const bool plain = value.type == Value::Type::text;
    use.role = plain ? value.text : text_in(value, "use");
    if (plain) return use;
    for (const auto& [key, setting] : value.members)
      if (const stage::Field* field = stage::field(key.name))
        stage::set(use.settings, *field, value_of(*field, setting));
    return use;
  }

  static double value_of(const stage::Field& field, const Value& setting) {
    if (field.measure == stage::Measure::flag) return setting.boolean ? 1 : 0;
    return field.measure == stage::Measure::milliseconds ? std::round(setting.number * 1000) : setting.number;
  }

  /// A port has a seat, unless it belongs to another program.
  std::string seat_of(const Value::Key& key, const Value& table) const {
    const Value* seat = table.find("seat");
    if (seat != nullptr || flag_in(table, "not-ours")) return text_in(table, "seat");
    if (!flawed_)
      problems_.push_back(text::at(source_, key.mark, "missing-field", "'seat' is missing",
                                   "write the seat that plays it, or not-ours = true"));
    return "nobody";
  }

  const text::Source& source_;
  Diagnostics& problems_;
  bool flawed_;
};

}  // namespace

void read_profile(const text::Source& source, const Value& table, std::size_t errors_before, Sheets& sheets) {
  const bool flawed = sheets.problems.size() != errors_before;
  Profile profile = ProfileReader{source, sheets.problems, flawed}.read(table);
  (sheets.problems.size() == errors_before ? sheets.profiles : sheets.flawed_profiles).push_back(std::move(profile));
}

}  // namespace omnipar::inline abi_0::catalogue
