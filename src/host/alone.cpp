#include "host/alone.hpp"

#include <fcntl.h>
#include <sched.h>
#include <sys/mount.h>
#include <sys/wait.h>
#include <unistd.h>

#include <algorithm>
#include <cerrno>
#include <cstdlib>
#include <set>

#include <fmt/format.h>

#include "files/read.hpp"
#include "host/node.hpp"

namespace omnipar::inline abi_0::host {
namespace {

constexpr const char* input_folder = "/dev/input";

/// "/sys/…/input12" of "/sys/…/input12/event3".
std::string above(const std::string& path) { return path.substr(0, path.rfind('/')); }

bool is_node(const std::string& name) {
  return name.starts_with("event") || name.starts_with("js") || name.starts_with("mouse");
}

int put(os::Door& door, const char* path, const std::string& text) {
  const os::Descriptor file{door, door.open(path, O_WRONLY)};
  if (!file) return file.get();
  return os::write_all(door, file.get(), std::as_bytes(std::span{text}));
}

/// The user keeps the same id, inside and outside.
int enter_own_namespace(os::Door& door) {
  if (door.is_root()) return door.unshare(CLONE_NEWNS);
  const unsigned user = door.user();
  const unsigned group = door.group();
  int result = door.unshare(CLONE_NEWUSER | CLONE_NEWNS);
  if (result == 0) result = put(door, "/proc/self/setgroups", "deny");
  if (result == 0) result = put(door, "/proc/self/uid_map", fmt::format("{0} {0} 1", user));
  if (result == 0) result = put(door, "/proc/self/gid_map", fmt::format("{0} {0} 1", group));
  return result;
}

/// The nodes are opened before the folder is covered, and bound under their old names afterwards.
int cover_input_folder(os::Door& door, const std::vector<std::string>& visible) {
  std::vector<os::Descriptor> open;
  for (const std::string& path : visible) open.emplace_back(door, door.open(path, O_PATH));
  int result = door.mount("tmpfs", input_folder, "tmpfs", MS_NOSUID | MS_NOEXEC, "mode=0755");
  for (std::size_t i = 0; i < visible.size() && result == 0; ++i) {
    if (!open[i]) continue;  // it disappeared
    const os::Descriptor covered{door, door.open(visible[i], O_WRONLY | O_CREAT)};
    result = covered ? door.mount(fmt::format("/proc/self/fd/{}", open[i].get()), visible[i], "", MS_BIND, "")
                     : covered.get();
  }
  return result;
}

}  // namespace

Alone without(os::Door& door, std::span<const std::string> syspaths) {
  std::set<std::string> inputs;
  std::set<std::string> devices;
  for (const std::string& syspath : syspaths) {
    inputs.insert(above(syspath));
    if (const std::string device = device_of(syspath); !device.empty()) devices.insert(device);
  }
  Alone alone;
  bool a_mouse_is_hidden = false;
  const std::vector<std::string> names = door.names_in(input_folder);
  for (const std::string& name : names) {
    if (!is_node(name)) continue;
    const bool hidden = inputs.contains(above(door.real_path("/sys/class/input/" + name)));
    if (!hidden) alone.visible.push_back(fmt::format("{}/{}", input_folder, name));
    a_mouse_is_hidden = a_mouse_is_hidden || (hidden && name.starts_with("mouse"));
  }
  // The combined node of all mice would also report a hidden one.
  if (!a_mouse_is_hidden && std::ranges::find(names, "mice") != names.end())
    alone.visible.push_back(fmt::format("{}/mice", input_folder));
  for (const std::string& name : door.names_in("/sys/class/hidraw"))
    if (devices.contains(device_of(door.real_path("/sys/class/hidraw/" + name)))) alone.raw.push_back("/dev/" + name);
  return alone;
}

int go_alone(os::Door& door, const Alone& alone) {
  int result = enter_own_namespace(door);
  if (result == 0) result = door.mount("", "/", "", MS_REC | MS_PRIVATE, "");
  for (const std::string& raw : alone.raw) {
    const int bound = result == 0 ? door.mount("/dev/null", raw, "", MS_BIND, "") : 0;
    if (bound != -ENOENT) result = bound < 0 ? bound : result;
  }
  return result == 0 ? cover_input_folder(door, alone.visible) : result;
}

int hide_also(os::Door& door, pid_t process, std::span<const std::string> syspaths) {
  std::set<std::string> inputs;
  for (const std::string& syspath : syspaths) inputs.insert(above(syspath));
  std::vector<std::string> nodes = without(door, syspaths).raw;
  for (const std::string& name : door.names_in(input_folder))
    if (is_node(name) && inputs.contains(above(door.real_path("/sys/class/input/" + name))))
      nodes.push_back(fmt::format("{}/{}", input_folder, name));
  const pid_t child = door.fork();
  if (child < 0) return child;
  if (child == 0) {  // in a separate process: this one stays where it is
    int result = door.enter_namespaces_of(process);
    for (const std::string& node : nodes) {
      const int bound = result == 0 ? door.mount("/dev/null", node, "", MS_BIND, "") : 0;
      if (bound != -ENOENT) result = bound < 0 ? bound : result;  // most do not exist at all
    }
    ::_exit(-result);
  }
  const int status = door.wait_for(child);
  return status < 0 ? status : -(WIFEXITED(status) ? WEXITSTATUS(status) : EIO);
}

std::string setting_for_namespaces(os::Door& door) {
  if (door.is_root()) return {};
  struct Setting {
    const char* path;
    const char* needed;
    bool refuses_at_zero;
  };
  constexpr Setting settings[]{
      {"/proc/sys/kernel/unprivileged_userns_clone", "kernel.unprivileged_userns_clone=1", true},
      {"/proc/sys/user/max_user_namespaces", "user.max_user_namespaces=1000", true},
      {"/proc/sys/kernel/apparmor_restrict_unprivileged_userns", "kernel.apparmor_restrict_unprivileged_userns=0",
       false},
  };
  for (const Setting& setting : settings) {
    const auto text = files::read_text(door, setting.path);
    if (!text || text->empty()) continue;
    const bool is_zero = std::strtol(text->c_str(), nullptr, 10) == 0;
    if (is_zero == setting.refuses_at_zero) return setting.needed;
  }
  return {};
}

}  // namespace omnipar::inline abi_0::host
