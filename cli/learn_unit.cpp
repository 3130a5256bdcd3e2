// omnipar learn unit: a sheet for an unknown model.
#include <algorithm>
#include <memory>

#include <fmt/format.h>
#include <fmt/ranges.h>

#include "base/code_names.hpp"
#include "base/list.hpp"
#include "catalogue/lookup.hpp"
#include "changes.hpp"
#include "command.hpp"
#include "files/write.hpp"
#include "host/look.hpp"
#include "learn_arguments.hpp"
#include "learning_draft.hpp"
#include "learning_run.hpp"
#include "omnipar/sheets.hpp"
#include "omnipar/unit_learning.hpp"
#include "play/trace_host.hpp"
#include "suggest.hpp"

namespace omnipar::cli {
namespace {

/// The connected units, or those of the room.
tl::expected<std::vector<Description>, Diagnostics> nodes_there(const Sources& sources, const Catalogue& catalogue) {
  os::Door& door = os::real_door();
  if (sources.host.empty()) return play::used_nodes(catalogue, all_nodes(host::look_around(door)));
  auto room = read_room(door, sources.host, catalogue);
  if (!room) return tl::unexpected(Diagnostics{room.error()});
  return *room;
}

/// Adds sheets that make every unit readable with all its codes and without parts.
void hear_all(Catalogue& catalogue, const std::vector<Description>& nodes) {
  for (const UnitNodes& unit : group_nodes(nodes)) {
    UnitSheet sheet;
    for (const std::size_t n : unit.nodes) {
      const Description& node = nodes[n];
      if (node.ours) continue;
      sheet.identities.push_back({node.vendor, node.product, node.name});
      for (const CodeRange& range : node.codes) {
        ControlSheet control;
        control.code = range.code;
        control.role = control_name(node, range.code);
        if (range.code.type == ev_hid)
          control.raw = control.role;
        else
          control.node = node_kind_name(node_kind(node));
        sheet.controls.push_back(std::move(control));
      }
    }
    if (!sheet.controls.empty()) catalogue.units.push_back(std::move(sheet));
  }
}

/// The path of a sheet with that name.
tl::expected<std::string, Diagnostic> sheet_to_write(const LearnArguments& arguments, const std::string& word) {
  os::Door& door = os::real_door();
  auto path = profile_to_write(door, arguments.sources, word);  // the same arguments name it
  if (!path || files::is_file(word)) return path;
  return files::config_folder(door) + "/sheets/" + files::profile_name(word) + ".toml";
}

std::vector<LearnedNode> learned_nodes(const LearningRun& run) {
  std::vector<LearnedNode> nodes;
  for (const auto& [number, met] : run.answering()) nodes.push_back({number, met.node.description, met.is_main});
  return nodes;
}

std::string half_words(const ControlSheet& control) {
  return control.half == 0 ? "" : control.half < 0 ? ", the lower half" : ", the upper half";
}

class UnitLearning {
 public:
  explicit UnitLearning(const LearnArguments& arguments) : arguments_(arguments) {}
  [[nodiscard]] const std::string& kept_in() const noexcept { return kept_in_; }

  int run() {
    if (const auto problem = find_words()) return refuse_file({*problem});
    FoundSheets shelf = load_shelf(os::real_door(), arguments_.sources);
    tell(shelf.problems);
    if (const auto problem = find_base(shelf.catalogue)) return refuse_file({*problem});
    const auto nodes = nodes_there(arguments_.sources, shelf.catalogue);
    if (!nodes) return refuse_file(nodes.error());
    os::Door& door = os::real_door();
    const auto sheet = sheet_to_write(arguments_, arguments_.as.empty() ? "new-unit" : arguments_.as);
    const std::string draft = draft_path(door, sheet ? *sheet : "", 0, false);
    LearningRunOptions wanted = run_options(shelf.catalogue, *nodes);
    if (const auto problem = begin_from(draft, wanted)) return refuse_file({*problem});
    auto run = LearningRun::open(std::move(wanted));
    if (!run) {
      tell(run.error());
      return arguments_.sources.host.empty() ? machine_refuses : bad_input;
    }
    catalogue_ = &shelf.catalogue;
    const int status = learn_on(arguments_, **run);
    const bool is_kept = status == good && (*run)->learning().kept();
    const int kept = is_kept ? keep(**run) : status;
    if (is_kept && kept == good) {
      static_cast<void>(door.remove(draft));
      return good;
    }
    LearningDraft left = draft_of(**run);
    left.form = model_form_names()[static_cast<std::size_t>(form_)];
    left.by_letter = by_letter_;
    put_by(door, draft, **run, command(), left);
    return kept != good ? kept : found_something;
  }

 private:
  /// The same command again; the draft has the form.
  [[nodiscard]] std::string command() const {
    std::string all = "omnipar learn unit";
    if (!arguments_.parts.empty()) all += " --parts " + shell_word(fmt::format("{}", fmt::join(arguments_.parts, ",")));
    if (arguments_.base != "nothing") all += " --base " + shell_word(arguments_.base);
    if (!arguments_.only.empty()) all += " --only " + shell_word(fmt::format("{}", fmt::join(arguments_.only, ",")));
    if (!arguments_.as.empty()) all += " --as " + shell_word(arguments_.as);
    if (!arguments_.unit.empty()) all += " --unit " + shell_word(arguments_.unit);
    if (arguments_.with_virtual) all += " --with-virtual";
    return all + same_sources(arguments_.sources);
  }

  std::optional<Diagnostic> begin_from(const std::string& file, LearningRunOptions& run_options) {
    os::Door& door = os::real_door();
    if (!arguments_.resume) {
      if (has_draft(door, file)) talk("An earlier session was not saved: --resume continues it.");
      return std::nullopt;
    }
    auto draft = read_draft(door, file);
    if (!draft) return draft.error();
    const auto names = model_form_names();
    const auto form = std::ranges::find(names, draft->form);
    if (form != names.end()) form_ = static_cast<ModelForm>(form - names.begin());
    by_letter_ = draft->by_letter;
    run_options.learning.offers.clear();
    run_options.decided = {};
    set_asked(run_options);
    run_options.resumed = [draft = std::move(*draft)](const LearningRun& run) { return answers_of(draft, run); };
    return std::nullopt;
  }

  void set_asked(LearningRunOptions& run_options) {
    asked_ = model_questions(form_, by_letter_, arguments_.parts, {});
    run_options.questions.clear();
    for (const ModelQuestion& one : asked_) run_options.questions.push_back(one.question);
    run_options.title = fmt::format("a new model, as a {}", model_form_names()[static_cast<std::size_t>(form_)]);
  }

  std::optional<Diagnostic> find_words() {
    by_letter_ = arguments_.by == "letter";
    const auto names = model_form_names();
    if (arguments_.form.empty()) return refuses_to_keep();
    const auto at = std::ranges::find(names, arguments_.form);
    if (at == names.end())
      return learn_error("bad-word", fmt::format("there is no form '{}'", printable(arguments_.form)),
                         catalogue::suggestion(arguments_.form, names), "--form");
    form_ = static_cast<ModelForm>(at - names.begin());
    return refuses_to_keep();
  }

  /// Checked before the user starts: whether the result can be saved.
  [[nodiscard]] std::optional<Diagnostic> refuses_to_keep() const {
    os::Door& door = os::real_door();
    const auto path = sheet_to_write(arguments_, arguments_.as.empty() ? "new-unit" : arguments_.as);
    if (!path) return path.error();
    if (!arguments_.as.empty() && !door.real_path(*path).empty())
      return learn_error("name-twice", "a sheet of this name already exists", "choose another name: --as NAME", *path);
    return files::refuses_change(door, *path, files::versions_of(door, *path));
  }

  /// The path to save to: from the given name, otherwise from the unit's own, with a number if that is in use.
  [[nodiscard]] tl::expected<std::string, Diagnostic> free_path(const std::string& own_name) const {
    if (!arguments_.as.empty()) return sheet_to_write(arguments_, arguments_.as);
    std::string name = plain_word(own_name);
    auto path = sheet_to_write(arguments_, name);
    for (int number = 2; path && !os::real_door().real_path(*path).empty(); ++number)
      path = sheet_to_write(arguments_, fmt::format("{}-{}", name, number));
    return path;
  }

  std::optional<Diagnostic> find_base(const Catalogue& catalogue) {
    if (arguments_.base == "nothing" || arguments_.base == "convention") return std::nullopt;
    const auto at = std::ranges::find(catalogue.units, arguments_.base, &UnitSheet::name);
    if (at != catalogue.units.end()) {
      like_ = *at;
      return std::nullopt;
    }
    std::vector<std::string_view> names{"nothing", "convention"};
    for (const UnitSheet& sheet : catalogue.units) names.emplace_back(sheet.name);
    return learn_error("unknown-unit", fmt::format("there is no model '{}'", printable(arguments_.base)),
                       catalogue::suggestion(arguments_.base, names), "--base");
  }

  [[nodiscard]] UnitSheet base(const LearningRun& run) const {
    const std::vector<LearnedNode> nodes = learned_nodes(run);
    if (like_) return sheet_like(*like_, nodes);
    return arguments_.base == "convention" ? conventional_sheet(nodes) : UnitSheet{};
  }

  LearningRunOptions run_options(const Catalogue& catalogue, const std::vector<Description>& nodes) {
    LearningRunOptions run_options;
    run_options.session.catalogue = catalogue;
    hear_all(run_options.session.catalogue, nodes);
    watch_units_only(run_options.session);
    run_options.session.with_virtual = arguments_.with_virtual;
    if (!arguments_.sources.host.empty())
      run_options.room = Room{arguments_.sources.host, trace_lines(os::real_door(), arguments_.sources.host), {}};
    run_options.learning = options_of(arguments_);
    run_options.learning.for_sheet = true;
    run_options.learning.ends_when_used_up = arguments_.parts.empty();
    set_asked(run_options);
    if (arguments_.form.empty()) {
      run_options.title = "a new model";
      run_options.learning.offers = {form_offer({ModelForm::pad})};
      run_options.decided = [this](LearningRun& run, const std::string& offer, const std::string& choice) {
        decide(run, offer, choice);
      };
    } else if (arguments_.by.empty() && arguments_.only.empty() && has_face_buttons(form_)) {
      run_options.learning.offers = {face_offer()};
      run_options.decided = [this](LearningRun& run, const std::string& offer, const std::string& choice) {
        if (!offer.empty()) decide(run, offer, choice);
      };
    }
    run_options.unit = arguments_.unit;
    run_options.raw = true;
    run_options.asked_of = [this](const LearningRun& run) { return asked_of(run); };
    run_options.known_of = [this](const LearningRun& run) {
      std::vector<std::pair<std::string, std::string>> known;
      for (const ControlSheet& control : base(run).controls)
        known.emplace_back(control.raw.empty() ? std::string{base::code_name(control.code)} : control.raw,
                           control.role);
      return known;
    };
    return run_options;
  }

  [[nodiscard]] static LearnOffer form_offer(const std::vector<ModelForm>& forms) {
    LearnOffer offer{"form", "What is it?", {}};
    for (const ModelForm form : forms) offer.choices.emplace_back(model_form_names()[static_cast<std::size_t>(form)]);
    return offer;
  }
  [[nodiscard]] static LearnOffer face_offer() {
    return {"face", "Name its face buttons", {"by position", "by letter"}};
  }

  /// First the form, from the unit's controls; then the naming of its face buttons, if it has some.
  void decide(LearningRun& run, const std::string& offer, const std::string& choice) {
    if (offer.empty()) return run.learning().offer(form_offer(likely_forms(descriptions(run))));
    if (offer == "form") {
      const auto names = model_form_names();
      form_ = static_cast<ModelForm>(std::ranges::find(names, choice) - names.begin());
      if (arguments_.by.empty() && arguments_.only.empty() && has_face_buttons(form_))
        run.learning().offer(face_offer());
    } else {
      by_letter_ = choice == face_offer().choices.back();
    }
    LearningRunOptions again;
    set_asked(again);
    run.learning().set_questions(std::move(again.questions));
    run.learning().ask_only(asked_of(run));
  }

  [[nodiscard]] static std::vector<Description> descriptions(const LearningRun& run) {
    std::vector<Description> nodes;
    for (const LearnedNode& node : learned_nodes(run)) nodes.push_back(node.description);
    return nodes;
  }

  /// Without a base, every control that the unit may have; with one, only those requested or missing.
  [[nodiscard]] std::vector<std::string> asked_of(const LearningRun& run) const {
    const std::vector<Description> nodes = descriptions(run);
    const UnitSheet known = base(run);
    std::vector<std::string> names;
    for (const ModelQuestion& one : model_questions(form_, by_letter_, arguments_.parts, nodes)) {
      const bool is_named = std::ranges::find(arguments_.only, one.role) != arguments_.only.end() ||
                            std::ranges::find(arguments_.only, one.question.name) != arguments_.only.end();
      const bool is_known = std::ranges::any_of(known.controls, [&one](const ControlSheet& control) {
        return control.role == one.role || (control.role == "dpad" && one.role.starts_with("dpad-"));
      });
      if (is_named || (arguments_.only.empty() && !is_known)) names.push_back(one.question.name);
    }
    return names;
  }

  int keep(const LearningRun& run) {
    os::Door& door = os::real_door();
    const std::vector<LearnedNode> nodes = learned_nodes(run);
    const auto main = std::ranges::find(nodes, true, &LearnedNode::is_main);
    if (main == nodes.end())
      return refuse_file({learn_error("no-unit", "the unit was disconnected", "reconnect it and try again")});
    const auto path = free_path(main->description.name);
    if (!path) return refuse_file({path.error()});
    const UnitSheet sheet =
        learned_sheet(plain_word(files::profile_name(*path)), nodes, asked_, run.learning(), left_out_, base(run));
    if (sheet.controls.empty()) {
      talk("There were no answers, so there is nothing to save.");
      return found_something;
    }
    const auto written = files::change_file(
        door, *path, files::versions_of(door, *path),
        [&](const std::string& old) -> tl::expected<std::string, Diagnostics> {
          if (old.empty()) return to_toml(sheet);
          return tl::unexpected(Diagnostics{learn_error("name-twice", "a sheet of this name already exists",
                                                        "choose another name: --as NAME; nothing was changed", *path)});
        });
    if (!written) return refuse_file(written.error());
    kept_in_ = *path;
    return show_kept(*path, main->description, sheet);
  }

  /// The saved file is read back for certainty.
  int show_kept(const std::string& path, const Description& unit, const UnitSheet& sheet) {
    Sources again = arguments_.sources;
    again.data.push_back(path);
    const FoundSheets shelf = load_shelf(os::real_door(), again);
    const UnitSheet* found = find_unit_sheet(shelf.catalogue, unit);
    if (found == nullptr || found->name != sheet.name || found->controls.size() != sheet.controls.size()) {
      tell(shelf.problems);
      tell({learn_error("kept-otherwise", "the saved file differs from what was learned", "check the file", path)});
      return machine_refuses;
    }
    if (arguments_.json) {
      print_json({{"kept", true}, {"file", path}, {"model", sheet.name}, {"controls", sheet.controls.size()}}, 2);
      return good;
    }
    for (const ControlSheet& control : sheet.controls) {
      std::string parts;
      for (const std::string& part : control.parts) parts += (parts.empty() ? "" : ", ") + part;
      const std::string code = control.raw.empty() ? std::string{base::code_name(control.code)} : control.raw;
      const std::string axis = control.axis == Axis::x ? ", x" : control.axis == Axis::y ? ", y" : "";
      print(fmt::format("  {:<24}{:<24}{}", (control.node.empty() ? "" : control.node + "/") + code,
                        control.role + axis + half_words(control) + (control.reversed ? ", reversed" : ""), parts));
    }
    if (!left_out_.empty())
      talk(fmt::format("Not in the sheet, because a control has one role and an axis is not a button: {}.",
                       some_listed(left_out_, 16)));
    print(fmt::format("Saved to {}: {} of \"{}\" have a role.", path, quantity(sheet.controls.size(), "control"),
                      sheet.title));
    const std::string data = arguments_.sources.host.empty() ? "" : " --data " + shell_word(path);
    std::vector<std::string> roles;
    for (const ControlSheet& control : sheet.controls) roles.push_back(control.role);
    const std::string options = data + same_host(arguments_.sources.host);
    const std::string machine = machine_for(*catalogue_, roles);
    if (machine.empty())
      talk("Next: " + play_command(*catalogue_, roles, options));
    else
      talk(fmt::format("Next: omnipar play {0}{1}, or omnipar learn profile {0}{1}", machine, options));
    return good;
  }

  const LearnArguments& arguments_;
  ModelForm form_ = ModelForm::pad;
  bool by_letter_ = false;
  const Catalogue* catalogue_ = nullptr;
  std::optional<UnitSheet> like_;
  std::string kept_in_;
  std::vector<std::string> left_out_;
  std::vector<ModelQuestion> asked_;
};

}  // namespace

int learn_unit(const LearnArguments& arguments, std::string* kept) {
  UnitLearning learning{arguments};
  const int status = learning.run();
  if (kept != nullptr) *kept = learning.kept_in();
  return status;
}

std::vector<std::string> only_unknown_units(const Sources& sources, const Catalogue& catalogue) {
  constexpr Code enter = key(28), space = key(57), left_button = key(0x110);
  const auto nodes = nodes_there(sources, catalogue);
  if (!nodes) return {};
  std::vector<std::string> unknown;
  for (const Description& node : *nodes) {
    if (node.ours || node.made_by_program) continue;
    if (is_playable(catalogue, node)) return {};
    const auto is_key = [](const CodeRange& range) { return range.code.type == ev_key; };
    const auto keys = std::ranges::count_if(node.codes, is_key);
    constexpr int of_a_keyboard = 70;
    const bool is_keyboard = node.find(enter) != nullptr && node.find(space) != nullptr && keys >= of_a_keyboard;
    const bool is_mouse = node.find(left_button) != nullptr && node.find(relative(0)) != nullptr;
    constexpr int of_a_panel = 4;
    if (!is_keyboard && !is_mouse && keys >= of_a_panel) unknown.push_back(printable(node.name));
  }
  return unknown;
}

}  // namespace omnipar::cli
