// The sheets that come with the library, as values.
#include "omnipar/catalogue.hpp"

namespace omnipar {
namespace {

TargetSheet button(std::string name, std::string place, std::vector<std::string> usual) {
  TargetSheet sheet;
  sheet.name = std::move(name);
  sheet.place = std::move(place);
  sheet.usual = std::move(usual);
  sheet.native = {0, 1, 0};
  return sheet;
}

SystemSheet pad_2b() {
  ControllerSheet pad;
  pad.name = "pad-2b";
  pad.title = "pad, two buttons";
  pad.targets = {
      button("a", "east", {"east", "north"}),
      button("b", "south", {"south", "west"}),
      button("select", "select", {"select"}),
      button("start", "start", {"start"}),
  };
  SystemSheet system;
  system.name = "pad-2b";
  system.title = "any machine with two-button pads";
  system.ports = {{1, {"pad-2b"}}, {2, {"pad-2b"}}};
  system.controllers = {pad};
  return system;
}

}  // namespace

Catalogue built_in_catalogue() { return Catalogue{{pad_2b()}}; }

}  // namespace omnipar
