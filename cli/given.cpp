#include "given.hpp"

#include "command.hpp"
#include "files/read.hpp"
#include "omnipar/sheets.hpp"

namespace omnipar::cli {
namespace {

bool is_file(const std::string& word) { return word.find('/') != std::string::npos || word.ends_with(".toml"); }

void take_sheets(Given& given, const std::string& name, const std::string& text) {
  Sheets sheets = read_sheets(name, text);
  given.problems = std::move(sheets.problems);
  given.readable = given.problems.empty();
  for (SystemSheet& system : sheets.systems) {
    std::erase_if(given.catalogue.systems, [&](const SystemSheet& known) { return known.name == system.name; });
    given.catalogue.systems.push_back(std::move(system));
  }
  if (!sheets.profiles.empty()) given.profile = std::move(sheets.profiles.front());
  if (given.profile || !given.problems.empty()) return;
  given.readable = false;
  given.problems.push_back(
      {"no-profile", Severity::error, "there is no profile in this file", name, "write kind = \"profile\""});
}

}  // namespace

Given load(os::Door& door, const std::string& word) {
  Given given;
  given.catalogue = built_in_catalogue();
  std::string text;
  if (is_file(word)) {
    auto read = files::read_text(door, word);
    if (!read) {
      given.readable = false;
      given.problems.push_back(read.error());
      return given;
    }
    text = std::move(*read);
    take_sheets(given, word, text);
  } else if (auto proposed = propose(given.catalogue, word)) {
    given.profile = std::move(*proposed);
  } else {
    given.problems = proposed.error();
    given.readable = false;
  }
  if (!given.profile || !given.problems.empty()) return given;
  auto plan = compile(given.catalogue, *given.profile);
  if (plan) {
    given.plan = std::move(*plan);
  } else {
    given.problems = plan.error();
    add_excerpts(given.problems, word, text);
  }
  return given;
}

void tell(const Diagnostics& problems) {
  for (const Diagnostic& problem : problems) talk((problem.excerpt.empty() ? "omnipar: " : "") + to_text(problem));
}

}  // namespace omnipar::cli
