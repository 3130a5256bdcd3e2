// Recognition of units, and the meaning of their codes.
#include <array>

#include <catch2/catch.hpp>

#include "base/near.hpp"
#include "omnipar/omnipar.hpp"
#include "support/units.hpp"

using namespace omnipar;
using namespace omnipar::test;

namespace {

Description at(Description d, std::string serial, std::string socket) {
  d.serial = std::move(serial);
  d.socket = std::move(socket);
  return d;
}

/// A rig with `a` at seat-1 and `b` at seat-2.
Rig rig_of(const Description& a, const Description& b) {
  Rig rig;
  rig.units.push_back(new_unit(rig, a, "seat-1"));
  rig.units.push_back(new_unit(rig, b, "seat-2"));
  return rig;
}

std::string seat_in(const Rig& rig, const Description& d, std::vector<std::string> present = {}) {
  const RigUnit* unit = find_unit(rig, d, present);
  return unit != nullptr ? unit->seat : "";
}

}  // namespace

TEST_CASE("A unit is identified by its serial number, or by its socket if it has none", "[identity]") {
  const Description pad = plain_pad();
  const Rig with_serials = rig_of(at(pad, "A", "usb:1"), at(pad, "B", "usb:2"));
  CHECK(seat_in(with_serials, at(pad, "B", "usb:1")) == "seat-2");  // moved to another socket
  CHECK(seat_in(with_serials, at(pad, "C", "usb:1")) == "");        // another unit in a known socket
  const Rig twins = rig_of(at(pad, "", "usb:1"), at(pad, "", "usb:2"));
  CHECK(seat_in(twins, at(pad, "", "usb:2")) == "seat-2");
  CHECK(seat_in(twins, at(pad, "", "usb:3")) == "");
  CHECK(seat_in(twins, at(panel(), "", "usb:1")) == "");                          // another model in a known socket
  const Rig same_serials = rig_of(at(pad, "0", "usb:1"), at(pad, "0", "usb:2"));  // cheap pads share serial numbers
  CHECK(seat_in(same_serials, at(pad, "0", "usb:2")) == "seat-2");
  CHECK(seat_in(same_serials, at(pad, "0", "usb:9"), {same_serials.units[0].name}) ==
        "");  // could belong to any player
  CHECK(same_serials.units[1].name == "Marrowby Twin-Stick Pad (2)");
}

TEST_CASE("The gamepad convention: roles, axes and ignored codes", "[identity]") {
  const auto roles = [](const Description& d) {
    std::string text;
    const Attachment attachment = recognise({}, {}, d).value();
    for (const Control& c : attachment.controls) text += c.role + (c.axis == Axis::y ? "-y " : " ");
    return text;
  };
  CHECK(roles(panel()) == "south east north west left-shoulder right-shoulder select start dpad dpad-y ");
  CHECK(roles(old_stick()) ==
        "left-stick left-stick-y south east west north left-shoulder right-shoulder select start left-trigger "
        "right-trigger ");
  Description numbered = panel();  // the generic driver: code names do not match the labels
  numbered.codes = {
      {code::abs_x, 0, 255, 0}, {code::abs_y, 0, 255, 0}, {code::abs_z, 0, 255, 0}, {code::abs_rz, 0, 255, 0}};
  for (std::uint16_t button = 0; button < 10; ++button)
    numbered.codes.push_back({key(code::btn_south.number + button)});
  CHECK(roles(numbered) ==
        "left-stick left-stick-y south east west north left-shoulder right-shoulder left-trigger right-trigger select "
        "start right-stick right-stick-y ");
  numbered.codes.resize(4 + 6);
  CHECK(roles(numbered) ==
        "left-stick left-stick-y south east west north left-shoulder right-shoulder left-trigger right-trigger ");
  // With both sticks elsewhere, Z and RZ are triggers; with more than eleven buttons, two duplicate the triggers.
  const auto with_triggers = [&](std::uint16_t buttons, bool by_radio) {
    Description pad = panel();
    pad.codes.clear();
    for (const Code axis : {code::abs_x, code::abs_y, code::abs_z, code::abs_rz})
      pad.codes.push_back({axis, 0, 255, 0});
    for (const std::uint16_t axis : by_radio ? std::array<std::uint16_t, 2>{9, 10} : std::array<std::uint16_t, 2>{3, 4})
      pad.codes.push_back({absolute(axis), 0, 255, 0});
    for (std::uint16_t button = 0; button < buttons; ++button)
      pad.codes.push_back({key(code::btn_south.number + button)});
    return roles(pad);
  };
  const std::string two_sticks = "left-stick left-stick-y right-stick right-stick-y ";
  const std::string shoulders = "south east west north left-shoulder right-shoulder ";
  for (const std::uint16_t buttons : std::array<std::uint16_t, 3>{12, 13, 14})
    CHECK(with_triggers(buttons, false) == two_sticks + shoulders +
                                               "left-trigger right-trigger select start left-stick-press "
                                               "right-stick-press " +
                                               (buttons > 12 ? "home " : "") + "left-trigger right-trigger ");
  CHECK(with_triggers(11, false) == two_sticks + shoulders +
                                        "select start left-stick-press right-stick-press home left-trigger "
                                        "right-trigger ");
  CHECK(with_triggers(10, true) == "left-stick left-stick-y " + shoulders +
                                       "select start left-stick-press right-stick-press right-stick right-stick-y "
                                       "left-trigger right-trigger ");
  Description odd = panel();
  odd.codes = {
      {code::btn_south}, {code::abs_x, 0, 255, 0}, {code::abs_z, 0, 255, 0}, {code::btn_tl2}, {code::abs_rz, 5, 5, 5}};
  CHECK(roles(odd) == "south left-trigger left-trigger ");  // half a stick and an axis without range are unusable
  const auto pad = recognise({}, {}, plain_pad()).value();
  CHECK(pad.controls[11].rest == 0);
  const auto stick = recognise({}, {}, old_stick()).value();
  CHECK(stick.controls[0].rest == 128);
  CHECK(stick.state.size() == 10);  // the buttons; 0 on an axis whose minimum is 0 carries no information
}

TEST_CASE("Omnipar's own pads, keyboards and mice are not controllers", "[identity]") {
  Description ours = plain_pad();
  ours.ours = true;
  CHECK_FALSE(is_controller(ours));
  Description mouse;
  mouse.codes = {{key(0x110)}, {{ev_rel, 0}}};
  CHECK_FALSE(is_controller(mouse));
  CHECK(recognise({}, {}, mouse).error().front().id == "not-a-controller");
  CHECK(is_controller(old_stick()));
}

TEST_CASE("Names of hostile units are made safe for a terminal", "[identity]") {
  CHECK(printable("Plain Pad é") == "Plain Pad é");
  CHECK(printable("\x1b[2Jgone\a") == "?[2Jgone?");
  CHECK(printable("cut\xc3") == "cut?");
  CHECK(printable("\xed\xa0\x80") == "???");        // a surrogate
  CHECK(printable("a\xe2\x80\xaetxt") == "a?txt");  // reverses the writing direction
  CHECK(printable("") == "(no name)");
  CHECK(printable(std::string(500, 'x')) == std::string(60, 'x') + "…");
}

TEST_CASE("Roles: the vocabulary, its families, and suggestions for misspelt names", "[role]") {
  CHECK(role_kind("south") == RoleKind::button);
  CHECK(role_kind("left-stick") == RoleKind::stick);
  CHECK(role_kind("panel-32") == RoleKind::button);
  CHECK(role_kind("key-q") == RoleKind::button);
  for (const char* none : {"", "panel-0", "panel-33", "panel-", "panel-01", "key-", "key-Q", "South"})
    CHECK_FALSE(role_kind(none));
  CHECK(base::nearest("sout", role_names()) == "south");
  CHECK(base::nearest("left-sitck", role_names()) == "left-stick");
  CHECK_FALSE(base::nearest("xylophone", role_names()));
  CHECK(stick_direction("left-stick-up")->direction == 0);
  CHECK_FALSE(stick_direction("dpad-up"));
}
