#include "learning_draft.hpp"

#include <algorithm>
#include <array>
#include <string_view>

#include <fmt/format.h>
#include <nlohmann/json.hpp>

#include "command.hpp"
#include "files/keeping.hpp"
#include "files/read.hpp"
#include "files/write.hpp"
#include "omnipar/identity.hpp"
#include "sources.hpp"

namespace omnipar::cli {
namespace {

using nlohmann::ordered_json;

constexpr std::array states = std::to_array<std::string_view>({"open", "given", "empty", "as-before"});

Diagnostic bad_draft(const std::string& file) {
  return {"bad-draft", Severity::error, "the stored session cannot be read", file, "run the command without --resume"};
}

std::string name_of(const LearningRun::Met& met) {
  const Description& node = met.node.description;
  return fmt::format("{}/{}", node_kind_name(node_kind(node)), printable(node.name));
}

ordered_json to_json(const LearnedSource& source, const std::vector<std::string>& nodes) {
  const auto node = static_cast<std::size_t>(source.node);
  return {{"role", source.role},        {"unit", source.unit},        {"node", node < nodes.size() ? nodes[node] : ""},
          {"type", source.code.type},   {"code", source.code.number}, {"side", source.side},
          {"rests", source.rests},      {"moved", source.moved},      {"invert-x", source.invert_x},
          {"invert-y", source.invert_y}};
}

LearnedSource source_in(const ordered_json& json, std::vector<std::string>& nodes) {
  LearnedSource source;
  source.role = json.at("role").get<std::string>();
  source.unit = json.at("unit").get<std::string>();
  const auto name = json.at("node").get<std::string>();
  auto at = std::ranges::find(nodes, name);
  if (at == nodes.end()) at = nodes.insert(nodes.end(), name);
  source.node = static_cast<int>(at - nodes.begin());
  source.code = {json.at("type").get<std::uint16_t>(), json.at("code").get<std::uint16_t>()};
  source.side = std::clamp(json.at("side").get<int>(), -1, 1);
  source.rests = std::clamp(json.at("rests").get<double>(), -1.0, 1.0);
  source.moved = json.at("moved").get<bool>();
  source.invert_x = json.at("invert-x").get<bool>();
  source.invert_y = json.at("invert-y").get<bool>();
  return source;
}

LearningDraft draft_in(const ordered_json& json) {
  LearningDraft draft;
  draft.form = json.at("form").get<std::string>();
  draft.by_letter = json.at("by-letter").get<bool>();
  for (const ordered_json& one : json.at("answers")) {
    Answer answer;
    const auto state = std::ranges::find(states, one.at("state").get<std::string>());
    if (state == states.end()) continue;
    answer.state = static_cast<Answer::State>(state - states.begin());
    for (const ordered_json& source : one.at("sources")) answer.sources.push_back(source_in(source, draft.nodes));
    draft.answers.emplace_back(one.at("question").get<std::string>(), std::move(answer));
  }
  return draft;
}

}  // namespace

std::string draft_path(os::Door& door, const std::string& path, int port, bool second) {
  return fmt::format("{}/draft{}{}.json", files::versions_of(door, path), port > 0 ? fmt::format("-port-{}", port) : "",
                     second ? "-second" : "");
}

bool has_draft(os::Door& door, const std::string& file) { return !door.real_path(file).empty(); }

LearningDraft draft_of(const LearningRun& run) {
  LearningDraft draft;
  for (std::size_t q = 0; q < run.learning().questions().size(); ++q)
    draft.answers.emplace_back(run.learning().questions()[q].name, run.learning().answers()[q]);
  for (const auto& [number, met] : run.answering()) {
    const auto size = static_cast<std::size_t>(number) + 1;
    if (draft.nodes.size() < size) draft.nodes.resize(size);
    draft.nodes[size - 1] = name_of(met);
  }
  return draft;
}

std::vector<std::pair<std::string, Answer>> answers_of(const LearningDraft& draft, const LearningRun& run) {
  std::vector<std::pair<std::string, Answer>> all = draft.answers;
  const auto there = run.answering();
  for (auto& [question, answer] : all) {
    std::erase_if(answer.sources, [&](LearnedSource& source) {
      const std::string& wanted = draft.nodes.at(static_cast<std::size_t>(source.node));
      if (wanted.empty()) {  // chosen by its label, not pressed
        source.unit = run.learning().unit();
        return false;
      }
      const auto met = std::ranges::find_if(there, [&](const auto& entry) { return name_of(entry.second) == wanted; });
      if (met == there.end()) return true;
      source.node = met->first;
      source.unit = met->second.unit;
      return false;
    });
    // Another unit answers now: the questions of the former one are asked again.
    if (answer.state == Answer::State::given && answer.sources.empty()) answer.state = Answer::State::open;
  }
  return all;
}

std::optional<Diagnostic> write_draft(os::Door& door, const std::string& file, const LearningDraft& draft) {
  auto answers = ordered_json::array();
  for (const auto& [question, answer] : draft.answers) {
    auto sources = ordered_json::array();
    for (const LearnedSource& source : answer.sources) sources.push_back(to_json(source, draft.nodes));
    answers.push_back({{"question", question},
                       {"state", states.at(static_cast<std::size_t>(answer.state))},
                       {"sources", std::move(sources)}});
  }
  const ordered_json json{{"omnipar", 1},
                          {"kind", "draft"},
                          {"form", draft.form},
                          {"by-letter", draft.by_letter},
                          {"answers", std::move(answers)}};
  return files::write_whole(door, file, json.dump(2, ' ', false, ordered_json::error_handler_t::replace) + "\n");
}

tl::expected<LearningDraft, Diagnostic> read_draft(os::Door& door, const std::string& file) {
  if (!has_draft(door, file))
    return tl::unexpected(
        Diagnostic{"no-draft", Severity::error, "there is no unsaved session", "", "run the command without --resume"});
  const auto text = files::read_text(door, file);
  if (!text) return tl::unexpected(text.error());
  const auto json = ordered_json::parse(*text, nullptr, false);
  if (json.is_discarded()) return tl::unexpected(bad_draft(file));
  try {
    return draft_in(json);
  } catch (const ordered_json::exception&) {
    return tl::unexpected(bad_draft(file));
  }
}

void put_by(os::Door& door, const std::string& file, const LearningRun& run, const std::string& command,
            const LearningDraft& draft) {
  if (run.learning().discarded() || !run.learning().has_answers()) {
    if (run.learning().discarded()) static_cast<void>(door.remove(file));
    talk("Nothing was saved.");
    return;
  }
  if (const auto problem = write_draft(door, file, draft)) {
    tell({*problem});
    talk("The session could not be stored. Its result:");
    for (const std::string& line : run.table()) talk("  " + line);
    return;
  }
  talk(fmt::format("Nothing was saved yet, but the session is stored. To continue: {} --resume", command));
}

}  // namespace omnipar::cli
