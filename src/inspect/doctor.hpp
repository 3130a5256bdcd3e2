// The doctor's reasoning: from facts about the computer to findings in plain words, each with what
// mends it. The facts come from elsewhere.
#pragma once

#include <string>
#include <vector>

#include "omnipar/description.hpp"

namespace omnipar::inspect {

/// What has been seen of one event node.
struct NodeFact {
  std::string path;
  bool readable = true;
  bool pad_like = true;     ///< if it is not readable: what the system says of it
  Description description;  ///< if it is readable
};

struct Facts {
  bool uinput_exists = false;
  bool uinput_usable = false;
  bool rule_installed = false;
  bool root = false;
  std::vector<NodeFact> nodes;
};

enum class State { good, hint, wrong };

struct Finding {
  std::string id;
  State state = State::good;
  std::string text;
  std::string mend;  ///< the command that mends it; empty if a hand must, or nothing need
};

/// In the order in which a person would go through them.
[[nodiscard]] std::vector<Finding> diagnose(const Facts& facts);

}  // namespace omnipar::inspect
