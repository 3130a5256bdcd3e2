"""Recognition: a typing panel, the shooting booth, identical halves, two mats, and a pad that is wired and wireless. Each is
one unit in its seat, in any order."""
import json

from room import Room, presses

POINTER = ["BTN_LEFT", "BTN_RIGHT", "BTN_MIDDLE"]
TYPES = ["KEY_G", "KEY_H", "KEY_HOME", "KEY_END", "KEY_INSERT", "KEY_PAGEUP"]
ENCODER = ["KEY_HOME", "KEY_END", "KEY_DELETE", "KEY_PAGEDOWN", "KEY_V", "KEY_RIGHTALT", "KEY_F9", "KEY_U", "KEY_J", "KEY_H",
           "KEY_L", "KEY_O", "KEY_P", "KEY_F10", "KEY_F7"]
MAT = ["BTN_TRIGGER", "BTN_THUMB", "BTN_THUMB2", "BTN_TOP", "BTN_TOP2", "BTN_PINKIE", "BTN_BASE", "BTN_BASE2", "BTN_BASE3",
       "BTN_BASE4"]


def units_of(home, room, name):
    return json.loads(home.run("units", "--host", room.save(home.folder / name), "--json")[0])


def gun(room, number, socket):
    room.node(number, "Lark Booth Gun Mouse", 12, POINTER, {"ABS_X": [0, 32767], "ABS_Y": [0, 32767]}, socket=socket,
              device=socket, interface=0)
    room.node(number + 1, "Lark Booth Gun Keyboard", 12, TYPES, socket=socket, device=socket, interface=1)
    return [number, number + 1]


def two_guns(home):
    """Two guns of one model are four nodes and two units; the trigger seats them, the grip belongs to its own gun."""
    room = Room()
    nodes = gun(room, 9, "booth:2") + gun(room, 3, "booth:1")
    for node in (10, 3, 9, 4):
        room.plug(node, "in")
    listed = units_of(home, room, "guns.room")
    assert [(u["socket"], [n["kind"] for n in u["nodes"]]) for u in listed] == [
        ("booth:1", ["mouse", "keys"]), ("booth:2", ["mouse", "keys"])], listed
    room.wait(500)
    room.press(9, "BTN_LEFT")
    room.press(3, "BTN_LEFT")
    home.run("rig", "rollcall", "gun-1", "gun-2", "--host", room.save(home.folder / "call.room"), "--rig", "guns.toml")
    (home.folder / "booth.toml").write_text('omnipar = 1\nkind = "profile"\nname = "Booth"\nsystem = "stick-1b"\n'
                                            '[port.1]\nseat = "gun-1"\nbind = { fire = ["trigger", "start"] }\n'
                                            '[port.2]\nseat = "gun-2"\nlike = 1\n')
    room = Room()
    gun(room, 3, "booth:1")
    gun(room, 9, "booth:2")
    for node in nodes:
        room.plug(node, "in")
    room.wait(500)
    for node, control in ((10, "KEY_G"), (4, "KEY_G"), (9, "BTN_LEFT"), (3, "BTN_LEFT")):
        room.press(node, control)
    samples = home.samples("play", "booth.toml", "--host", room.save(home.folder / "booth.room"), "--rig", "guns.toml")
    assert [s["port"] for s in samples if s.get("changed") == {"fire": 1}] == [1, 2, 1, 2], samples


def panel_that_types(home):
    """One keyboard, two players; the real keyboard beside it is never used as a controller."""
    room = Room()
    room.node(1, "Tern Two-Player Encoder", 6, ENCODER, socket="hall:1", device="hall:1", interface=0)
    room.node(2, "Anybody's Keyboard", 14, ["KEY_Q", "KEY_W", "KEY_LEFTCTRL", "KEY_UP"], socket="hall:2")
    for node in (1, 2):
        room.plug(node, "in")
    room.wait(500)
    assert [u["name"] for u in units_of(home, room, "panel.room")] == ["Tern Two-Player Encoder"]
    for node, control in ((2, "KEY_Q"), (1, "KEY_F7"), (1, "KEY_O"), (1, "KEY_V")):
        room.press(node, control)
    room.press(1, "KEY_O")
    room.press(1, "KEY_V")
    room.press(1, "KEY_F7")
    samples = home.samples("play", "arcade-4b", "--host", room.save(home.folder / "panel.room"))
    sits = [s["unit"] for s in samples if s.get("event") == "seated"]
    assert sits == ["Tern Two-Player Encoder, left", "Tern Two-Player Encoder, right"] or sits == [
        "Tern Two-Player Encoder, right", "Tern Two-Player Encoder, left"], sits
    assert presses(samples, 1)[-2:] == ["button-1", "coin"] and presses(samples, 2)[-2:] == ["button-1", "coin"], samples


def halves_that_look_the_same(home):
    """Two halves of one encoder: "move the one you mean"."""
    room = Room()
    for number, interface in ((5, 1), (6, 0)):
        room.node(number, "Pell Arcade Encoder", 7, MAT[:8], {"ABS_X": [0, 255], "ABS_Y": [0, 255]}, socket="hall:3",
                  device="hall:3", interface=interface)
        room.plug(number, "in")
    room.wait(500)
    room.press(5, "BTN_TRIGGER")
    out, _ = home.run("rig", "add", "right", "--name", "right half", "--host", room.save(home.folder / "half.room"),
                      "--rig", "half.toml")
    assert "right half" in out, out
    rig = (home.folder / "half.toml").read_text()
    assert 'socket = "hall:3"\nhalf = "2"' in rig, rig
    out, _ = home.run("units", "--host", "half.room", "--rig", "half.toml")
    assert out.count("Pell Arcade Encoder") == 2 and out.count("seat right") == 1, out


def mats(home):
    """Left and right pressed together both arrive, on each of two mats of one model."""
    room = Room()
    for number, socket in ((1, "hall:5"), (2, "hall:6")):
        room.node(number, "Heath Dance Mat", 8, MAT, socket=socket, device=socket)
        room.plug(number, "in")
        room.wait(500)
        room.press(number, "BTN_BASE4")
    room.report(1, "BTN_TRIGGER", 1, "BTN_TOP", 1)
    room.wait(100)
    room.report(2, "BTN_TRIGGER", 1, "BTN_TOP", 1)
    room.wait(100)
    samples = home.samples("play", "pad-2b", "--host", room.save(home.folder / "mats.room"))
    both = [s["port"] for s in samples if s.get("changed") == {"left": 1, "right": 1}]
    assert both == [1, 2], samples


def wired_and_wireless(home):
    """One pad, offered once, wired; wireless, if the rig asks for it."""
    room = Room()
    hat = {"ABS_HAT0X": [-1, 1], "ABS_HAT0Y": [-1, 1]}
    room.node(1, "Moor Tablet Pad", 5, Room.BUTTONS, hat, socket="hall:7", device="hall:7", serial="02005e100007")
    room.node(2, "Moor Tablet Pad", 5, Room.BUTTONS, hat, bus=5, device="0005:1209:0005.0001", serial="02:00:5E:10:00:07")
    for node in (2, 1):
        room.plug(node, "in")
    room.wait(500)
    room.press(1, "BTN_SOUTH")
    assert len(units_of(home, room, "pad.room")) == 1
    home.run("rig", "add", "sofa", "--name", "tablet", "--host", "pad.room", "--rig", "pad.toml")
    home.run("rig", "connection", "tablet", "wireless", "--rig", "pad.toml")
    out, _ = home.run("units", "--host", "pad.room", "--rig", "pad.toml")
    assert "also wired (node 1)" in out and "seat sofa" in out, out


def run(home):
    for job in (two_guns, panel_that_types, halves_that_look_the_same, mats, wired_and_wireless):
        job(home)
