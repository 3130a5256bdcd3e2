"""The live view: the test of two players can be saved and repeated; a dead switch is named; a stick must reach its ends."""
import json

from room import Room

LEFT = {"up": "KEY_HOME", "down": "KEY_END", "left": "KEY_DELETE", "right": "KEY_PAGEDOWN", "button-4": "KEY_V",
        "button-5": "KEY_RIGHTALT", "button-1": "KEY_B", "button-2": "KEY_RIGHTSHIFT", "button-3": "KEY_N",
        "button-6": "KEY_M", "start": "KEY_F9"}
RIGHT = {"up": "KEY_U", "down": "KEY_J", "left": "KEY_H", "right": "KEY_L", "button-4": "KEY_O", "button-5": "KEY_P",
         "button-1": "KEY_Y", "button-2": "KEY_T", "button-3": "KEY_C", "button-6": "KEY_E", "start": "KEY_F10"}
COIN = "KEY_F7"  # the door serves both

CABINET = """omnipar = 1
kind = "profile"
name = "Cabinet"
system = "arcade-6b"
[port.1]
seat = "left"
[port.2]
seat = "right"
like = 1
"""


def tried(home, name, left, right):
    """A room in which both players are seated and press these."""
    room = Room()
    room.node(1, "Tern Two-Player Encoder", 6, [*LEFT.values(), *RIGHT.values(), COIN], socket="hall:1", device="hall:1")
    room.plug(1, "in")
    room.wait(200)
    for seated in (LEFT["button-4"], RIGHT["button-4"]):
        room.press(1, seated)
    for code in [*left, *right, COIN]:
        room.press(1, code)
    return room.save(home.folder / name)


def cabinet(home):
    (home.folder / "cabinet.toml").write_text(CABINET)
    words = ["watch", "cabinet.toml", "--tick-off", "--speed", "1000", "--host"]
    whole = tried(home, "whole.room", LEFT.values(), RIGHT.values())
    out, _ = home.run(*words, whole)
    assert out == "Players 1 and 2 are complete.\n", out
    kept = home.run(*words, whole, "--json")[0]
    assert home.run(*words, whole, "--json")[0] == kept
    result = json.loads(kept)
    assert result["complete"] and result["lost"] == 0
    for player in result["players"]:
        assert player["open"] == [] and {t["presses"] for t in player["targets"]} <= {1, 2}, player
        assert [t["presses"] for t in player["targets"]].count(2) <= 1, player  # the press that claimed the seat

    # A dead switch, and a wire to the wrong switch.
    broken = tried(home, "broken.room", LEFT.values(), [RIGHT[t] for t in RIGHT if t != "down"] + [RIGHT["up"]])
    out, _ = home.run(*words, broken, status=1)
    assert out == "Player 1 is complete.\nPlayer 2 is missing down.\n", out
    players = json.loads(home.run(*words, broken, "--json", status=1)[0])["players"]
    assert [p["open"] for p in players] == [[], ["down"]], players
    assert [t["presses"] for t in players[1]["targets"] if t["target"] == "up"] == [2], players


def alone(home):
    """Without options all connected players are tested; requested players must be present."""
    room = tried(home, "alone.room", LEFT.values(), [])
    lines = room and open(room).read().splitlines()
    without_right = [line for line in lines if RIGHT["button-4"] not in line or '"node": 1, "name"' in line]
    open(room, "w").write("\n".join(without_right) + "\n")
    words = ["watch", "arcade-6b", "--tick-off", "--speed", "1000", "--host", room]
    out, _ = home.run(*words)
    assert out == "Player 1 is complete.\nNo input from player 2.\n", out
    home.run(*words, "--players", "1")
    home.run(*words, "--players", "1,2", status=1)


def stick(home):
    """A stick that does not reach its end on one side is not ticked, and the side is named."""
    room = Room()
    room.pad(1, "Moor Pad", 4, "hall:1")
    room.plug(1, "in")
    room.wait(200)
    room.press(1, "BTN_SOUTH")
    for x, y in ((0, -32768), (0, 32767), (-20000, 0), (32767, 0), (0, 0)):
        room.report(1, "ABS_X", x, "ABS_Y", y)
        room.wait(100)
    path = room.save(home.folder / "stick.room")
    out, _ = home.run("watch", "pad-two-stick", "--players", "1", "--tick-off", "--speed", "1000", "--host", path, status=1)
    assert "left-stick (left)" in out, out


def run(home):
    cabinet(home)
    alone(home)
    stick(home)
