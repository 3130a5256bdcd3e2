#include "learn/odd_unit.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>
#include <utility>

#include <fmt/format.h>

namespace omnipar::test {

OddUnit::OddUnit(ModelForm form, unsigned seed) : dice_(seed), keys_(40), axes_{0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10} {
  std::iota(keys_.begin(), keys_.end(), std::uint16_t{0x120});
  std::shuffle(keys_.begin(), keys_.end(), dice_);
  std::shuffle(axes_.begin(), axes_.end(), dice_);
  rate = std::array{30.0, 60.0, 125.0, 250.0}[static_cast<std::size_t>(below(4))];
  is_noisy = below(3) == 0;
  build(form);
  describe();
}

// -- its controls -----------------------------------------------------------------------------------------------

std::size_t OddUnit::add_node(const std::string& name) {
  Description node;
  node.name = name;
  node.vendor = 0x1209;
  node.product = 0x000d;
  nodes.push_back(std::move(node));
  return nodes.size() - 1;
}

void OddUnit::key(std::size_t node, const std::string& act) {
  acts_[act].push_back({channels_.size(), 1, 0});
  channels_.push_back({node, omnipar::key(keys_.back())});
  keys_.pop_back();
}

std::size_t OddUnit::axis(std::size_t node, double rest) {
  constexpr std::array ranges = std::to_array<std::pair<std::int32_t, std::int32_t>>(
      {{0, 255}, {0, 1023}, {-32768, 32767}, {-127, 127}, {0, 65535}, {1, 255}});
  const auto [low, high] = ranges[static_cast<std::size_t>(below(ranges.size()))];
  Channel made{node, absolute(axes_.back()), low, high, rest};
  made.noise = is_noisy ? between(0, 0.06) / 2 : 0;
  made.at = rest;
  axes_.pop_back();
  channels_.push_back(made);
  return channels_.size() - 1;
}

std::size_t OddUnit::counter(std::size_t node, std::uint16_t code) {
  channels_.push_back({node, relative(code), 0, 0});
  return channels_.size() - 1;
}

std::size_t OddUnit::hat(std::size_t node) {
  const bool is_second = std::ranges::any_of(channels_, [](const Channel& one) { return one.code == absolute(0x10); });
  channels_.push_back({node, absolute(is_second ? 0x11 : 0x10), -1, 1, 0.5, 0, 0.5});
  return channels_.size() - 1;
}

/// Less and more of an axis around its rest; which end is which is unknown.
void OddUnit::two_ways(std::size_t channel, const std::string& less, const std::string& more, double reach) {
  const bool is_turned = below(3) == 0;
  const double rest = channels_[channel].rest;
  acts_[less].push_back({channel, is_turned ? rest + (1 - rest) * reach : rest * (1 - reach), 0});
  acts_[more].push_back({channel, is_turned ? rest * (1 - reach) : rest + (1 - rest) * reach, 0});
}

/// A hat, four buttons, two axes, or a hat and buttons at once.
void OddUnit::cross(std::size_t node, bool may_be_axes) {
  const int kind = below(may_be_axes ? 4 : 3);
  if (kind == 0 || kind == 2) {
    two_ways(hat(node), "dpad-left", "dpad-right", 1);
    two_ways(hat(node), "dpad-up", "dpad-down", 1);
  }
  if (kind == 1 || kind == 2)
    for (const char* way : {"dpad-up", "dpad-down", "dpad-left", "dpad-right"}) key(node, way);
  if (kind == 3) {
    two_ways(axis(node, 0.5), "dpad-left", "dpad-right", 1);
    two_ways(axis(node, 0.5), "dpad-up", "dpad-down", 1);
  }
}

void OddUnit::stick(std::size_t node, const std::string& role) {
  for (const auto& [less, more] : {std::pair{"-left", "-right"}, std::pair{"-up", "-down"}}) {
    const std::size_t channel = axis(node, 0.5 + between(-0.05, 0.05));
    channels_[channel].stops_beside = between(0, 0.03);
    two_ways(channel, role + less, role + more, between(0.85, 1));
  }
}

/// At rest at its lower end or at its upper one; with a switch that closes on the way; or only a switch.
void OddUnit::trigger(std::size_t node, const std::string& role) {
  const int kind = below(4);
  if (kind == 0) return key(node, role);
  const bool rests_high = below(2) == 0;
  const std::size_t channel = axis(node, rests_high ? 1 : 0);
  const double reach = between(0.75, 1);
  acts_[role].push_back({channel, rests_high ? 1 - reach : reach, 0});
  if (kind != 1) return;
  acts_[role].push_back({channels_.size(), 1, between(0.1, 0.6)});
  channels_.push_back({node, omnipar::key(keys_.back())});
  keys_.pop_back();
}

void OddUnit::pedals_on_one(std::size_t node) {
  const bool turned = below(2) == 0;
  two_ways(axis(node, 0.5), turned ? "left-trigger" : "right-trigger", turned ? "right-trigger" : "left-trigger",
           between(0.85, 1));
}

void OddUnit::counts(std::size_t channel, const std::string& less, const std::string& more) {
  const double counts = between(300, 900) * (below(2) == 0 ? 1 : -1);
  acts_[less].push_back({channel, -counts, 0});
  acts_[more].push_back({channel, counts, 0});
}

/// A position between two ends, not self-centering.
void OddUnit::place(std::size_t channel, const std::string& less, const std::string& more) {
  const bool turned = below(2) == 0;
  const double margin = between(0, 0.12);
  acts_[less].push_back({channel, turned ? 1 - margin : margin, 0});
  acts_[more].push_back({channel, turned ? margin : 1 - margin, 0});
  channels_[channel].at = between(0, 1);
}

void OddUnit::build(ModelForm form) {
  const auto some = [this](std::size_t node, std::initializer_list<const char*> roles, int least) {
    int count = least + below(static_cast<int>(roles.size()) - least + 1);
    for (const char* role : roles)
      if (count-- > 0) key(node, role);
  };
  const std::size_t main = add_node("Heron Mystery Unit");
  constexpr std::uint16_t rel_x = 0, rel_y = 1, rel_dial = 7;
  switch (form) {
    case ModelForm::pad: {
      const int sticks = below(3);
      some(main, {"south", "east", "west", "north", "start", "select", "left-shoulder", "right-shoulder", "home"}, 4);
      cross(main, sticks == 0);
      for (int i = 0; i < sticks; ++i) stick(main, i == 0 ? "left-stick" : "right-stick");
      if (below(3) != 0)
        for (const char* role : {"left-trigger", "right-trigger"}) trigger(main, role);
      break;
    }
    case ModelForm::panel:
      cross(main, true);
      some(main, {"west", "north", "left-shoulder", "south", "east", "right-shoulder", "start", "coin"}, 4);
      break;
    case ModelForm::wheel: {
      const std::size_t wheel = axis(main, 0.5 + between(-0.04, 0.04));
      channels_[wheel].stops_beside = between(0, 0.03);
      two_ways(wheel, "wheel-left", "wheel-right", between(0.8, 1));
      if (below(2) == 0)
        pedals_on_one(main);
      else
        for (const char* role : {"right-trigger", "left-trigger"}) trigger(main, role);
      if (below(3) == 0) trigger(main, "pedal");
      some(main, {"south", "east", "west", "north", "start", "select"}, 2);
      if (below(2) == 0) cross(main, false);
      break;
    }
    case ModelForm::yoke:
      for (const auto& [less, more] : {std::pair{"-left", "-right"}, std::pair{"-up", "-down"}})
        two_ways(axis(main, 0.5), std::string{"left-stick"} + less, std::string{"left-stick"} + more, between(0.85, 1));
      place(axis(main, 0), "throttle-low", "throttle-high");
      if (below(2) == 0) two_ways(axis(main, 0.5), "wheel-left", "wheel-right", 1);
      some(main, {"south", "east", "west", "north", "start", "select"}, 2);
      if (below(2) == 0) cross(main, false);
      break;
    case ModelForm::mat:
      some(main,
           {"dpad-up", "dpad-down", "dpad-left", "dpad-right", "south", "north", "west", "east", "start", "select"}, 6);
      break;
    case ModelForm::ball:
      counts(counter(main, rel_x), "trackball-left", "trackball-right");
      counts(counter(main, rel_y), "trackball-up", "trackball-down");
      some(main, {"south", "east", "west", "north", "start", "coin"}, 1);
      break;
    case ModelForm::spinner:
      counts(counter(main, below(2) == 0 ? rel_dial : rel_x), "spinner-left", "spinner-right");
      some(main, {"south", "east", "west", "north", "start", "coin"}, 1);
      break;
    default: {
      if (below(2) == 0) {
        place(axis(main, 0), "gun-left", "gun-right");
        place(axis(main, 0), "gun-up", "gun-down");
      } else {
        counts(counter(main, rel_x), "gun-left", "gun-right");
        counts(counter(main, rel_y), "gun-up", "gun-down");
      }
      const std::size_t other = below(2) == 0 ? add_node("Heron Mystery Unit Keyboard") : main;
      key(main, "trigger");
      if (other != main) std::iota(keys_.begin(), keys_.end(), std::uint16_t{2});  // a keyboard's
      some(other, {"reload", "start", "coin"}, 1);
    }
  }
}

void OddUnit::describe() {
  for (Channel& channel : channels_) {
    const double width = static_cast<double>(channel.high) - channel.low;
    if (channel.code.type != ev_key && channel.code.type != ev_rel)
      channel.said = static_cast<std::int32_t>(std::lround(channel.low + channel.at * width));
    const bool is_hat = channel.low == -1 && channel.high == 1;
    const bool is_silent = channel.code.type == ev_abs && !is_hat && below(2) == 0;
    nodes[channel.node].codes.push_back({channel.code, channel.low, channel.high, is_silent ? 0 : channel.said});
  }
  for (Description& node : nodes) std::ranges::sort(node.codes, {}, &CodeRange::code);
}

// -- what it does -----------------------------------------------------------------------------------------------

std::vector<std::string> OddUnit::acts() const {
  std::vector<std::string> all;
  for (const auto& [act, drives] : acts_) all.push_back(act);
  return all;
}

void OddUnit::act(const std::string& name, double amount) {
  for (const Drive& drive : acts_.at(name)) {
    Channel& channel = channels_[drive.channel];
    if (channel.code.type == ev_key)
      channel.at = amount > drive.closes_at ? 1 : 0;
    else if (channel.code.type == ev_rel)
      channel.at += drive.full * amount;
    else
      channel.at = channel.rest + (drive.full - channel.rest) * amount +
                   (amount == 0 ? std::copysign(channel.stops_beside, drive.full - channel.rest) : 0);
  }
}

std::vector<std::pair<std::size_t, std::vector<Change>>> OddUnit::reports() {
  std::vector<std::pair<std::size_t, std::vector<Change>>> all;
  for (std::size_t node = 0; node < nodes.size(); ++node) {
    std::vector<Change> changes;
    for (Channel& channel : channels_) {
      if (channel.node != node) continue;
      if (channel.code.type == ev_rel) {
        const auto whole = static_cast<std::int32_t>(channel.at);
        channel.at -= whole;
        if (whole != 0) changes.push_back({channel.code, whole});
        continue;
      }
      const double at = std::clamp(channel.at + channel.noise * between(-1, 1), 0.0, 1.0);
      const auto value = channel.code.type == ev_key
                             ? static_cast<std::int32_t>(channel.at)
                             : static_cast<std::int32_t>(
                                   std::lround(channel.low + at * (static_cast<double>(channel.high) - channel.low)));
      if (value == channel.said) continue;
      channel.said = value;
      changes.push_back({channel.code, value});
    }
    if (!changes.empty()) all.emplace_back(node, std::move(changes));
  }
  return all;
}

// -- who learns it ----------------------------------------------------------------------------------------------

std::string act_for(const ModelQuestion& asked) {
  const std::string& role = asked.role;
  if (asked.question.motion == LearnMotion::span && role == "pedal") return "throttle-high";
  if (asked.question.kind != TargetKind::two_sided && asked.question.kind != TargetKind::turns) return role;
  if (asked.axis == Axis::y) return role + (asked.question.upwards ? "-up" : "-down");
  return role + "-right";
}

Newcomer::Newcomer(OddUnit& unit, Learning& learning, unsigned seed) : unit_(unit), learning_(learning), dice_(seed) {}

void Newcomer::wait(double ms) {
  const double step = 1000 / unit_.rate;
  for (double left = ms; left > 0; left -= step) {
    now_ += Duration{static_cast<std::int64_t>(std::min(left, step) * 1000)};
    for (const auto& [node, changes] : unit_.reports()) learning_.feed(static_cast<int>(node), {now_, changes});
    learning_.advance(now_);
    if (!unit_.is_noisy && left == ms && ms > 2 * step) {  // nothing happens in between
      now_ += Duration{static_cast<std::int64_t>((ms - step) * 1000)};
      learning_.advance(now_);
      return;
    }
  }
}

void Newcomer::ramp(const std::string& act, double from, double to, double ms) {
  const double step = 1000 / unit_.rate;
  for (double at = step; at < ms; at += step) {
    unit_.act(act, from + (to - from) * at / ms);
    wait(step * 0.999);
  }
  unit_.act(act, to);
  wait(step);
}

void Newcomer::press(const std::string& act) {
  ++presses;
  const bool counts = act.starts_with("trackball") || act.starts_with("spinner");
  if (counts) {
    for (int i = 0; i < 10; ++i) {
      unit_.act(act, 0.1);
      wait(30);
    }
    return wait(700);
  }
  ramp(act, 0, 1, between(20, 160));
  wait(dice_() % 12 == 0 ? between(600, 1200) : between(80, 400));  // occasional slow movements
  ramp(act, 1, 0, between(20, 120));
  wait(250);
}

void Newcomer::span(const std::string& from, const std::string& to) {
  ++presses;
  const bool counts = !unit_.acts().empty() && unit_.nodes[0].find(relative(0)) != nullptr;
  if (counts) {
    for (int i = 0; i < 10; ++i) unit_.act(from, 0.06), wait(30);
    wait(between(0, 900));
    for (int i = 0; i < 20; ++i) unit_.act(to, 0.1), wait(30);
  } else {
    ramp(from, 0.4, 1, 400);
    wait(between(0, 900));
    for (int i = 0; i <= 20; ++i) {
      const double part = i / 20.0;
      unit_.act(part < 0.5 ? from : to, part < 0.5 ? 1 - 2 * part : 2 * part - 1);
      wait(40);
    }
  }
  wait(between(100, 500));
  unit_.act(button(), 1);
  wait(between(60, 300));
  unit_.act(button(), 0);
  wait(250);
}

std::string Newcomer::button() const {
  for (const char* role : {"trigger", "south", "dpad-up"})
    if (unit_.has(role)) return role;
  return "";
}

void Newcomer::hold(double ms) {
  unit_.act(button(), 1);
  wait(ms);
  unit_.act(button(), 0);
  wait(300);
}

void Newcomer::read() {
  while (const auto event = learning_.next_event()) {
    said += to_text(*event, learning_) + "\n";
    waits_ = event->kind == LearnEvent::Kind::waits;
    if (event->kind == LearnEvent::Kind::rejects) ++refused;
    if (event->kind == LearnEvent::Kind::accepts && !event->by_itself) ++answered;
  }
}

bool Newcomer::finish(const std::vector<ModelQuestion>& asked) {
  for (int turns = 0; turns < 90 && !learning_.over(); ++turns) {
    wait(between(150, 600));
    read();
    if (std::exchange(waits_, false)) wait(2000), read();
    if (!learning_.asked()) {
      hold(1700);
      hold(1700);
      continue;
    }
    const std::string& name = learning_.questions()[*learning_.asked()].name;
    const auto question = std::ranges::find(asked, name, [](const ModelQuestion& one) { return one.question.name; });
    const std::string act = act_for(*question);
    const bool is_last = std::all_of(asked.begin() + (question - asked.begin()), asked.end(),
                                     [this](const ModelQuestion& one) { return !unit_.has(act_for(one)); });
    if (is_last)
      hold(3500);
    else if (!unit_.has(act))
      learning_.choose(LearnChoice::skip);
    else if (question->question.motion == LearnMotion::span)
      act.starts_with("throttle") ? span("throttle-low", act)
      : question->axis == Axis::y ? span("gun-down", act)
                                  : span("gun-left", act);
    else
      press(act);
    wait(400);
    read();
  }
  return learning_.over();
}

// -- what becomes of it -----------------------------------------------------------------------------------------

namespace {

/// A machine that has a target for every role.
Catalogue machine_for_all() {
  std::string text =
      "omnipar = 1\nkind = \"system\"\nname = \"all\"\ntitle = \"all\"\n[[port]]\nnumber = 1\ntakes = [\"all\"]\n"
      "[[controller]]\nname = \"all\"\ntitle = \"all\"\ndirections = []\n";
  const auto add = [&text](const std::string& name, const char* type, const std::string& sources) {
    text += fmt::format("[[controller.target]]\nname = \"{}\"\ntype = \"{}\"\ndefault = [{}]\n", name, type, sources);
  };
  for (const char* role : {"south", "east", "west", "north", "start", "select", "coin", "home", "left-shoulder",
                           "right-shoulder", "trigger", "reload"})
    add(fmt::format("b-{}", role), "button", fmt::format("\"{}\"", role));
  for (const char* way : {"up", "down", "left", "right"})
    add(fmt::format("b-dpad-{}", way), "button", fmt::format("\"dpad-{0}\"", way));
  for (const char* role : {"left-trigger", "right-trigger", "pedal"})
    add(fmt::format("t-{}", role), "trigger", fmt::format("\"{}\"", role));
  for (const char* role : {"left-stick", "right-stick"})
    add(fmt::format("s-{}", role), "stick", fmt::format("\"{}\"", role));
  add("w-wheel", "wheel", "\"wheel\"");
  add("p-gun", "pointer", "\"gun\"");
  add("m-mouse", "movement", "\"mouse\"");
  add("m-trackball", "movement", "\"trackball\"");
  add("c-spinner", "spinner", "\"spinner\"");
  Catalogue catalogue;
  Sheets sheets = read_sheets("all.toml", text);
  catalogue.systems = std::move(sheets.systems);
  return catalogue;
}

/// The targets that an act should move, and the side, by the plan's names.
struct Meant {
  std::string target;
  double sign = 1;
};

std::vector<Meant> meant_by(const std::string& act, bool axes_are_directions, bool is_mouse) {
  const auto stem = [&act] { return act.substr(0, act.rfind('-')); };
  const auto end = act.substr(act.rfind('-') + 1);
  const bool is_x = end == "left" || end == "right";
  const double sign = end == "left" || end == "up" ? -1 : 1;
  const std::string half = is_x ? "-x" : "-y";
  if (act.starts_with("dpad-"))
    return axes_are_directions ? std::vector<Meant>{{"s-left-stick" + half, sign}} : std::vector<Meant>{{"b-" + act}};
  if (act.ends_with("-trigger") || act == "pedal" || act.starts_with("throttle"))
    return {{act.starts_with("throttle") ? "t-pedal" : "t-" + act}};
  if (act.starts_with("left-stick-") || act.starts_with("right-stick-")) return {{"s-" + stem() + half, sign}};
  if (act.starts_with("wheel-")) return {{"w-wheel", sign}};
  if (act.starts_with("gun-")) return {{(is_mouse ? "m-mouse" : "p-gun") + half, sign}};
  if (act.starts_with("trackball-")) return {{"m-trackball" + half, sign}};
  if (act.starts_with("spinner-")) return {{"c-spinner", sign}};
  return {{"b-" + act}};
}

}  // namespace

std::string judge_sheet(const UnitSheet& sheet, ModelForm form, unsigned seed, const std::vector<std::string>& meant) {
  static const Catalogue machine = machine_for_all();
  if (machine.systems.empty()) return "the machine cannot be read";
  const Sheets read = read_sheets("mystery.toml", to_toml(sheet));
  if (!read.problems.empty()) return read.problems.front().message;
  Catalogue catalogue = machine;
  catalogue.units = read.units;
  const auto profile = propose(catalogue, "all");
  if (!profile) return profile.error().front().message;
  const auto plan = compile(catalogue, *profile);
  if (!plan) return plan.error().front().message;
  const bool has_axes_for_directions =
      std::ranges::any_of(sheet.controls, [](const ControlSheet& c) { return c.role == "left-stick"; }) &&
      std::ranges::none_of(sheet.controls, [](const ControlSheet& c) { return c.role.starts_with("dpad"); });
  const bool is_mouse = std::ranges::any_of(sheet.controls, [](const ControlSheet& c) { return c.role == "mouse"; });
  for (const std::string& act : meant) {
    OddUnit unit{form, seed};
    unit.is_noisy = false;
    Engine engine{*plan};
    Reader reader{engine};
    std::vector<UnitId> ids;
    for (const Description& node : unit.nodes) {
      Attachment attachment = attach_node(catalogue, unit.nodes[0], node);
      attachment.seat = std::string{plan->port(1)->seat};
      ids.push_back(engine.attach(attachment).value());
    }
    std::int64_t time = 0;
    const auto say = [&] {
      for (const auto& [node, changes] : unit.reports()) engine.feed(ids.at(node), {at_us(time += 1000), changes});
      reader.next_frame();
    };
    const auto values = [&] {
      std::map<std::string, double> all;
      for (std::size_t t = 0; t < plan->targets().size(); ++t)
        all[std::string{plan->targets()[t].name}] = reader.value({static_cast<std::uint16_t>(t)});
      return all;
    };
    unit.say_axes();
    // From its other end, or from rest, to its intended position.
    const bool is_place = act.starts_with("gun-") || act.starts_with("throttle");
    const std::string back = act.ends_with("-right")  ? act.substr(0, act.size() - 5) + "left"
                             : act.ends_with("-down") ? act.substr(0, act.size() - 4) + "up"
                             : act.ends_with("-up")   ? act.substr(0, act.size() - 2) + "down"
                             : act == "throttle-high" ? "throttle-low"
                                                      : act;
    for (const double amount : {0.3, is_place && !is_mouse ? 1.0 : 0.0}) {
      unit.act(is_place ? back : act, amount);
      say();
    }
    const auto before = values();
    unit.act(act, 1);
    say();
    const auto after = values();
    for (const auto& [target, value] : after) {
      const double moved = value - before.at(target);
      double wanted = 0;
      for (const Meant& one : meant_by(act, has_axes_for_directions, is_mouse))
        if (one.target == target) wanted = one.sign;
      const bool is_right = wanted == 0 ? std::fabs(moved) < 0.3 : moved * wanted > 0.5;
      if (!is_right && !target.ends_with("-on"))
        return fmt::format("{} moves {} by {:.2f}, from {:.2f}\n{}", act, target, moved, before.at(target),
                           to_toml(sheet));
    }
  }
  return "";
}

}  // namespace omnipar::test
