"""Roll call: four players, two of them with pads of one model without serial numbers. Pressing in order seats them; a second
press leaves the seat; seats survive every order of connecting and every numbering of nodes; the user is asked about pads
of one model that changed sockets."""
import itertools

from room import Room

SEATS = ["cabinet-left", "cabinet-right", "sofa", "shelf"]
# Name, product, socket; the second and the third are of one model.
PADS = [("Fenwick Reading-Room Pad", 2, "hall:1"), ("Quill Sea Pad", 3, "hall:2"), ("Quill Sea Pad", 3, "hall:3"),
        ("Moor Pad", 4, "hall:4")]

PROFILE = """omnipar = 1
kind = "profile"
name = "Four"
system = "pad-two-stick"
""" + "".join(f'[port.{n}]\nseat = "{seat}"\n' for n, seat in enumerate(SEATS, 1))


def room_of(pads, order):
    """The pads, connected in this order, with arbitrary numbers."""
    room = Room()
    numbers = {}
    for at, pad in enumerate(order):
        numbers[pad] = 30 - at if order[0] % 2 else 3 + at
        room.pad(numbers[pad], *pads[pad])
    for pad in order:
        room.plug(numbers[pad], "in")
        room.wait(50)
    room.wait(500)
    return room, numbers


def ports_of(home, name, pads, order):
    """The port on which each pad's press is seen, without any new seat."""
    room, numbers = room_of(pads, order)
    for pad in range(len(pads)):
        room.press(numbers[pad], "BTN_SOUTH")
    samples = home.samples("play", "four.toml", "--host", room.save(home.folder / name), "--rig", "rig.toml")
    assert not [s for s in samples if s.get("event") in ("seated", "asked")], samples
    return [s["port"] for s in samples if "changed" in s and 1 in s["changed"].values()]


def run(home):
    (home.folder / "four.toml").write_text(PROFILE)
    # The roll call: the third player presses too soon, leaves the seat again, and waits for their turn.
    room, numbers = room_of(PADS, [0, 1, 2, 3])
    for pad in (0, 2, 2, 1, 2, 3):
        room.press(numbers[pad], "BTN_SOUTH")
        room.wait(600)
    out, talk = home.run("rig", "rollcall", *SEATS, "--host", room.save(home.folder / "call.room"), "--rig", "rig.toml")
    assert '"Quill Sea Pad (hall:3)" leaves cabinet-right.' in talk, talk
    assert [line.split()[0] for line in out.splitlines()] == SEATS, out
    rig = home.files()["rig.toml"]
    assert rig.count("[[unit]]") == 4 and rig.index("hall:2") < rig.index("hall:3"), rig

    # Every order of connecting, every numbering.
    for order in itertools.permutations(range(4)):
        assert ports_of(home, "order.room", PADS, order) == [1, 2, 3, 4], order
    assert home.files()["rig.toml"] == rig

    # Both pads of one model move to new sockets: the user is asked, one seat after the other.
    moved = [PADS[0], (*PADS[1][:2], "hall:8"), (*PADS[2][:2], "hall:7"), PADS[3]]
    room, numbers = room_of(moved, [3, 2, 1, 0])
    room.press(numbers[1], "BTN_SOUTH")
    room.press(numbers[2], "BTN_SOUTH")
    home.run("check", "four.toml")
    samples = home.samples("play", "four.toml", "--host", room.save(home.folder / "moved.room"), "--keep", "four.toml",
                           "--rig", "rig.toml")
    news = [(s["event"], s["seat"]) for s in samples if s.get("event") in ("asked", "seated")]
    assert news == [("asked", "cabinet-right"), ("asked", "sofa")], news
    assert ports_of(home, "later.room", moved, (2, 0, 3, 1)) == [1, 2, 3, 4]
    assert home.files()["rig.toml"] == rig.replace("hall:2", "hall:8").replace("hall:3", "hall:7")

    # If they are exchanged, their sockets decide, because nothing else distinguishes them.
    assert ports_of(home, "swapped.room", [moved[0], moved[2], moved[1], moved[3]], (0, 1, 2, 3)) == [1, 3, 2, 4]
