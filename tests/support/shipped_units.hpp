// Simulated units of the models with shipped sheets.
#pragma once

#include <algorithm>
#include <string>
#include <string_view>
#include <vector>

#include "omnipar/omnipar.hpp"

namespace omnipar::test {

/// A node of the model: as its sheet describes this kind of node, or with an empty kind the main one.
[[nodiscard]] inline Description node_of(const UnitSheet& sheet, std::string_view kind, const std::string& socket) {
  Description node;
  node.name = sheet.identities[0].name.empty() ? sheet.title : sheet.identities[0].name;
  node.bus = 3;
  node.vendor = sheet.identities[0].vendor;
  node.product = sheet.identities[0].product;
  node.socket = node.device = socket;
  for (const ControlSheet& control : sheet.controls) {
    if (!control.raw.empty() || control.node != kind || node.find(control.code) != nullptr) continue;
    const bool hat = control.role == "dpad", one_sided = role_kind(control.role) == RoleKind::one_sided;
    if (control.code.type == ev_abs)
      node.codes.push_back(hat         ? CodeRange{control.code, -1, 1, 0}
                           : one_sided ? CodeRange{control.code, 0, 255, 0}
                                       : CodeRange{control.code, -32768, 32767, 0});
    else
      node.codes.push_back({control.code, 0, 1, 0});
  }
  return node;
}

/// A unit, or a part of one, with the attachments of its nodes.
struct ShippedUnit {
  std::string name;
  std::vector<Attachment> nodes;
};

/// The models whose sheets use codes, each part separately.
[[nodiscard]] inline std::vector<ShippedUnit> shipped_units() {
  const Catalogue catalogue = built_in_catalogue();
  std::vector<ShippedUnit> all;
  for (const UnitSheet& sheet : catalogue.units) {
    std::vector<Description> nodes;
    for (const std::string_view kind : {"", "pad", "mouse", "keys", "touch"})
      if (Description node = node_of(sheet, kind, "hall:1"); !node.codes.empty()) nodes.push_back(std::move(node));
    if (nodes.empty()) continue;
    for (const std::string& part : unit_parts(catalogue, nodes[0])) {
      ShippedUnit unit{sheet.name + (part.empty() ? "" : ", " + part), {}};
      for (const Description& node : nodes) {
        Attachment attachment = attach_node(catalogue, nodes[0], &node == nodes.data() ? nodes[0] : node, part);
        if (!attachment.controls.empty()) unit.nodes.push_back(std::move(attachment));
      }
      if (!unit.nodes.empty()) all.push_back(std::move(unit));
    }
  }
  return all;
}

}  // namespace omnipar::test
