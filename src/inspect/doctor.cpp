#include "inspect/doctor.hpp"

#include <algorithm>

#include <fmt/format.h>

#include "omnipar/identity.hpp"

namespace omnipar::inspect {
namespace {

constexpr const char* mend_command = "sudo omnipar doctor --mend";

Finding about_uinput(const Facts& facts) {
  if (facts.uinput_usable) return {"uinput", State::good, "Virtual controllers can be made (/dev/uinput).", ""};
  if (!facts.uinput_exists)
    return {
        "uinput", State::wrong,
        "Virtual controllers cannot be made: /dev/uinput is not there, for the kernel's uinput module is not loaded.",
        mend_command};
  return {"uinput", State::wrong, "Virtual controllers cannot be made: you have no permission for /dev/uinput.",
          mend_command};
}

Finding about_permission(const Facts& facts) {
  std::string shut;
  for (const NodeFact& node : facts.nodes)
    if (!node.readable && node.pad_like) shut += (shut.empty() ? "" : ", ") + node.path;
  if (shut.empty()) return {"permission", State::good, "Every pad and joystick that is there may be read.", ""};
  return {"permission", State::wrong,
          fmt::format("You have no permission to read {}. If the rule is there already, log out and in again, or "
                      "plug the controller in again.",
                      shut),
          mend_command};
}

Finding about_pads(const Facts& facts) {
  std::size_t pads = 0;
  std::size_t virtual_ones = 0;
  std::size_t shut = 0;
  for (const NodeFact& node : facts.nodes) {
    if (!node.readable)
      shut += node.pad_like ? 1 : 0;
    else if (is_controller(node.description))
      (node.description.made_by_program ? virtual_ones : pads) += 1;
  }
  if (pads > 0)
    return {"units", State::good,
            fmt::format("{} controller{} there; 'omnipar units' lists {}.", pads, pads == 1 ? " is" : "s are",
                        pads == 1 ? "it" : "them"),
            ""};
  if (shut > 0) return {"units", State::hint, "Controllers are there, but none may be read yet.", ""};
  std::string text = "No controller is there. Plug one in; if it has a radio, switch it on and press its button.";
  if (virtual_ones > 0) text += " (Virtual ones of other programs are only taken with --with-virtual.)";
  return {"units", State::wrong, text, ""};
}

Finding about_rule(const Facts& facts) {
  if (facts.rule_installed)
    return {"rule", State::good, "The rule that opens uinput and pads to whoever sits at the screen is installed.", ""};
  const bool needed =
      !facts.uinput_usable || std::ranges::any_of(facts.nodes, [](const NodeFact& n) { return !n.readable; });
  return {"rule", needed ? State::wrong : State::hint,
          needed ? "The rule that opens uinput and pads to whoever sits at the screen is missing."
                 : fmt::format("It works for {}; the rule that lets everybody at the screen play is not installed.",
                               facts.root ? "root" : "you"),
          mend_command};
}

}  // namespace

std::vector<Finding> diagnose(const Facts& facts) {
  return {about_uinput(facts), about_permission(facts), about_rule(facts), about_pads(facts)};
}

}  // namespace omnipar::inspect
