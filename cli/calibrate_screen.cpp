// omnipar calibrate screen
#include <algorithm>
#include <charconv>
#include <cmath>

#include <fmt/format.h>

#include "base/list.hpp"
#include "calibrate_arguments.hpp"
#include "catalogue/lookup.hpp"
#include "changes.hpp"
#include "omnipar/identity.hpp"
#include "omnipar/sheets.hpp"
#include "text/edit.hpp"
#include "text/quoted.hpp"

namespace omnipar::cli {
namespace {

/// Parses a number of values with a separator; nothing for other text.
std::optional<std::vector<double>> numbers_in(std::string_view text, char between, std::size_t count) {
  std::vector<double> all;
  while (all.size() < count) {
    double number = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), number);
    if (error != std::errc{} || !std::isfinite(number) || std::fabs(number) > 100'000) return std::nullopt;
    all.push_back(number);
    text.remove_prefix(static_cast<std::size_t>(end - text.data()));
    if (all.size() == count) break;
    if (text.empty() || text.front() != between) return std::nullopt;
    text.remove_prefix(1);
  }
  return text.empty() ? std::optional{all} : std::nullopt;
}

/// The same for whole numbers.
std::optional<std::vector<double>> whole_numbers_in(std::string_view text, char between, std::size_t count) {
  auto all = numbers_in(text, between, count);
  if (all && !std::ranges::all_of(*all, [](double number) { return number == std::floor(number); }))
    return std::nullopt;
  return all;
}

Diagnostic bad(const std::string& option, const std::string& value, const std::string& hint) {
  return {"bad-arguments", Severity::error, fmt::format("invalid {} '{}'", option, printable(value)), "", hint};
}

std::string box_words(const AreaBox& box, PixelSize size) {
  return fmt::format("{:g} x {:g} pixels at {:g}, {:g}", std::round(box.width * size.width),
                     std::round(box.height * size.height), std::round(box.left * size.width),
                     std::round(box.top * size.height));
}

std::string screen_words(const Screen& screen) {
  const PixelSize size = seen_size(screen);
  std::string text = fmt::format("{}: {:g} x {:g} pixels", screen.name, size.width, size.height);
  if (screen.turned != QuarterTurn::none)
    text += fmt::format(" as mounted, with its own top edge {}", screen.turned == QuarterTurn::upside_down
                                                                     ? "below"
                                                                     : "to the " + std::string{word_of(screen.turned)});
  text += fmt::format(", at {}, {} of the desktop", screen.left, screen.top);
  if (screen.scale != 1) text += fmt::format(", {:g} pixels per desktop unit", screen.scale);
  return text;
}

class ScreenCalibration {
 public:
  explicit ScreenCalibration(const ScreenArguments& arguments) : arguments_(arguments) {}

  int run() {
    auto rig = load_rig(os::real_door(), arguments_.sources);
    const bool begins_one = !rig && rig.error().front().id == "no-file" && !arguments_.size.empty();
    if (!rig && !begins_one) return refuse_file(rig.error());
    if (rig) rig_ = std::move(*rig);
    if (arguments_.forget) return forget();
    if (changes()) {
      if (const int status = change(); status != good) return status;
    }
    return show();
  }

 private:
  [[nodiscard]] bool changes() const {
    return !arguments_.size.empty() || !arguments_.at.empty() || !arguments_.turned.empty() || arguments_.scale != 0;
  }
  [[nodiscard]] std::vector<Screen>::iterator named() {
    return std::ranges::find(rig_.screens, arguments_.name, &Screen::name);
  }
  int refuse(const Diagnostic& problem) {
    tell({problem});
    return bad_input;
  }
  [[nodiscard]] Diagnostic unknown() const { return catalogue::find_screen(rig_.screens, arguments_.name).error(); }

  int change() {
    if (arguments_.name.empty())
      return refuse({"bad-arguments", Severity::error, "the screen needs a name", "",
                     "omnipar calibrate screen booth --size 1920x1080"});
    const auto at = named();
    if (at == rig_.screens.end() && arguments_.size.empty()) return refuse(unknown());
    Screen screen = at != rig_.screens.end() ? *at : Screen{arguments_.name};
    if (!arguments_.size.empty()) {
      const auto size = whole_numbers_in(arguments_.size, 'x', 2);
      if (!size || (*size)[0] < 1 || (*size)[1] < 1)
        return refuse(bad("--size", arguments_.size, "expected whole pixels, WIDTHxHEIGHT: 1920x1080"));
      screen.width = static_cast<int>((*size)[0]);
      screen.height = static_cast<int>((*size)[1]);
    }
    if (!arguments_.at.empty()) {
      const auto corner = whole_numbers_in(arguments_.at, ',', 2);
      if (!corner) return refuse(bad("--at", arguments_.at, "expected whole numbers, LEFT,TOP: 1920,0"));
      screen.left = static_cast<int>((*corner)[0]);
      screen.top = static_cast<int>((*corner)[1]);
    }
    if (!arguments_.turned.empty()) screen.turned = quarter_turn(arguments_.turned).value_or(QuarterTurn::none);
    if (arguments_.scale != 0) screen.scale = arguments_.scale;
    const int status = change_rig(arguments_.sources, [&](Rig& now) -> std::optional<Diagnostic> {
      const auto its = std::ranges::find(now.screens, arguments_.name, &Screen::name);
      if (its == now.screens.end())
        now.screens.push_back(screen);
      else
        apply(*its, screen);
      return std::nullopt;
    });
    if (status != good) return status;
    at != rig_.screens.end() ? void(*at = screen) : rig_.screens.push_back(screen);
    return good;
  }

  int forget() {
    if (named() == rig_.screens.end()) return refuse(unknown());
    const int status = change_rig(arguments_.sources, [&](Rig& now) -> std::optional<Diagnostic> {
      std::erase_if(now.screens, [&](const Screen& screen) { return screen.name == arguments_.name; });
      return std::nullopt;
    });
    if (status != good) return status;
    talk(fmt::format("\"{}\" was removed from the rig.", printable(arguments_.name)));
    return good;
  }

  /// Sets the given fields; the others keep their current values.
  void apply(Screen& screen, const Screen& wanted) const {
    if (!arguments_.size.empty()) std::tie(screen.width, screen.height) = std::tie(wanted.width, wanted.height);
    if (!arguments_.at.empty()) std::tie(screen.left, screen.top) = std::tie(wanted.left, wanted.top);
    if (!arguments_.turned.empty()) screen.turned = wanted.turned;
    if (arguments_.scale != 0) screen.scale = wanted.scale;
  }

  int show() {
    if (!arguments_.name.empty() && named() == rig_.screens.end()) return refuse(unknown());
    std::vector<Screen> shown = rig_.screens;
    if (!arguments_.name.empty()) shown = {*named()};
    if (shown.empty()) {
      talk("The rig has no screens. Next: omnipar calibrate screen booth --size 1920x1080");
      return good;
    }
    const auto spec = parse_area(arguments_.area.empty() ? "4:3" : arguments_.area);
    if (!spec) return refuse(spec.error());
    std::optional<std::vector<double>> rectangle;
    if (!arguments_.rectangle.empty()) {
      rectangle = numbers_in(arguments_.rectangle, ',', 4);
      if (!rectangle || !((*rectangle)[2] > 0 && (*rectangle)[3] > 0))
        return refuse(bad("--rectangle", arguments_.rectangle, "write left,top,width,height: 240,0,1440,1080"));
    }
    auto all = nlohmann::ordered_json::array();
    for (const Screen& screen : shown) {
      const PixelSize size = seen_size(screen);
      const AreaBox seen = seen_part(area_on(size, *spec));
      const auto pixels = [](double value) { return std::round(100 * value) / 100; };
      nlohmann::ordered_json one{{"name", screen.name},
                                 {"size", {size.width, size.height}},
                                 {"area", to_text(*spec)},
                                 {"rectangle",
                                  {pixels(seen.left * size.width), pixels(seen.top * size.height),
                                   pixels(seen.width * size.width), pixels(seen.height * size.height)}}};
      if (const auto problem = area_problem(size, *spec)) tell({*problem});
      if (!arguments_.json) {
        print(screen_words(screen));
        print(fmt::format("  a game that is \"{}\": {}", to_text(*spec), box_words(seen, size)));
      }
      if (rectangle) {
        const AreaBox box{(*rectangle)[0] / size.width, (*rectangle)[1] / size.height, (*rectangle)[2] / size.width,
                          (*rectangle)[3] / size.height};
        const std::string said = to_text(spec_for(size, box));
        one["words"] = said;
        if (!arguments_.json) print(fmt::format("  {}: area = \"{}\"", box_words(box, size), said));
      }
      all.push_back(one);
    }
    if (arguments_.json) print_json(all, 2);
    talk(fmt::format("Next: screen = \"{}\" and area = \"{}\" in a profile; omnipar calibrate gun{}",
                     shown.front().name, to_text(*spec), same_rig(arguments_.sources)));
    return good;
  }

  const ScreenArguments& arguments_;
  Rig rig_;
};

}  // namespace

int calibrate_screen(const ScreenArguments& arguments) { return ScreenCalibration{arguments}.run(); }

}  // namespace omnipar::cli
