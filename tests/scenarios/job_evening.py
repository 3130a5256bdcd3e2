"""A session with a shared coin door, a burst of swaps, a returning owner, and seats named by the user."""
import json

from room import Room

PROFILE = ('omnipar = 1\nkind = "profile"\nname = "two"\nsystem = "pad-2b"\n[port.1]\nseat = "left"\n[port.2]\nseat = "right"\n'
           '[hotkeys]\nswap-ports = { modifier = "start", press = "north" }\n')


def shared_coin(home):
    """The coin button claims no seat and serves seated players. A press of a unit's own button identifies its player."""
    sheet = json.loads(home.run("catalogue", "show", "tern-two-player-encoder", "--json")[0])["controls"]
    codes = {role: [c["code"] for c in sheet if c["role"] == role] for role in ("coin", "south")}
    room = Room()
    room.node(1, "Tern Two-Player Encoder", 6, [c["code"] for c in sheet], socket="hall:1")
    room.plug(1, "in")
    for code in (codes["coin"][0], codes["south"][1], codes["coin"][0], codes["coin"][0]):
        room.press(1, code)
    samples = home.samples("play", "arcade-4b", "--host", room.save(home.folder / "coin.room"))
    assert [s["unit"] for s in samples if s.get("event") == "seated"] == ["Tern Two-Player Encoder, right"], samples
    assert [s["port"] for s in samples if s.get("changed", {}).get("coin") == 1] == [1, 1], samples


def many_swaps(home):
    """Five swaps in one burst count as five."""
    (home.folder / "two.toml").write_text(PROFILE)
    room = Room()
    for number in (1, 2):
        room.pad(number, "Quill Sea Pad", 3, f"hall:{number}")
        room.plug(number, "in")
        room.press(number, "BTN_SOUTH")
    for _ in range(5):
        for code, value in (("BTN_START", 1), ("BTN_NORTH", 1), ("BTN_NORTH", 0), ("BTN_START", 0)):
            room.report(1, code, value)
    room.wait(500)
    room.press(1, "BTN_SOUTH")
    samples = home.samples("play", "two.toml", "--host", room.save(home.folder / "swaps.room"))
    assert sum(s.get("action") == "swap-ports" for s in samples) == 5, [s for s in samples if "action" in s]
    assert [s["port"] for s in samples if s.get("changed", {}).get("inner") == 1][-1] == 2, samples[-4:]


def owner_comes_back(home):
    """A replacement keeps playing, and both are named."""
    (home.folder / "rig.toml").write_text('omnipar = 1\nkind = "rig"\n[[unit]]\nname = "mine"\nseat = "seat-1"\nvendor = 0x1209\n'
                                          'product = 2\nmodel = "Fenwick Reading-Room Pad"\nsocket = "hall:1"\n'
                                          '[[unit]]\nname = "yours"\nseat = "seat-2"\nvendor = 0x1209\nproduct = 9\n'
                                          'model = "Holt Wheel"\nsocket = "hall:5"\n')
    room = Room()
    room.pad(1, "Fenwick Reading-Room Pad", 2, "hall:1")
    room.pad(2, "Quill Sea Pad", 3, "hall:2")
    room.plug(2, "in")
    room.press(2, "BTN_SOUTH")
    room.plug(1, "in")
    room.wait(100)
    out, _ = home.run("play", "pad-2b", "--host", room.save(home.folder / "back.room"), "--rig", "rig.toml")
    assert '-> seat-1 now uses both "Quill Sea Pad" and "mine"' in out, out


def own_seats(home):
    (home.folder / "own.toml").write_text('omnipar = 1\nkind = "rig"\n[[unit]]\nname = "a"\nseat = "shelf"\nvendor = 0x1209\nproduct = 2\n'
                                          'model = "Fenwick Reading-Room Pad"\nsocket = "hall:1"\n')
    room = Room()
    room.pad(1, "Fenwick Reading-Room Pad", 2, "hall:1")
    room.plug(1, "in")
    room.press(1, "BTN_SOUTH")
    path = room.save(home.folder / "own.room")
    samples = home.samples("play", "pad-2b", "--host", path, "--rig", "own.toml")
    assert [(s["seat"], s["event"]) for s in samples if "event" in s] == [("shelf", "back")], samples
    assert any(s.get("port") == 1 and s["changed"].get("inner") == 1 for s in samples), samples
    (home.folder / "two.toml").write_text(PROFILE)
    out, _ = home.run("play", "two.toml", "--host", path, "--rig", "own.toml")
    assert '"a" is assigned to seat shelf, which has no port here: press a button to take another seat' in out, out
    assert '"Fenwick Reading-Room Pad" takes port 1 (left)' in out, out
    _, talk = home.run("check", "two.toml", "--rig", "own.toml")
    assert 'No port is played from the seat of "a" (seat shelf)' in talk, talk
    _, talk = home.run("rig", "swap", "shelf", "nowhere", "--rig", "own.toml", status=2)
    assert "no unit in the rig is assigned to nowhere [unknown-seat]" in talk, talk
    # Options that can be repeated take one value each.
    home.run("rig", "rollcall", "--data", "own.toml", "one", "--host", path, "--rig", "new.toml")
    home.run("why", "--profile", "pad-2b", "--data", "own.toml", "south")
    _, talk = home.run("play", "pad-2b", "--keep", "../x", status=2)
    assert "'../x' is neither a profile name nor a profile file [bad-name]" in talk, talk


def run(home):
    for part in (shared_coin, many_swaps, owner_comes_back, own_seats):
        part(home)
