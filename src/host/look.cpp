#include "host/look.hpp"

#include <fcntl.h>

#include <cerrno>
#include <cstring>

#include <fmt/format.h>

#include "files/write.hpp"
#include "host/node.hpp"
#include "host/watch.hpp"

namespace omnipar::host {
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

inspect::NodeFact look_at(os::Door& door, const NodePlace& place) {
  inspect::NodeFact fact;
  fact.path = place.path;
  int error = 0;
  if (const auto node = open_node(door, place.path, place.syspath, error)) {
    fact.description = node->description();
    return fact;
  }
  fact.readable = false;
  fact.pad_like = has_joystick_node(door, place.syspath);
  return fact;
}

}  // namespace

inspect::Facts look_around(os::Door& door) {
  inspect::Facts facts;
  int error = 0;
  facts.uinput_usable = can_open(door, "/dev/uinput", O_RDWR, error);
  facts.uinput_exists = facts.uinput_usable || (error != -ENOENT && error != -ENODEV);
  facts.rule_installed = can_open(door, rule_path, O_RDONLY, error);
  facts.root = door.is_root();
  if (const auto watch = open_watch())
    for (const NodePlace& place : watch->present()) facts.nodes.push_back(look_at(door, place));
  return facts;
}

std::string rule_text() {
  return "# Omnipar: whoever sits at the screen may make virtual controllers and read pads and joysticks.\n"
         "# Keyboards, mice and raw HID nodes stay closed.\n"
         "KERNEL==\"uinput\", SUBSYSTEM==\"misc\", TAG+=\"uaccess\", OPTIONS+=\"static_node=uinput\"\n"
         "SUBSYSTEM==\"input\", KERNEL==\"event*\", ENV{ID_INPUT_JOYSTICK}==\"1\", TAG+=\"uaccess\"\n";
}

Mended mend(os::Door& door) {
  Mended mended;
  const auto note = [&mended](bool good, const std::string& text) {
    mended.all = mended.all && good;
    mended.lines.push_back((good ? "done:   " : "failed: ") + text);
  };
  const auto install = [&](const char* path, const std::string& text) {
    const auto failure = files::write_whole(door, path, text);
    note(!failure, failure ? fmt::format("{}: {}", failure->place, failure->message) : fmt::format("wrote {}", path));
  };
  note(door.run({"modprobe", "uinput"}) == 0, "load the kernel's uinput module (modprobe uinput)");
  install(module_path, "# Omnipar: virtual controllers need it\nuinput\n");
  install(rule_path, rule_text());
  note(door.run({"udevadm", "control", "--reload"}) == 0, "tell udev (udevadm control --reload)");
  note(door.run({"udevadm", "trigger", "--subsystem-match=input", "--subsystem-match=misc"}) == 0,
       "apply the rule to what is plugged in (udevadm trigger)");
  return mended;
}

}  // namespace omnipar::host
