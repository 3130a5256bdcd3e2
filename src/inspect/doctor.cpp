#include "inspect/doctor.hpp"

#include <algorithm>
#include <array>

#include <fmt/format.h>

#include "base/list.hpp"
#include "base/shell_word.hpp"
#include "identity/serial.hpp"
#include "inspect/leftover.hpp"
#include "omnipar/identity.hpp"
#include "omnipar/role.hpp"

namespace omnipar::inline abi_0::inspect {
namespace {

constexpr const char* fix_command = "sudo omnipar doctor --fix";

Finding about_uinput(const Facts& facts) {
  if (facts.uinput_usable) return {"uinput", State::good, "Virtual controllers can be created (/dev/uinput).", ""};
  if (!facts.uinput_exists)
    return {"uinput", State::wrong,
            "Virtual controllers cannot be created: the kernel's uinput module is not loaded (no /dev/uinput).",
            fix_command};
  return {"uinput", State::wrong, "Virtual controllers cannot be created: you have no permission for /dev/uinput.",
          fix_command};
}

Finding about_permission(const Facts& facts) {
  std::string shut;
  for (const NodeFact& node : facts.nodes)
    if (!node.readable && node.pad_like) shut += (shut.empty() ? "" : ", ") + node.path;
  if (shut.empty())
    return {"permission", State::good, "You have permission to read every connected pad and joystick.", ""};
  return {"permission", State::wrong,
          fmt::format("You have no permission to read {}. If the rule is already installed, log out and back in, or "
                      "reconnect the controller.",
                      shut),
          fix_command};
}

std::vector<Description> readable_nodes(const Facts& facts) {
  std::vector<Description> nodes;
  for (const NodeFact& node : facts.nodes)
    if (node.readable) nodes.push_back(node.description);
  return nodes;
}

std::vector<Description> all_descriptions(const Facts& facts) {
  std::vector<Description> nodes;
  for (const NodeFact& node : facts.nodes) nodes.push_back(node.description);
  return nodes;
}

std::string words_of(const std::vector<Other>& others) {
  std::vector<std::string> words;
  for (const Other& other : others) words.push_back(other.words);
  return some_listed(words);
}

Finding about_pads(const Facts& facts, const Catalogue& catalogue) {
  const auto nodes = readable_nodes(facts);
  std::size_t pads = 0;
  std::size_t virtual_ones = 0;
  for (const UnitNodes& unit : group_nodes(nodes)) {
    if (std::ranges::none_of(unit.nodes, [&](std::size_t i) { return is_playable(catalogue, nodes[i]); })) continue;
    (nodes[unit.main()].made_by_program ? virtual_ones : pads) += 1;
  }
  const auto shut =
      std::ranges::count_if(facts.nodes, [](const NodeFact& node) { return !node.readable && node.pad_like; });
  if (pads > 0)
    return {"units", State::good,
            fmt::format("{} controller{} connected; 'omnipar units' lists {}.", pads, pads == 1 ? " is" : "s are",
                        pads == 1 ? "it" : "them"),
            ""};
  if (shut > 0)
    return {"units", State::hint, "Controllers are connected, but you have no permission to read them yet.", ""};
  std::string text = "No controller is connected. Plug one in; if it is wireless, switch it on and press a button.";
  if (const auto more = others(catalogue, all_descriptions(facts)); !more.empty())
    text += fmt::format(" (These units need a sheet before you can use them: {}.)", words_of(more));
  if (virtual_ones > 0) text += " (To include virtual controllers of other programs, use --with-virtual.)";
  return {"units", State::wrong, text, ""};
}

Finding about_rule(const Facts& facts) {
  if (facts.rule_installed)
    return {"rule", State::good,
            "The udev rule that gives the user at the screen access to uinput and pads is installed.", ""};
  const bool needed =
      !facts.uinput_usable || std::ranges::any_of(facts.nodes, [](const NodeFact& n) { return !n.readable; });
  return {"rule", needed ? State::wrong : State::hint,
          needed ? "The udev rule that gives the user at the screen access to uinput and pads is missing."
                 : fmt::format("It works for {}, but the udev rule for other users at the screen is not installed.",
                               facts.root ? "root" : "you"),
          fix_command};
}

// -- one finding for each problem; nothing is reported about what works ------------------------------------------

using Findings = std::vector<Finding>;

std::string shown(const Description& node) { return "\"" + printable(node.name) + "\""; }

/// "A", "B" and "C", each once.
class Names {
 public:
  void add(const std::string& name) {
    if (std::ranges::find(names_, name) == names_.end()) names_.push_back(name);
  }
  [[nodiscard]] bool empty() const { return names_.empty(); }
  [[nodiscard]] const std::string& first() const { return names_.front(); }
  [[nodiscard]] std::string text() const {
    std::string all;
    for (std::size_t i = 0; i < names_.size(); ++i)
      all += (i == 0 ? "" : i + 1 == names_.size() ? " and " : ", ") + names_[i];
    return all;
  }

 private:
  std::vector<std::string> names_;
};

void add_held(const Facts& facts, Findings& findings) {
  for (const NodeFact& node : facts.nodes)
    if (node.grabbed && (node.played || node.openers.starts_with("omnipar (process ")))
      findings.push_back({"played", State::good,
                          fmt::format("{} ({}) is in use by {}.", shown(node.description), node.path, node.openers),
                          ""});
    else if (node.grabbed)
      findings.push_back(
          {"grabbed", State::wrong,
           fmt::format("{} ({}) is grabbed by another program{}: no input from it arrives.", shown(node.description),
                       node.path, node.openers.empty() ? ", which only root can see" : ", " + node.openers),
           node.opener > 0        ? fmt::format("kill {}", node.opener)
           : node.openers.empty() ? "sudo omnipar doctor"
                                  : ""});
}

/// Units with missing controls because their raw reports are inaccessible.
void add_shut_raw(const Facts& facts, const Catalogue& catalogue, Findings& findings) {
  for (const NodeFact& node : facts.nodes)
    if (const std::string lost = lost_without_raw(node, catalogue); !lost.empty())
      findings.push_back(
          {"raw", State::wrong,
           fmt::format("{} ({}): {}. Its raw reports ({}) have them all, but you have no permission to read them.",
                       shown(node.description), node.path, lost, node.shut_raw_path),
           fix_command});
}

/// Quotes text for a command that can be pasted.
std::string as_word(std::string_view shown) {
  if (shown.size() > 1 && shown.starts_with('"') && shown.ends_with('"')) shown = shown.substr(1, shown.size() - 2);
  return base::shell_word(shown);
}

void add_panels(const Facts& facts, const Catalogue& catalogue, Findings& findings) {
  Names shut;
  Names unknown;
  for (const NodeFact& node : facts.nodes) {
    if (node.description.ours || node.description.made_by_program || node.pad_like) continue;
    const bool has_sheet = find_unit_sheet(catalogue, node.description) != nullptr;
    if (has_sheet && !node.readable) shut.add(shown(node.description));
  }
  for (const Other& other : others(catalogue, all_descriptions(facts))) unknown.add("\"" + other.name + "\"");
  if (!shut.empty())
    findings.push_back({"panel", State::wrong,
                        fmt::format("You have no permission to read {}: it reports itself as a keyboard or mouse, and "
                                    "those need a rule for their model.",
                                    shut.text()),
                        "omnipar doctor --rule " + as_word(shut.first())});
  if (!unknown.empty())
    findings.push_back({"keyboards", State::hint,
                        fmt::format("{}: no sheet describes it, so it cannot be used to play. Panels, encoders, guns "
                                    "and trackballs need a sheet. An ordinary keyboard or mouse does not.",
                                    unknown.text()),
                        "omnipar catalogue report " + as_word(unknown.first())});
}

bool is_there(const Facts& facts, const std::string& address) {
  return std::ranges::any_of(facts.nodes, [&](const NodeFact& node) {
    return !node.description.serial.empty() &&
           identity::plain_serial(node.description.serial) == identity::plain_serial(address);
  });
}

bool has_controller(const Facts& facts, const Catalogue& catalogue) {
  return std::ranges::any_of(facts.nodes, [&](const NodeFact& node) {
    return node.readable ? is_playable(catalogue, node.description) : node.pad_like;
  });
}

void add_radio(const Facts& facts, const Catalogue& catalogue, const Rig& rig, Findings& findings) {
  const bool wanted = std::ranges::any_of(rig.units, [&](const RigUnit& unit) {
    return identity::is_address(unit.serial) && !is_there(facts, unit.serial);
  });
  if (facts.radio == Radio::off)
    findings.push_back({"radio", wanted ? State::wrong : State::hint,
                        "Bluetooth is off, so wireless pads cannot connect.", "rfkill unblock bluetooth"});
  if (facts.radio == Radio::none && wanted)
    findings.push_back({"radio", State::wrong,
                        "This computer has no Bluetooth, but a unit in the rig is wireless. Plug in a Bluetooth "
                        "adapter or the unit's cable.",
                        ""});
  else if (facts.radio == Radio::none && !has_controller(facts, catalogue))
    findings.push_back(
        {"radio", State::hint,
         "This computer has no Bluetooth: only wired units and units with their own receiver can connect.", ""});
  for (const PairedFact& pad : facts.paired)
    if (!is_there(facts, pad.address))
      findings.push_back(
          {"paired", State::hint,
           fmt::format(
               "\"{}\" is paired but not connected: it is asleep, off or out of range. Press one of its buttons.",
               printable(pad.name)),
           facts.radio == Radio::on ? "bluetoothctl connect " + pad.address : ""});
  if (facts.radio == Radio::on && !facts.pairings_known && wanted)
    findings.push_back({"paired", State::hint,
                        "The Bluetooth daemon does not respond, so paired pads cannot be listed.",
                        "systemctl start bluetooth"});
}

/// Pads of a receiver or an adapter that have not reported.
void add_sockets(const Facts& facts, const Catalogue& catalogue, Findings& findings) {
  std::vector<Description> nodes;
  for (const NodeFact& node : facts.nodes)
    if (node.readable && is_playable(catalogue, node.description)) nodes.push_back(node.description);
  Names silent;
  for (const UnitNodes& unit : group_nodes(nodes)) {
    Description main = nodes[unit.main()];
    main.half = unit.half;
    if (unit.shares_device && is_silent(attach_node(catalogue, main, main)))
      silent.add(fmt::format("\"{}\" in {}", own_name(main), printable(main.socket)));
  }
  if (!silent.empty())
    findings.push_back({"sockets", State::hint,
                        fmt::format("No input from {}: its socket is empty, or its pad is off.", silent.text()), ""});
}

/// The main nodes of all connections, as the rig identifies them.
std::vector<Description> mains_of(const Facts& facts) {
  std::vector<Description> nodes;
  for (const NodeFact& node : facts.nodes) nodes.push_back(node.description);
  std::vector<Description> mains;
  const auto add = [&](const Connection& way) {
    mains.push_back(nodes[way.nodes.front()]);
    mains.back().half = way.half;
  };
  for (const UnitNodes& unit : group_nodes(nodes)) {
    add(unit);
    for (const Connection& spare : unit.spares) add(spare);
  }
  return mains;
}

/// Units in the rig that are not connected.
void add_away(const Facts& facts, const Rig& rig, Findings& findings) {
  Names away;
  const std::vector<Description> mains = mains_of(facts);
  for (const RigUnit& unit : rig.units) {
    if (unit.seat.empty()) continue;
    const Rig alone{{unit}, {}};
    const bool here = std::ranges::any_of(mains, [&](const Description& main) {
      const auto found = matches(alone, main, unit.part);
      return !found.empty() && found.front().confidence != MatchConfidence::no;
    });
    if (!here) away.add(fmt::format("\"{}\" ({})", printable(unit.name), unit.seat));
  }
  if (!away.empty())
    findings.push_back(
        {"away", State::hint,
         fmt::format("{} of the rig is not connected. Its player can use another unit: press a button on it.",
                     away.text()),
         ""});
}

/// Typing panels press keys that desktops react to.
void add_desktop(const Facts& facts, const Catalogue& catalogue, Findings& findings) {
  constexpr std::array shift = {key(42), key(54)};
  constexpr std::array shortcut = {key(29), key(56), key(97), key(100), key(125), key(126)};
  Names sticky;
  Names desktop;
  for (const NodeFact& node : facts.nodes) {
    const UnitSheet* sheet = find_unit_sheet(catalogue, node.description);
    if (sheet == nullptr || !node.types) continue;
    for (const ControlSheet& control : sheet->controls) {
      if (role_kind(control.role) != RoleKind::button || control.role.starts_with("key-")) continue;
      if (std::ranges::find(shift, control.code) != shift.end())
        sticky.add(fmt::format("{}'s '{}'", shown(node.description), control.label));
      if (std::ranges::find(shortcut, control.code) != shortcut.end())
        desktop.add(fmt::format("{}'s '{}'", shown(node.description), control.label));
    }
  }
  constexpr const char* hold = "omnipar play PROFILE";
  if (!sticky.empty())
    findings.push_back({"sticky-keys", State::hint,
                        fmt::format("{} is a shift key: pressing it five times turns on the desktop's sticky keys. "
                                    "During play the panel is grabbed, so the desktop receives no input from it. To be "
                                    "safe before play, turn sticky keys off in the desktop settings.",
                                    sticky.text()),
                        hold});
  if (!desktop.empty())
    findings.push_back(
        {"shortcuts", State::hint,
         fmt::format("{} is a modifier key for desktop shortcuts: together with a lever it may switch windows. During "
                     "play the panel is grabbed, so the desktop receives no input from it.",
                     desktop.text()),
         hold});
}

/// Without a private namespace no program can be kept from the units.
void add_hiding(const Facts& facts, Findings& findings) {
  if (facts.namespaces_need.empty()) return;
  findings.push_back(
      {"alone", State::hint,
       fmt::format(
           "'play --alone' cannot hide controllers from a game because only root may create namespaces here. To allow "
           "it permanently, write '{}' into /etc/sysctl.d/71-omnipar.conf; the command below allows it until reboot.",
           facts.namespaces_need),
       "sudo sysctl -w " + facts.namespaces_need});
}

}  // namespace

std::string lost_without_raw(const NodeFact& node, const Catalogue& catalogue) {
  if (!node.readable || node.shut_raw_path.empty() || node.description.ours) return "";
  return reason_for_raw(catalogue, node.description, node.descriptor);
}

std::vector<Finding> diagnose(const Facts& facts, const Catalogue& catalogue, const Rig& rig) {
  Findings findings{about_uinput(facts), about_permission(facts), about_rule(facts), about_pads(facts, catalogue)};
  add_held(facts, findings);
  add_hiding(facts, findings);
  add_shut_raw(facts, catalogue, findings);
  add_panels(facts, catalogue, findings);
  add_radio(facts, catalogue, rig, findings);
  add_sockets(facts, catalogue, findings);
  add_away(facts, rig, findings);
  add_desktop(facts, catalogue, findings);
  return findings;
}

}  // namespace omnipar::inline abi_0::inspect
