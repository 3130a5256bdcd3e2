// Lists all event nodes, without keeping them open.
#pragma once

#include "inspect/doctor.hpp"
#include "os/door.hpp"

namespace omnipar::inline abi_0::host {

/// The facts for the doctor; the descriptions in them are those of all readable nodes.
[[nodiscard]] inspect::Facts look_around(os::Door& door);

/// The processes that have a node open; only root sees those of other users.
struct Openers {
  std::string names;  ///< "name (process 12), …"; empty if none can be seen
  int only = 0;       ///< the process, if there is exactly one
};
[[nodiscard]] Openers openers_of(os::Door& door, const std::string& node);
/// "name (process 12)".
[[nodiscard]] std::string name_of_process(os::Door& door, int process);

/// Where the shipped udev rule is installed, and its contents.
inline constexpr const char* rule_path = "/etc/udev/rules.d/70-omnipar.rules";
inline constexpr const char* packaged_rule_path = "/usr/lib/udev/rules.d/70-omnipar.rules";  ///< the package's rule
inline constexpr const char* module_path = "/etc/modules-load.d/omnipar.conf";
[[nodiscard]] std::string rule_text();

/// Properties of a node that are known without opening it.
struct ModelFact {
  std::string name;
  std::string vendor;   ///< four hexadecimal digits, as in /sys
  std::string product;  ///< the same
  std::string node;
};
/// The nodes whose names contain `name`, readable or not.
[[nodiscard]] std::vector<ModelFact> models_named(os::Door& door, const std::string& name);
/// Returns udev rules, one per line, that give the user at the screen access to all nodes of one model, including raw
/// ones.
[[nodiscard]] std::string model_rule(const ModelFact& model);

/// One line for each step performed or failed, and whether all succeeded.
struct Fixed {
  bool all = true;
  std::vector<std::string> lines;

  void note(bool good, const std::string& text);
};
/// Loads the module and installs the rule; requires root. The rule includes raw nodes of units that need them,
/// connected now or earlier.
[[nodiscard]] Fixed fix(os::Door& door, const Catalogue& catalogue);
/// Removes what `fix` has installed; no line if there is nothing. Requires root.
[[nodiscard]] Fixed uninstall(os::Door& door);

}  // namespace omnipar::inline abi_0::host
