"""Map by pressing: a wobbling stick, an unknown adapter with raw reports, and a map that is reliably saved."""
import json
import os
import stat

from room import Room, presses

KEYS = ["BTN_SOUTH", "BTN_EAST", "BTN_NORTH", "BTN_WEST", "BTN_TL", "BTN_TR", "BTN_SELECT", "BTN_START"]


class Hands(Room):
    """A user with a pad."""

    def __init__(self):
        super().__init__()
        self.pad(1, "Heron Room Pad", 14, "hall:1")
        self.plug(1, "in")
        self.wait(1000)

    def tap(self, code, value=1, ms=120):
        self.report(1, code, value)
        self.wait(ms)
        self.report(1, code, 0)
        self.wait(700)

    def keep(self, code="BTN_NORTH"):
        self.tap(code, ms=1700)
        self.tap(code, ms=1700)

    def answers(self):
        """Answers every question for a pad with two buttons."""
        self.tap("BTN_SOUTH")  # selects the pad
        self.tap("ABS_HAT0Y", -1)
        self.tap("ABS_HAT0X", -1)
        for code in ("BTN_SOUTH", "BTN_WEST", "BTN_SELECT", "BTN_START"):
            self.tap(code)


def kept_and_in_force(home):
    hands = Hands()
    hands.answers()
    unkept = hands.save(home.folder / "unkept.room")
    hands.keep()
    room = hands.save(home.folder / "kept.room")
    _, talk = home.run("learn", "profile", "pad-2b", "--ask-all", "--host", unkept, "--as", "./map.toml", status=1)
    assert talk.endswith("--resume\n") and not (home.folder / "map.toml").exists(), talk
    out, _ = home.run("learn", "profile", "pad-2b", "--ask-all", "--host", room, "--as", "./map.toml")
    assert "Saved to ./map.toml: port 1, 8 of 8 controls bound. Changed: " in out, out
    seen = presses(home.samples("play", "./map.toml", "--host", room), 1)
    assert seen[:6] == ["up", "left", "outer", "inner", "select", "start"], seen


def only_its_lines(home):
    """A user's text is preserved; a new answer changes only its own line."""
    text = """# Marrowby's shelf
omnipar = 1
kind = "profile"
name = "shelf"
system = "pad-2b"   # the old one

[port.1]
seat = "seat-1"
[port.1.bind]
outer = "north"   # not east: that one is worn
inner = ["south", "west"]
"""
    (home.folder / "shelf.toml").write_text(text)
    hands = Hands()
    hands.tap("BTN_SOUTH")
    hands.tap("BTN_EAST")
    hands.keep()
    room = hands.save(home.folder / "one.room")
    home.run("learn", "profile", "shelf.toml", "--only", "inner", "--host", room)
    assert (home.folder / "shelf.toml").read_text() == text.replace('["south", "west"]', '"east"')
    home.run("profile", "undo", "shelf.toml")
    assert (home.folder / "shelf.toml").read_text() == text
    home.run("learn", "profile", "shelf.toml", "--only", "inner", "--add", "--host", room)
    assert 'inner = ["south", "west", "east"]' in (home.folder / "shelf.toml").read_text()
    # Resumed: only targets without a source are asked for.
    out, talk = home.run("learn", "profile", "shelf.toml", "--missing", "--host", room, "--json", status=1)
    assert [answer["target"] for answer in json.loads(out)["answers"]] == ["up", "down", "left", "right", "select", "start"], out
    # An unwritable file is reported before the first press.
    os.chmod(home.folder / "shelf.toml", stat.S_IRUSR)
    _, talk = home.run("learn", "profile", "shelf.toml", "--only", "inner", "--host", room, status=2)
    assert "[write-protected]" in talk and "Press" not in talk, talk


def moved(home):
    """A control of another target is moved, even from one without a question, and this is shown."""
    hands = Hands()
    hands.tap("BTN_SOUTH")
    hands.tap("BTN_EAST")           # outer has it
    hands.tap("BTN_EAST", ms=1700)   # held: moved here
    hands.keep()
    room = hands.save(home.folder / "moved.room")
    out, talk = home.run("learn", "profile", "pad-2b", "--only", "inner", "--host", room, "--as", "./moved.toml")
    assert 'east is already "outer".' in talk, talk
    assert "outer               north" in out and "inner               east" in out, out


def raw_adapter(home):
    """Two sockets in one raw report with shared buttons: learned from nothing, played by both."""
    descriptor = [0x05, 0x01, 0x09, 0x04, 0xA1, 0x01]
    for _ in range(2):
        descriptor += [0x05, 0x01, 0x09, 0x01, 0xA1, 0x00, 0x09, 0x30, 0x09, 0x31, 0x15, 0, 0x26, 0xFF, 0, 0x75, 8, 0x95, 2, 0x81, 2,
                       0x05, 0x09, 0x19, 1, 0x29, 6, 0x15, 0, 0x25, 1, 0x75, 1, 0x95, 6, 0x81, 2, 0x75, 2, 0x95, 1, 0x81, 3, 0xC0]
    descriptor += [0x05, 0x09, 0x19, 0x11, 0x29, 0x13, 0x15, 0, 0x25, 1, 0x75, 1, 0x95, 3, 0x81, 2, 0x75, 5, 0x95, 1, 0x81, 3, 0xC0]
    room = Room()
    room.raw_unit(1, "Heron Two-Plug Box", 0x000D, descriptor)
    rest = [128, 128, 0, 128, 128, 0, 0]

    def change(place, value, ms=120, after=700):
        now = list(rest)
        if value in (0, 255):  # a stick passes intermediate values
            now[place] = (128 + value) // 2
            room.raw(1, *now)
            room.wait(10)
        now[place] = value
        room.raw(1, *now)
        room.wait(ms)
        room.raw(1, *rest)
        room.wait(after)

    room.plug(1, "in")
    room.wait(500)
    room.raw(1, *rest)
    room.wait(500)
    change(2, 1)  # selects the unit
    for side in (0, 3):
        change(side + 2, 1)               # south
        change(side + 2, 2)               # east
        change(side, 255, after=1200)     # right
        change(side + 1, 0, after=1200)   # up
        change(6, 1)                      # start serves both
        if side:
            change(6, 1)
    learned = room.now
    change(2, 1, ms=1700)
    change(2, 1, ms=1700)
    path = room.save(home.folder / "box.room")
    words = ("--form", "pad", "--parts", "one,two", "--only", "south,east,left-stick,start")
    out, talk = home.run("learn", "unit", *words, "--host", path, "--as", "./box.toml")
    assert "Saved to ./box.toml: 9 controls" in out, (out, talk)
    assert "hid:0/button-17" in out and "one, two" in out, out
    samples = home.samples("play", "pad-4b", "--data", "./box.toml", "--host", path)
    for port in (1, 2):
        lit = {name for s in samples if s.get("port") == port and s["t"] < learned * 1000 for name in s["changed"]}
        assert {"outer", "right", "up", "start"} <= lit, (port, lit)


def run(home):
    kept_and_in_force(home)
    only_its_lines(home)
    moved(home)
    raw_adapter(home)
