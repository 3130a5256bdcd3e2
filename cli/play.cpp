// omnipar play PROFILE
#include <algorithm>
#include <memory>

#include <fmt/format.h>

#include "command.hpp"
#include "files/write.hpp"
#include "omnipar/sheets.hpp"
#include "play/session.hpp"
#include "rig_file.hpp"
#include "sources.hpp"
#include "views.hpp"

namespace omnipar::cli {
namespace {

struct PlayWords {
  Sources sources;
  std::string keep;
  bool with_virtual = false;
  bool show_plan = false;
  bool json = false;
};

/// The made-up units of a room play; what the ports saw is printed. The rig as it is in the end.
tl::expected<Rig, Diagnostic> play_room(const PlayWords& words, const Given& given, Rig rig) {
  const auto view = words.json ? sample_view(*given.plan, print) : table_view(*given.plan, print);
  play::Script script{*given.plan, given.catalogue, std::move(rig), *view, *given.profile};
  const auto take = [&script](const TraceEvent& event, const Description& unit) {
    script.take(event, unit);
    return !script.ended();
  };
  auto problem = read_trace(os::real_door(), words.sources.host, take);
  if (!problem) script.finish();
  view->end();
  if (problem) return tl::unexpected(std::move(*problem));
  return script.rig();
}

/// Keeps the profile and the seats under a name, for the next evening.
int keep(const PlayWords& words, const Profile& profile, const Rig& rig) {
  os::Door& door = os::real_door();
  Profile kept = profile;
  kept.name = words.keep;
  const std::string profile_file = profile_path(door, words.keep);
  const std::string rig_file = rig_path(door, words.sources);
  const auto put = [&door](const std::string& path, const files::Change& change) {
    const auto written = files::change_file(door, path, versions_of(door, path), change);
    if (!written) tell(written.error());
    return written.has_value();
  };
  // A profile that is there already is the one that was played.
  const auto map = [&](const std::string& old) -> Text { return old.empty() ? to_toml(kept) : old; };
  const auto seats = [&](const std::string& old) { return rig_text(rig_file, old, rig); };
  if (!put(profile_file, map) || !put(rig_file, seats)) return machine_refuses;
  talk(fmt::format("Kept: {} and {}.\nNext time: omnipar play {}", profile_file, rig_file, words.keep));
  return good;
}

/// --keep writes over no other profile; better said before the evening than behind it.
bool may_keep(const PlayWords& words) {
  os::Door& door = os::real_door();
  const std::string path = profile_path(door, words.keep);
  const std::string there = door.real_path(path);
  if (words.keep.empty() || there.empty() || there == door.real_path(profile_path(door, words.sources.profile)))
    return true;
  tell({{"name-twice", Severity::error, "there is a profile of that name already", path,
         "choose another name for --keep"}});
  return false;
}

int run(const PlayWords& words) {
  os::Door& door = os::real_door();
  const Given given = load(door, words.sources);
  tell(given.elsewhere);
  tell(given.problems);
  if (!given.plan || !may_keep(words)) return bad_input;
  const auto rig = load_rig(door, words.sources);
  if (!rig) {
    tell(rig.error());
    return bad_input;
  }
  if (words.show_plan) {
    std::string listing = given.plan->listing();
    listing.pop_back();
    print(listing);
    return good;
  }
  Rig after = *rig;
  if (!words.sources.host.empty()) {
    auto played = play_room(words, given, *rig);
    if (!played) {
      tell({played.error()});
      return bad_input;
    }
    after = std::move(*played);
  } else {
    play::SessionOptions options;
    options.catalogue = given.catalogue;
    options.rig = *rig;
    options.profile = *given.profile;
    options.with_virtual = words.with_virtual;
    options.say = talk;
    const auto end = play::play(door, *given.plan, options);
    if (end.how == play::SessionEnd::failed) return machine_refuses;
    after = end.rig;
  }
  if (!words.keep.empty()) return keep(words, *given.profile, after);
  if (after.units.size() > rig->units.size())
    talk("Nothing was kept. With --keep NAME the map and everybody's seats are there next time.");
  return good;
}

}  // namespace

void add_play(CLI::App& app, int& status) {
  CLI::App* command = app.add_subcommand("play", "Play: everybody presses once, and sits");
  const auto words = std::make_shared<PlayWords>();
  command
      ->add_option("PROFILE", words->sources.profile,
                   "a machine such as pad-2b, a profile of yours, or a file such as cabinet.toml")
      ->required();
  add_data_option(*command, words->sources);
  add_rig_option(*command, words->sources);
  add_host_option(*command, words->sources);
  command->add_option("--keep", words->keep, "keep the map and the seats under this name in the end");
  command->add_flag("--json", words->json, "with --host: print what the ports saw as JSON Lines");
  command->add_flag("--with-virtual", words->with_virtual, "take controllers that other programs made, too");
  command->add_flag("--show-plan", words->show_plan, "print what would be played, and play nothing");
  command->footer(
      "Example: the two pads from Marrowby's shelf, on any machine with two-button pads:\n"
      "  omnipar play pad-2b\n"
      "Ctrl-C ends it; so do start and select of one controller held for 2 s.\n"
      "Exit status: 0 ended, 2 unknown machine or bad profile, 3 the computer refuses ('omnipar doctor' says why).");
  command->callback([words, &status] { status = run(*words); });
}

}  // namespace omnipar::cli
