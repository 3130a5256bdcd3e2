#include "support/units.hpp"

#include <stdexcept>

namespace omnipar::test {
namespace {

Description made(std::string name, std::uint16_t product) {
  Description d;
  d.name = std::move(name);
  d.bus = 3;
  d.vendor = 0x1209;
  d.product = product;
  return d;
}

void add_keys(Description& d, std::initializer_list<Code> keys) {
  for (const Code code : keys) d.codes.push_back({code, 0, 1, 0});
}

void add_axes(Description& d, std::initializer_list<Code> axes, std::int32_t minimum, std::int32_t maximum) {
  for (const Code code : axes) d.codes.push_back({code, minimum, maximum, 0});
}

}  // namespace

Description plain_pad(std::string name) {
  Description d = made(std::move(name), 1);
  add_keys(d, {code::btn_south, code::btn_east, code::btn_north, code::btn_west, code::btn_tl, code::btn_tr,
               code::btn_select, code::btn_start, code::btn_mode, code::btn_thumbl, code::btn_thumbr});
  add_axes(d, {code::abs_x, code::abs_y, code::abs_rx, code::abs_ry}, -32768, 32767);
  add_axes(d, {code::abs_z, code::abs_rz}, 0, 255);
  add_axes(d, {code::abs_hat0x, code::abs_hat0y}, -1, 1);
  return d;
}

Description panel(std::string name) {
  Description d = made(std::move(name), 2);
  add_keys(d, {code::btn_south, code::btn_east, code::btn_north, code::btn_west, code::btn_tl, code::btn_tr,
               code::btn_select, code::btn_start});
  add_axes(d, {code::abs_hat0x, code::abs_hat0y}, -1, 1);
  return d;
}

Description numbered_pad(std::string name) {
  Description d = made(std::move(name), 4);
  for (std::uint16_t i = 0; i < 12; ++i) d.codes.push_back({key(static_cast<std::uint16_t>(0x130 + i)), 0, 1, 0});
  add_axes(d, {code::abs_x, code::abs_y, code::abs_z, code::abs_rx, code::abs_ry, code::abs_rz}, 0, 255);
  add_axes(d, {code::abs_hat0x, code::abs_hat0y}, -1, 1);
  return d;
}

Description old_stick(std::string name) {
  Description d = made(std::move(name), 3);
  for (std::uint16_t i = 0; i < 10; ++i) d.codes.push_back({key(static_cast<std::uint16_t>(0x120 + i)), 0, 1, 0});
  add_axes(d, {code::abs_x, code::abs_y}, 0, 255);
  return d;
}

Attachment trackball(const std::string& seat) {
  Attachment ball;
  ball.unit = "Marrowby Trackball";
  ball.seat = seat;
  ball.controls = {{relative(0), ControlType::counts, "trackball", Axis::x, 0, 0, 0},
                   {relative(1), ControlType::counts, "trackball", Axis::y, 0, 0, 0},
                   {relative(8), ControlType::counts, "spinner", Axis::none, 0, 0, 0},
                   {key(0x110), ControlType::button, "south"}};
  return ball;
}

Attachment seated(const Description& description, const std::string& seat) {
  Attachment attachment = recognise({}, {}, description).value();
  attachment.seat = seat;
  return attachment;
}

SystemSheet kit_system() {
  const auto target = [](std::string name, TargetKind kind, std::string place, std::vector<std::string> usual) {
    TargetSheet t;
    t.name = std::move(name);
    t.kind = kind;
    t.place = std::move(place);
    t.defaults = std::move(usual);
    if (kind == TargetKind::button) t.native = {0, 1, 0};
    return t;
  };
  ControllerSheet kit;
  kit.name = "kit";
  kit.title = "one of everything";
  kit.targets = {target("a", TargetKind::button, "east", {"east"}),
                 target("b", TargetKind::button, "south", {"south", "west"}),
                 target("c", TargetKind::button, "right-shoulder", {"right-trigger"}),
                 target("d", TargetKind::button, "north", {"right-stick-up", "north"}),
                 target("stick", TargetKind::stick, "left-stick", {"left-stick", "dpad"}),
                 target("throttle", TargetKind::one_sided, "left-trigger", {"left-trigger"}),
                 target("pedal", TargetKind::one_sided, "right-trigger", {"right-trigger", "left-shoulder"}),
                 target("wheel", TargetKind::two_sided, "wheel", {"wheel", "dpad"}),
                 target("ball", TargetKind::movement, "trackball", {"trackball", "mouse"}),
                 target("dial", TargetKind::turns, "spinner", {"spinner"}),
                 target("aim", TargetKind::pointer, "gun", {"gun", "mouse", "right-stick"})};
  kit.targets[5].self_centering = false;
  kit.targets[5].native = {0, 255, 0};
  kit.targets[6].native = {255, 0, 255};
  kit.targets.back().native = {0, 639, 0};
  SystemSheet system;
  system.name = "kit";
  system.title = "a machine for tests";
  system.ports = {{1, {"kit"}}, {2, {"kit"}}};
  system.controllers = {kit};
  return system;
}

Catalogue kit_catalogue() { return Catalogue{{kit_system()}}; }

Plan plan_of(const Catalogue& catalogue, const Profile& profile) {
  auto plan = compile(catalogue, profile);
  if (!plan) throw std::runtime_error(to_text(plan.error().front()));
  return *plan;
}

Plan plan_of(const std::string& system) {
  Catalogue catalogue = built_in_catalogue();
  catalogue.systems.push_back(kit_system());
  return plan_of(catalogue, propose(catalogue, system).value());
}

}  // namespace omnipar::test
