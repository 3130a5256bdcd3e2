#include "host/look.hpp"

#include <fcntl.h>

#include <algorithm>
#include <cctype>
#include <array>
#include <cerrno>
#include <cstdlib>
#include <cstring>

#include <fmt/format.h>

#include "base/list.hpp"
#include "files/read.hpp"
#include "files/write.hpp"
#include "host/alone.hpp"
#include "host/claims.hpp"
#include "host/node.hpp"
#include "host/pairings.hpp"
#include "host/raw.hpp"
#include "host/watch.hpp"
#include "omnipar/identity.hpp"

namespace omnipar::inline abi_0::host {
namespace {

bool can_open(os::Door& door, const char* path, int flags, int& error) {
  const int number = door.open(path, flags | O_NONBLOCK);
  error = number < 0 ? number : 0;
  if (number >= 0) door.close(number);
  return number >= 0;
}

/// Pads have a js node beside their event node; that much can be seen without permission.
bool has_joystick_node(os::Door& door, const std::string& syspath) {
  const std::size_t end = syspath.rfind('/');
  for (const std::string& name : door.names_in(syspath.substr(0, end)))
    if (name.starts_with("js")) return true;
  return false;
}

/// USB 2.0, table 9-13: full and low speed poll every bInterval ms, high speed every 2^(bInterval-1) eighths of one.
int polling_interval_us(os::Door& door, const std::string& syspath) {
  const std::string folder = interface_folder(syspath);
  if (folder.empty()) return 0;
  const bool high_speed = std::strtol(line_of(door, folder + "/../speed").c_str(), nullptr, 10) >= 480;
  for (const std::string& name : door.names_in(folder)) {
    if (!name.starts_with("ep_8")) continue;  // interrupt IN endpoints
    const long interval = std::strtol(line_of(door, fmt::format("{}/{}/bInterval", folder, name)).c_str(), nullptr, 16);
    constexpr long longest = 16;
    if (interval <= 0 || (high_speed && interval > longest)) return 0;
    return static_cast<int>(high_speed ? 125L << (interval - 1) : interval * 1000);
  }
  return 0;
}

/// A hexadecimal number in a small file in /sys; 0 if there is none.
unsigned long number_of(os::Door& door, const std::string& path) {
  return std::strtoul(line_of(door, path).c_str(), nullptr, 16);
}

/// Keyboards repeat keys in the kernel, and pads do not.
bool repeats_keys(os::Door& door, const std::string& folder) {
  constexpr unsigned long ev_rep = 1UL << 0x14;
  return (number_of(door, folder + "/capabilities/ev") & ev_rep) != 0;
}

inspect::NodeFact look_at(os::Door& door, const NodePath& where) {
  inspect::NodeFact fact;
  fact.path = where.path;
  const std::string folder = where.syspath.substr(0, where.syspath.rfind('/'));
  fact.types = repeats_keys(door, folder);
  const std::string hid = hid_folder(where.syspath);
  fact.descriptor = report_descriptor_of(door, hid);
  int shut = 0;
  const std::string raw = raw_node_of(door, hid);
  if (!raw.empty()) (can_open(door, raw.c_str(), O_RDONLY, shut) ? fact.raw_path : fact.shut_raw_path) = raw;
  fact.pad_like = has_joystick_node(door, where.syspath);
  int error = 0;
  if (const auto node = open_node(door, where.path, where.syspath, error)) {
    fact.description = node->description();
    fact.description.polling_interval_us = polling_interval_us(door, where.syspath);
    fact.grabbed = node->is_grabbed_by_another();
    if (!fact.grabbed) return fact;
    const Openers openers = openers_of(door, where.path);
    fact.openers = openers.names;
    fact.opener = openers.only;
    // Omnipar's own claims are visible even for other users' processes.
    const int player = Claims{door}.holder(ClaimKeys{fact.description}, false);
    fact.played = player != 0;
    if (fact.openers.empty() && player != 0) fact.openers = name_of_process(door, player);
    return fact;
  }
  fact.readable = false;
  fact.description = describe_unopened(where.path, where.syspath);
  return fact;
}

// -- the radio ------------------------------------------------------------------------------------------------

inspect::Radio look_at_radio(os::Door& door) {
  for (const std::string& name : door.names_in("/sys/class/rfkill")) {
    const std::string folder = "/sys/class/rfkill/" + name;
    if (line_of(door, folder + "/type") != "bluetooth") continue;
    if (line_of(door, folder + "/soft") == "1" || line_of(door, folder + "/hard") == "1") return inspect::Radio::off;
  }
  return door.names_in("/sys/class/bluetooth").empty() ? inspect::Radio::none : inspect::Radio::on;
}

}  // namespace

std::string name_of_process(os::Door& door, int process) {
  return fmt::format("{} (process {})", line_of(door, fmt::format("/proc/{}/comm", process)), process);
}

Openers openers_of(os::Door& door, const std::string& node) {
  Openers openers;
  const std::string self = door.real_path("/proc/self");
  for (const std::string& process : door.names_in("/proc")) {
    const std::string folder = "/proc/" + process;
    if (process.find_first_not_of("0123456789") != std::string::npos || folder == self) continue;
    for (const std::string& descriptor : door.names_in(folder + "/fd")) {
      if (door.real_path(fmt::format("{}/fd/{}", folder, descriptor)) != node) continue;
      openers.only = openers.names.empty() ? static_cast<int>(std::strtol(process.c_str(), nullptr, 10)) : 0;
      openers.names += (openers.names.empty() ? "" : ", ") + name_of_process(door, std::atoi(process.c_str()));
      break;
    }
  }
  return openers;
}

inspect::Facts look_around(os::Door& door) {
  inspect::Facts facts;
  int error = 0;
  facts.uinput_usable = can_open(door, "/dev/uinput", O_RDWR, error);
  facts.uinput_exists = facts.uinput_usable || (error != -ENOENT && error != -ENODEV);
  facts.rule_installed =
      can_open(door, rule_path, O_RDONLY, error) || can_open(door, packaged_rule_path, O_RDONLY, error);
  facts.root = door.is_root();
  facts.namespaces_need = setting_for_namespaces(door);
  facts.radio = look_at_radio(door);
  auto paired = paired_units();
  facts.pairings_known = paired.has_value();
  facts.paired = std::move(paired).value_or(std::vector<inspect::PairedFact>{});
  if (const auto watch = open_watch())
    for (const NodePath& where : watch->present()) facts.nodes.push_back(look_at(door, where));
  return facts;
}

std::vector<ModelFact> models_named(os::Door& door, const std::string& name) {
  std::vector<ModelFact> found;
  const auto watch = open_watch();
  if (!watch) return found;
  for (const NodePath& where : watch->present()) {
    const std::string folder = where.syspath.substr(0, where.syspath.rfind('/'));
    ModelFact fact{line_of(door, folder + "/name"), line_of(door, folder + "/id/vendor"),
                   line_of(door, folder + "/id/product"), where.path};
    if (fact.name.find(name) != std::string::npos) found.push_back(std::move(fact));
  }
  return found;
}

namespace {

/// Opens the raw node of one model; HID devices are named by their ids in capitals: "0003:1209:0009.0001".
std::string raw_rule(std::string vendor, std::string product) {
  for (std::string* id : {&vendor, &product})
    std::ranges::transform(*id, id->begin(), [](unsigned char c) { return static_cast<char>(std::toupper(c)); });
  return fmt::format("SUBSYSTEM==\"hidraw\", KERNELS==\"*:{}:{}.*\", TAG+=\"uaccess\"\n", vendor, product);
}

/// The lines for raw nodes in an existing rule, including those of units that are not connected now.
std::vector<std::string> raw_rules_in(os::Door& door) {
  std::vector<std::string> rules;
  const auto text = files::read_text(door, rule_path);
  for (std::string_view rest = text ? std::string_view{*text} : std::string_view{}; !rest.empty();) {
    const std::string_view line = rest.substr(0, std::min(rest.find('\n'), rest.size() - 1) + 1);
    rest.remove_prefix(line.size());
    if (line.starts_with("SUBSYSTEM==\"hidraw\"")) rules.emplace_back(line);
  }
  return rules;
}

}  // namespace

std::string model_rule(const ModelFact& model) {
  return fmt::format(
             "SUBSYSTEM==\"input\", KERNEL==\"event*\", ATTRS{{id/vendor}}==\"{}\", ATTRS{{id/product}}==\"{}\", "
             "TAG+=\"uaccess\"\n",
             model.vendor, model.product) +
         raw_rule(model.vendor, model.product);
}

std::string rule_text() {
  return "# Omnipar: the user logged in at the screen may create virtual controllers and read pads and joysticks.\n"
         "# Keyboards, mice and raw HID nodes stay closed, except for the models listed below.\n"
         "KERNEL==\"uinput\", SUBSYSTEM==\"misc\", TAG+=\"uaccess\", OPTIONS+=\"static_node=uinput\"\n"
         "SUBSYSTEM==\"input\", KERNEL==\"event*\", ENV{ID_INPUT_JOYSTICK}==\"1\", TAG+=\"uaccess\"\n";
}

namespace {

void tell_udev(os::Door& door, Fixed& fixed) {
  fixed.note(door.run({"udevadm", "control", "--reload"}) == 0, "reload udev (udevadm control --reload)");
  fixed.note(door.run({"udevadm", "trigger", "--subsystem-match=input", "--subsystem-match=hidraw",
                       "--subsystem-match=misc"}) == 0,
             "apply the rule to connected devices (udevadm trigger)");
}

}  // namespace

void Fixed::note(bool good, const std::string& text) {
  all = all && good;
  lines.push_back((good ? "done:   " : "failed: ") + text);
}

Fixed uninstall(os::Door& door) {
  Fixed fixed;
  for (const char* path : {rule_path, module_path}) {
    const int removed = door.remove(path);
    if (removed == -ENOENT) continue;
    fixed.note(removed == 0,
               removed == 0 ? fmt::format("removed {}", path) : fmt::format("{}: {}", path, std::strerror(-removed)));
  }
  if (!fixed.lines.empty()) tell_udev(door, fixed);
  return fixed;
}

Fixed fix(os::Door& door, const Catalogue& catalogue) {
  Fixed fixed;
  const auto note = [&fixed](bool good, const std::string& text) { fixed.note(good, text); };
  const auto install = [&](const char* path, const std::string& text) {
    const auto failure = files::write_whole(door, path, text, files::Readers::everybody);
    note(!failure, failure ? fmt::format("{}: {}", failure->place, failure->message) : fmt::format("wrote {}", path));
  };
  std::vector<std::string> raw_rules = raw_rules_in(door);
  std::vector<std::string> opened;
  for (const inspect::NodeFact& node : look_around(door).nodes) {
    if (!node.readable || reason_for_raw(catalogue, node.description, node.descriptor).empty()) continue;
    const std::string rule =
        raw_rule(fmt::format("{:04x}", node.description.vendor), fmt::format("{:04x}", node.description.product));
    if (std::ranges::find(raw_rules, rule) != raw_rules.end()) continue;
    raw_rules.push_back(rule);
    opened.push_back(fmt::format("\"{}\"", printable(node.description.name)));
  }
  note(door.run({"modprobe", "uinput"}) == 0, "load the kernel's uinput module (modprobe uinput)");
  install(module_path, "# Omnipar: required for virtual controllers\nuinput\n");
  std::string rules = rule_text();
  for (const std::string& rule : raw_rules) rules += rule;
  install(rule_path, rules);
  if (!opened.empty() && fixed.all)
    note(true, fmt::format("gave access to the raw reports of {}, whose event nodes lack some controls",
                           some_listed(opened)));
  tell_udev(door, fixed);
  return fixed;
}

}  // namespace omnipar::inline abi_0::host
