// TOML sheets and profiles: whatever is read without a problem reads back unchanged after writing, can be compiled or
// is rejected with reasons, and an edit changes exactly what it should.
#include <algorithm>

#include "fuzz.hpp"
#include "omnipar/omnipar.hpp"
#include "omnipar/sheets.hpp"
#include "text/edit.hpp"

using namespace omnipar;

namespace {

const Catalogue& shipped() {
  static const Catalogue catalogue = built_in_catalogue();
  return catalogue;
}

void check_problems(const Sheets& sheets) {
  for (const Diagnostic& problem : sheets.problems) {
    fuzz::require(!problem.id.empty() && !problem.message.empty(), "a problem says what it is");
    fuzz::require(problem.place.starts_with("f.toml"), "a problem has a place");
  }
}

void check_profile(const Profile& profile) {
  const std::string text = to_toml(profile);
  const Sheets again = read_sheets("again.toml", text);
  fuzz::require(again.problems.empty() && again.profiles.size() == 1,
                "a profile that is written can be read:\n" + text);
  fuzz::require(to_toml(again.profiles.front()) == text, "and is then the same:\n" + text);
  const auto plan = compile(shipped(), profile);
  if (plan) {
    Engine engine{*plan};
    engine.adopt(*plan);
  } else {
    fuzz::require(!plan.error().empty(), "a profile is refused with a reason");
  }
}

void check_rig(const Rig& rig) {
  Rig units{rig.units, {}};
  fuzz::require(read_sheets("again.toml", to_toml(units)).rig == units, "a rig that is written is read the same");
  for (const Calibration& calibration : rig.calibrations)
    fuzz::require(read_sheets("again.toml", to_toml(calibration)).rig.calibrations == std::vector{calibration},
                  "a calibration that is written is read the same");
}

void check_edit(const std::string& text) {
  const std::vector<std::string> path{"name"};
  const auto edited = text::set_value({"f.toml", text}, path, "\"edited\"");
  if (!edited) return fuzz::require(!edited.error().empty(), "an edit is refused with a reason");
  const text::Parsed parsed = text::parse_toml({"f.toml", *edited});
  const text::Value* name = parsed.root.find("name");
  fuzz::require(parsed.problems.empty() && name != nullptr && name->text == "edited", "an edit arrives:\n" + *edited);
}

}  // namespace

void fuzz_one(std::span<const std::uint8_t> bytes) {
  constexpr std::size_t most = 16384;
  const std::string text = fuzz::text_of(bytes.first(std::min(bytes.size(), most)));
  const Sheets sheets = read_sheets("f.toml", text);
  check_problems(sheets);
  for (const Profile& profile : sheets.profiles) check_profile(profile);
  if (sheets.problems.empty()) check_rig(sheets.rig);
  check_edit(text);
}
