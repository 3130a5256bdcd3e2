#include "evening/program.hpp"

#include <fcntl.h>
#include <sys/wait.h>

#include <algorithm>
#include <csignal>
#include <cstring>
#include <sstream>

#include <fmt/format.h>

#include "files/read.hpp"
#include "host/motors.hpp"

namespace omnipar::inline abi_0::evening {

tl::expected<std::string, Diagnostic> Program::find(os::Door& door, const std::string& word) {
  std::vector<std::string> places;
  if (word.empty())
    return tl::unexpected(Diagnostic{"no-such-program", Severity::error, "the program's name is empty", "",
                                     "write the program and its arguments after '--'"});
  if (word.find('/') != std::string::npos) {
    places.push_back(word);
  } else {
    std::istringstream path{door.environment("PATH")};
    for (std::string folder; std::getline(path, folder, ':');)
      places.push_back((folder.empty() ? "." : folder) + "/" + word);
  }
  bool there = false;
  for (const std::string& place : places) {
    if (door.is_executable(place)) return place;
    there = there || !door.real_path(place).empty();
  }
  if (there)
    return tl::unexpected(Diagnostic{"no-program", Severity::error, "the file is not executable", word,
                                     "name a program; 'chmod +x' makes a script executable"});
  return tl::unexpected(Diagnostic{"no-such-program", Severity::error, "program not found", word,
                                   "check its name; write the program and its arguments after '--'"});
}

int Program::start(const std::vector<std::string>& command, const std::function<int()>& before) {
  if (const int result = door_.adopt_orphans(); result < 0) return result;
  const pid_t child = door_.start(command, before);
  if (child < 0) return child;
  process_ = child;
  return 0;
}

void Program::collect() {
  int status = 0;
  for (pid_t child = door_.collect(status); child > 0; child = door_.collect(status)) {
    if (child != process_) continue;
    ended_ = true;
    constexpr int by_signal = 128;
    status_ = WIFSIGNALED(status) ? by_signal + WTERMSIG(status) : WEXITSTATUS(status);
  }
}

std::vector<pid_t> Program::children_of(pid_t process) const {
  std::vector<pid_t> children;
  const std::string tasks = fmt::format("/proc/{}/task", process == 0 ? "self" : std::to_string(process));
  for (const std::string& task : door_.names_in(tasks)) {
    const auto text = files::read_text(door_, fmt::format("{}/{}/children", tasks, task));
    std::istringstream numbers{text.value_or("")};
    for (pid_t child = 0; numbers >> child;) children.push_back(child);
  }
  return children;
}

std::string Program::name_of(pid_t process) const {
  std::string name = files::read_text(door_, fmt::format("/proc/{}/comm", process)).value_or("");
  name.erase(std::ranges::find(name, '\n'), name.end());
  return name;
}

std::vector<pid_t> Program::own_children(pid_t spared) const {
  std::vector<pid_t> children = children_of(0);
  std::erase(children, spared);
  std::erase_if(children, [this](pid_t child) { return name_of(child) == host::motors_process; });
  return children;
}

pid_t Program::process(pid_t spared) const {
  if (!started()) return -1;
  if (!ended_) return process_;
  const auto others = own_children(spared);
  return others.empty() ? -1 : others.front();
}

std::vector<std::string> Program::left(pid_t spared) const {
  std::vector<std::string> names;
  for (const pid_t child : own_children(spared)) {
    names.push_back(fmt::format("{} (process {})", name_of(child), child));
  }
  return names;
}

void Program::ask(pid_t spared) {
  if (!ended_) {
    door_.signal(process_, SIGTERM);
    return;
  }
  for (const pid_t child : own_children(spared)) door_.signal(child, SIGTERM);
}

/// Stops each process before its children are killed, so that none sees a child end and starts another.
void Program::kill_tree(pid_t process) {
  door_.signal(process, SIGSTOP);
  for (const pid_t child : children_of(process)) kill_tree(child);
  door_.signal(process, SIGKILL);
}

void Program::insist(pid_t spared) {
  for (const pid_t child : own_children(spared)) kill_tree(child);
}

}  // namespace omnipar::inline abi_0::evening
