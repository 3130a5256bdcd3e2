"""The two-socket adapter: one unit, one interface, two old plugs with a stick that is not self-centering, three fire buttons, ten
keys and two switches each, and four buttons of the adapter. Both players' outputs are complete and separate; an empty
socket is idle, and a plug connected during play is noticed."""
from room import Room, presses

NAME = "Quill Two-Socket Adapter"
POINTER, STICK, END = [0x05, 1, 0x09, 1, 0xa1, 0], [0x05, 1, 0x09, 0x30, 0x09, 0x31], [0xc0]
TWO_BYTES = [0x75, 8, 0x95, 2, 0x81, 2]


def buttons(first, last, unused):
    return [0x05, 9, 0x19, first, 0x29, last, 0x15, 0, 0x25, 1, 0x75, 1, 0x95, last - first + 1, 0x81, 2,
            0x75, unused, 0x95, 1, 0x81, 3]


DESCRIPTOR = ([0x05, 1, 0x09, 4, 0xa1, 1]
              + POINTER + STICK + [0x15, 0, 0x26, 255, 0] + TWO_BYTES + buttons(1, 15, 1) + END      # 0..255
              + POINTER + STICK + [0x15, 20, 0x26, 236, 0] + TWO_BYTES + buttons(1, 15, 1) + END     # 20..236
              + buttons(33, 36, 4)
              + [0x06, 0, 0xff, 0x09, 0x20, 0x15, 0, 0x26, 255, 0, 0x75, 8, 0x95, 1, 0x81, 2] + END)

# The machine's target for each of the fifteen buttons of a plug.
TARGETS = ["button-1", "button-2", "button-3"] + [f"key-{n}" for n in "1234567890"] + ["console-1", "console-2"]
LOWEST, REST, HIGHEST = (0, 20), (128, 140), (255, 236)


class Adapter:
    """The adapter's complete report."""

    def __init__(self, room):
        self.room, self.buttons, self.own, self.plugged = room, [0, 0], 0, 1
        self.sticks = [[REST[0]] * 2, [REST[1]] * 2]

    def send(self, wait=40):
        report = []
        for player in (0, 1):
            report += self.sticks[player] + list(self.buttons[player].to_bytes(2, "little"))
        self.room.raw(1, *report, self.own, self.plugged)
        self.room.wait(wait)

    def press(self, player, button):
        for held in (1 << button, 0):
            self.buttons[player] = held
            self.send()


def run(home):
    room = Room()
    room.raw_unit(1, NAME, 3, DESCRIPTOR)
    room.plug(1, "in")
    adapter = Adapter(room)
    room.wait(200)
    adapter.send()
    adapter.press(0, 0)                                         # claims the first seat
    room.wait(400)
    adapter.plugged = 3
    adapter.send()
    adapter.press(1, 0)                                         # the plug connected later claims the second one
    room.wait(400)
    begin = room.now
    for player in (0, 1):
        for button in range(len(TARGETS)):
            adapter.press(player, button)
    adapter.own = 2                                             # serves the first player of the adapter
    adapter.send()
    adapter.own = 0
    adapter.send()
    sweep = room.now
    for player in (0, 1):
        for axis in (0, 1):
            for place in (LOWEST, HIGHEST, REST):
                adapter.sticks[player][axis] = place[player]
                adapter.send()
        adapter.sticks[player][0] = HIGHEST[player]             # and is left there
        adapter.send()
    stays = room.now
    for player in (0, 1):                                       # both hold every button at once
        adapter.buttons[player] = (1 << len(TARGETS)) - 1
    adapter.send()
    adapter.plugged = 1
    adapter.send(wait=300)

    samples = home.samples("play", "stick-keypad", "--host", room.save(home.folder / "adapter.room"))
    sat = [(s["seat"], s["unit"]) for s in samples if s.get("event") == "seated"]
    assert sat == [("seat-1", f"{NAME}, socket-1"), ("seat-2", f"{NAME}, socket-2")], sat
    joined = [(s["seat"], s["unit"]) for s in samples if s.get("event") == "joined"]
    assert joined == [("seat-1", f"{NAME}, own")], joined
    played = [s for s in samples if begin * 1000 <= s["t"] < sweep * 1000]
    assert presses(played, 1) == TARGETS + ["console-1"], presses(played, 1)
    assert presses(played, 2) == TARGETS, presses(played, 2)
    for port in (1, 2):
        swept = [move for s in samples if s.get("port") == port and sweep * 1000 <= s["t"] < stays * 1000 and "changed" in s
                 for move in s["changed"].items()]
        assert swept == [("stick-x", 0), ("stick-x", 255), ("stick-x", 128), ("stick-y", 0), ("stick-y", 255),
                         ("stick-y", 128), ("stick-x", 255)], (port, swept)
    end = [s for s in samples if s["t"] >= stays * 1000 and "changed" in s]
    both = [s["changed"] for s in end[:2]]
    assert all(sorted(changed) == sorted(TARGETS) and set(changed.values()) == {1} for changed in both), both
    let_go = [s for s in end[2:]]
    assert [s["port"] for s in let_go] == [2] and sorted(let_go[0]["changed"]) == sorted(TARGETS), let_go
    assert set(let_go[0]["changed"].values()) == {0}, let_go     # the stick keeps its position
