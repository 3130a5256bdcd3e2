"""Noise: a held switch, an axis at its end, a bouncing switch, and a neighbour who leans on the other side.

Each is named, none is captured, and a step that went wrong is repeated alone.
"""
import tomllib

from room import Room, presses

PANEL = {"keys": ["BTN_SOUTH", "BTN_EAST", "BTN_NORTH", "BTN_WEST", "BTN_TL", "BTN_TR", "BTN_SELECT", "BTN_START"],
         "axes": {"ABS_X": [0, 255], "ABS_Y": [0, 255], "ABS_HAT0X": [-1, 1], "ABS_HAT0Y": [-1, 1]}}


class Noise(Room):
    def __init__(self):
        super().__init__()
        for number, side in ((1, "Left"), (2, "Right")):
            self.node(number, f"Marrowby Noisy Panel, {side}", 14 - number, PANEL["keys"], PANEL["axes"], socket=f"hall:{number}")
        self.lines.append({"t": 0, "node": 1, "plug": "in", "report": ["BTN_TR", 1]})  # down when it is opened
        self.plug(2, "in")
        self.wait(1000)

    def tap(self, code, value=1, ms=120, number=1):
        self.report(number, code, value)
        self.wait(ms)
        self.report(number, code, 0)
        self.wait(700)

    def bounce(self, code, ms=12):
        """Bounces for this duration at both ends of a press."""
        for end in (1, 0):
            self.report(1, code, end)
            for _ in range(ms // 4):
                self.wait(2)
                self.report(1, code, 1 - end)
                self.wait(2)
                self.report(1, code, end)
            self.wait(120 if end else 700)

    def lean(self):
        """The neighbour presses on the other side for a while."""
        self.report(2, "BTN_SOUTH", 1)
        self.report(2, "BTN_EAST", 1)
        self.wait(3000)
        self.report(2, "BTN_SOUTH", 0)
        self.report(2, "BTN_EAST", 0)
        self.wait(100)


def evening(home):
    room = Noise()
    room.tap("BTN_SOUTH")               # selects the panel
    room.report(1, "ABS_Y", 255)        # its first report is at its end
    room.wait(300)
    room.tap("ABS_HAT0Y", -1)           # up and down
    room.lean()
    room.tap("ABS_HAT0X", -1)           # left and right
    room.bounce("BTN_WEST")             # outer
    room.tap("BTN_SOUTH")               # inner: wrong, noticed only at the end
    room.tap("BTN_SELECT")
    room.tap("BTN_START")
    room.tap("BTN_SOUTH")               # trial
    room.tap("BTN_NORTH", ms=1700)       # the menu: save, ...
    room.tap("BTN_NORTH")
    room.tap("BTN_NORTH")               # ... back, again
    room.tap("BTN_NORTH", ms=1700)
    room.tap("BTN_EAST")                # inner alone
    played = room.now
    room.tap("BTN_NORTH", ms=1700)
    room.tap("BTN_NORTH", ms=1700)
    path = room.save(home.folder / "noise.room")
    out, talk = home.run("learn", "profile", "pad-2b", "--ask-all", "--host", path, "--as", "./map.toml")
    for named in ("right-shoulder is held or away from rest: it is ignored until released.",
                  "left-stick first reported a position away from rest",
                  "west bounces, but is used anyway.",
                  'Rejected: south is on "Marrowby Noisy Panel, Right"'):
        assert named in talk, (named, talk)
    assert 'south is "inner".' in talk and "Again.\n6 of 8: " in talk, talk
    kept = tomllib.loads((home.folder / "map.toml").read_text())["port"]["1"]["bind"]
    assert kept == {"directions": "dpad", "outer": "west", "inner": "east", "select": "select", "start": "start"}, kept
    assert "8 of 8 controls bound" in out, out
    # In play a bouncing switch still causes several presses unless its binding has a debounce, as the message said.
    seen = presses([s for s in home.samples("play", "./map.toml", "--host", path) if s["t"] < played * 1000], 1)
    assert [name for name in seen if name in ("select", "start", "inner")] == ["select", "start", "inner"], seen


def run(home):
    evening(home)
