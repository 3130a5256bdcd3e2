// The doctor's reasoning: from facts about the computer to findings in plain words, each with its
// fix. The facts come from elsewhere.
#pragma once

#include <string>
#include <vector>

#include "omnipar/catalogue.hpp"
#include "omnipar/description.hpp"
#include "omnipar/rig.hpp"

namespace omnipar::inline abi_0::inspect {

/// Facts about one event node.
struct NodeFact {
  std::string path;
  bool readable = true;
  bool pad_like = true;       ///< from the system
  bool types = false;         ///< from the system: it repeats keys, as keyboards do
  bool grabbed = false;       ///< grabbed by another program, which alone receives its input
  std::string openers{};      ///< programs that have it open, if it is grabbed: "name (process 12)"
  int opener = 0;             ///< the process of the only one of them; 0 if there are several, or none can be seen
  Description description{};  ///< name and numbers always; the rest if it is readable
  std::vector<std::uint8_t> descriptor{};  ///< the report descriptor of its HID device; empty without one
  std::string raw_path{};                  ///< the raw node of that device, if it is readable
  std::string shut_raw_path{};             ///< the same if it is not
  bool played = false;                     ///< the program that has grabbed it is a session of ours
};

/// A pad that is paired, connected or not.
struct PairedFact {
  std::string name;
  std::string address;
};

enum class Radio { none, off, on };

struct Facts {
  bool uinput_exists = false;
  bool uinput_usable = false;
  bool rule_installed = false;
  bool root = false;
  std::string namespaces_need{};  ///< the kernel setting, "kernel.x=1", that is required to get one; or none
  Radio radio = Radio::none;
  bool pairings_known = false;  ///< the Bluetooth daemon answers
  std::vector<PairedFact> paired{};
  std::vector<NodeFact> nodes{};
};

enum class State { good, hint, wrong };

struct Finding {
  std::string id;
  State state = State::good;
  std::string text;
  std::string fix;  ///< the command that fixes it; empty if manual or unnecessary
};

/// What the event node lacks, if only inaccessible raw reports contain it; otherwise empty. The report descriptor is
/// world-readable, so this is known without them.
[[nodiscard]] std::string lost_without_raw(const NodeFact& node, const Catalogue& catalogue);

/// In the order in which a person would fix them.
[[nodiscard]] std::vector<Finding> diagnose(const Facts& facts, const Catalogue& catalogue, const Rig& rig);

}  // namespace omnipar::inline abi_0::inspect
