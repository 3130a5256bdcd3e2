"""Plug and play: two pads of different models, no files yet, a machine with six buttons; each player presses once, a
proposed profile is played at once, and it can be saved at the end."""
from room import Room, presses

# The machine's proposed bindings by role, the same for each pad.
MAP = {"BTN_WEST": "bottom-left", "BTN_SOUTH": "bottom-middle", "BTN_EAST": "bottom-right", "BTN_TL": "top-left",
       "BTN_NORTH": "top-middle", "BTN_TR": "top-right",
       "BTN_SELECT": "select", "BTN_START": "start"}


def evening(home, name, sit_down, first=1, second=2):
    """Both pads are connected; each presses all its buttons; one steers with its stick, the other with its d-pad."""
    room = Room()
    room.pad(1, "Fenwick Reading-Room Pad", 2, "hall:1")
    room.pad(2, "Quill Sea Pad", 3, "hall:2", stick=(0, 255))
    room.lines.append({"t": 0, "node": first, "plug": "in", "report": ["ABS_X", 128, "ABS_Y", 128] if first == 2 else []})
    room.lines.append({"t": 0, "node": second, "plug": "in", "report": ["ABS_X", 128, "ABS_Y", 128] if second == 2 else []})
    room.wait(500)
    if sit_down:
        room.press(first, "BTN_START")
        room.press(second, "BTN_SOUTH")
    for code in MAP:
        room.press(1, code)
        room.press(2, code)
    room.report(1, "ABS_HAT0Y", -1)
    room.wait(100)
    room.report(1, "ABS_HAT0Y", 0)
    room.report(2, "ABS_X", 255)
    room.wait(100)
    room.report(2, "ABS_X", 128)
    room.wait(100)
    return room.save(home.folder / name)


def check(samples, port_of_1, port_of_2):
    assert presses(samples, port_of_1) == list(MAP.values()) + ["up"], presses(samples, port_of_1)
    assert presses(samples, port_of_2) == list(MAP.values()) + ["right"], presses(samples, port_of_2)
    down = {}
    for sample in samples:
        for target, value in sample.get("changed", {}).items():
            down[sample["port"], target] = value
    assert set(down.values()) == {0}, "something is still down"


def run(home):
    room = evening(home, "first.room", sit_down=True)
    # One command lists the units, the other names the machine: two commands from installation to playing.
    _, talk = home.run("catalogue")
    assert "omnipar play NAME" in talk, "the list does not lead on to playing"
    samples = home.samples("play", "pad-6b", "--host", room)
    assert home.commands == 2
    check(samples, 1, 2)
    sat = [(s["seat"], s["unit"]) for s in samples if s.get("event") == "seated"]
    assert sat == [("seat-1", "Fenwick Reading-Room Pad"), ("seat-2", "Quill Sea Pad")], sat
    assert list(home.files()) == ["first.room"], "something was kept that nobody asked for"

    # The first to press is player 1.
    other = evening(home, "other.room", sit_down=True, first=2, second=1)
    check(home.samples("play", "pad-6b", "--host", other), 2, 1)

    # Saved: the same units return to their seats in any order, without a press.
    home.run("play", "pad-6b", "--host", room, "--keep", "./sea-evening.toml", "--rig", "rig.toml")
    again = evening(home, "again.room", sit_down=False, first=2, second=1)
    before = home.files()
    check(home.samples("play", "sea-evening.toml", "--host", again, "--rig", "rig.toml"), 1, 2)
    assert home.files() == before, "playing a kept profile changed a file"
    home.run("check", "sea-evening.toml")
