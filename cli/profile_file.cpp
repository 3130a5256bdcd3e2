#include "profile_file.hpp"

#include <algorithm>

#include <fmt/format.h>

#include "command.hpp"
#include "files/write.hpp"
#include "omnipar/sheets.hpp"
#include "text/edit.hpp"

namespace omnipar::cli {
namespace {

using Text = tl::expected<std::string, Diagnostics>;

/// The text with one edit, if that leaves it without mistakes of form.
Text with_edit(const std::string& path, const std::string& text, const BindingEdit& edit) {
  std::vector<std::string> keys{"port", std::to_string(edit.port), edit.target.empty() ? "like" : "bind"};
  if (!edit.target.empty()) keys.push_back(edit.target);
  const text::Source source{path, text};
  return edit.value ? text::set_value(source, keys, *edit.value) : text::clear_value(source, keys);
}

/// What is wrong with the text as a profile.
Diagnostics mistakes_in(const std::string& path, const std::string& text, Catalogue catalogue) {
  Sheets sheets = read_sheets(path, text);
  Diagnostics problems = sheets.problems;
  for (SystemSheet& system : sheets.systems) catalogue.systems.insert(catalogue.systems.begin(), std::move(system));
  if (problems.empty() && sheets.profiles.empty())
    problems.push_back({"no-profile", Severity::error, "there is no profile in this file", path, ""});
  if (problems.empty())
    if (auto plan = compile(catalogue, sheets.profiles.front()); !plan) problems = plan.error();
  add_excerpts(problems, path, text);
  return problems;
}

}  // namespace

std::vector<BindingEdit> edits_between(const Profile& before, const Profile& after) {
  std::vector<BindingEdit> edits;
  for (const PortProfile& port : after.ports) {
    const auto its = std::ranges::find(before.ports, port.port, &PortProfile::port);
    const std::vector<Binding> old = its == before.ports.end() ? std::vector<Binding>{} : its->bind;
    const std::optional<int> was_like = its == before.ports.end() ? std::nullopt : its->like;
    if (was_like != port.like)
      edits.push_back({port.port, "", port.like ? std::optional{std::to_string(*port.like)} : std::nullopt});
    for (const Binding& binding : old)
      if (std::ranges::find(port.bind, binding.target, &Binding::target) == port.bind.end())
        edits.push_back({port.port, binding.target, std::nullopt});
    for (const Binding& binding : port.bind) {
      const auto was = std::ranges::find(old, binding.target, &Binding::target);
      const std::string value = to_toml(binding);
      if (was == old.end() || to_toml(*was) != value) edits.push_back({port.port, binding.target, value});
    }
  }
  return edits;
}

tl::expected<bool, Diagnostics> edit_profile(os::Door& door, const std::string& path, const Catalogue& catalogue,
                                             const std::vector<BindingEdit>& edits) {
  const auto change = [&](const std::string& old) -> Text {
    if (old.empty())
      return tl::unexpected(Diagnostics{
          {"no-file", Severity::error, "there is no such profile", path,
           fmt::format("omnipar profile new {} --system pad-2b makes it", shell_word(files::profile_name(path)))}});
    std::string text = old;
    for (const BindingEdit& edit : edits) {
      auto next = with_edit(path, text, edit);
      if (!next) return next;
      text = std::move(*next);
    }
    if (auto problems = mistakes_in(path, text, catalogue); !problems.empty()) return tl::unexpected(problems);
    return text;
  };
  return files::change_file(door, path, versions_of(door, path), change);
}

std::optional<Diagnostics> write_new_profile(os::Door& door, const std::string& path, const Profile& profile) {
  const auto written = files::change_file(door, path, versions_of(door, path), [&](const std::string& old) -> Text {
    if (old.empty()) return to_toml(profile);
    return tl::unexpected(Diagnostics{{"name-twice", Severity::error, "there is a profile of that name already", path,
                                       "choose another name; nothing was changed"}});
  });
  if (written) return std::nullopt;
  return written.error();
}

int refuse_file(const Diagnostics& problems) {
  tell(problems);
  const bool machine = std::ranges::any_of(problems, [](const Diagnostic& p) {
    return p.id == "cannot-write" || p.id == "busy-file" || p.id == "unreadable";
  });
  return machine ? machine_refuses : bad_input;
}

}  // namespace omnipar::cli
