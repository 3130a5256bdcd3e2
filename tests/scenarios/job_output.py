"""Output is complete or an error, safe for a terminal, and true."""
import fcntl
import json
import os
import pty
import re
import struct
import subprocess
import termios
import threading

from room import Room

HARM = "blue \x9b31m\u202egnip\x1b[2J pad"


def status_of(home, words, stdout):
    environment = {n: v for n, v in os.environ.items() if not n.startswith("XDG_")} | {"HOME": str(home.folder)}
    got = subprocess.run([home.tool, *words], cwd=home.folder, env=environment, stdout=stdout, stderr=subprocess.PIPE,
                         text=True, timeout=60, stdin=subprocess.DEVNULL)
    return got.returncode, got.stderr


def full_disk(home, room):
    for words in (["catalogue"], ["units", "--json", "--host", room], ["check", "pad-2b"], ["trace", "replay", room, "--profile", "pad-2b"],
                  ["catalogue", "show", "pad-2b"], ["demo"], ["why", "south", "--profile", "pad-2b"], ["--version"], ["play", "--help"]):
        with open("/dev/full", "w", encoding="utf-8") as full:
            status, talk = status_of(home, words, full)
        assert status == 3 and "write error (No space left on device)" in talk, (words, status, talk)
        shell = subprocess.run(["sh", "-c", 'exec "$0" "$@" >&-', home.tool, *words], cwd=home.folder, capture_output=True,
                               text=True, env={**os.environ, "HOME": str(home.folder)}, timeout=60)
        assert shell.returncode == 3 and "write error" in shell.stderr, (words, shell)


def escape_codes(home):
    """The names of units, the descriptions of rooms, and the titles of sheets and profiles are untrusted."""
    room = Room()
    room.lines[0]["about"] = HARM
    room.pad(1, HARM, 2, "hall:1")
    room.plug(1, "in")
    room.press(1, "BTN_SOUTH")
    room.lines[-1]["lesson"] = HARM
    path = room.save(home.folder / "harm.room")
    (home.folder / "harm.toml").write_text('omnipar = 1\nkind = "profile"\nname = "a\\u009bb\\u202ec"\nsystem = "pad-2b"\n'
                                           '[port.1]\nseat = "left"\n')
    (home.folder / "sheet.toml").write_text('omnipar = 1\nkind = "unit"\nname = "harm"\ntitle = "t\\u009b\\u202e"\n'
                                            'identity = [{ vendor = 0x1209, product = 2 }]\n'
                                            '[[control]]\ncode = "BTN_SOUTH"\nrole = "south"\nlabel = "l\\u001b[2J"\n')
    for words in (["units", "--host", path], ["trace", "replay", path, "--profile", "pad-2b"], ["play", "pad-2b", "--host", path],
                  ["play", "harm.toml", "--show-plan"], ["why", "south", "--profile", "harm.toml"], ["check", "harm.toml"],
                  ["catalogue", "show", "harm", "--data", "sheet.toml"], ["units", "--host", path, "--data", "sheet.toml"]):
        for more in ([], ["--json"]):
            if more and "--show-plan" in words:
                continue
            got = subprocess.run([home.tool, *words, *more], cwd=home.folder, capture_output=True, timeout=60,
                                 env={**os.environ, "HOME": str(home.folder)})
            text = (got.stdout + got.stderr).decode()
            assert not any(c in text for c in "\x1b\x9b\u202e"), (words, more, text)
    name = json.loads(home.run("units", "--host", path, "--json")[0])[0]["name"]
    assert "\x1b" not in name, name


def on_a_terminal(home, words, columns, **more):
    """Output on a terminal of this width, up to an end mark, because a closing terminal can lose the rest."""
    ours, theirs = pty.openpty()
    fcntl.ioctl(theirs, termios.TIOCSWINSZ, struct.pack("HHHH", 25, columns, 0, 0))
    environment = {**os.environ, "HOME": str(home.folder), "TERM": "xterm", "NO_COLOR": "", **more}
    said, mark = b"", b"<end of the program>"
    with subprocess.Popen([home.tool, *words], cwd=home.folder, env=environment, stdin=subprocess.DEVNULL, stdout=theirs, stderr=theirs) as program:
        ending = threading.Thread(target=lambda: (program.wait(), os.write(theirs, mark)))
        ending.start()
        while not said.endswith(mark):
            said += os.read(ours, 65536)
        ending.join()
    os.close(theirs)
    os.close(ours)
    assert program.returncode in (0, 2), (words, program.returncode, said)
    return said.removesuffix(mark).decode()


def terminals(home, room):
    """Colours only on terminals that support them, and tables as wide as the terminal, from 80 columns on."""
    replay = ["trace", "replay", room, "--profile", "pad-two-stick"]
    assert "\x1b[1;36m" in on_a_terminal(home, replay, 120)
    for plain in (on_a_terminal(home, replay, 120, NO_COLOR="1"), on_a_terminal(home, replay, 120, TERM="dumb"),
                  on_a_terminal(home, [*replay, "--color", "never"], 120), home.run(*replay)[0]):
        assert "\x1b" not in plain, plain
    assert "\x1b[1;31m" in on_a_terminal(home, ["check", "nothing.toml"], 80)
    coloured = on_a_terminal(home, ["why", "\x0erblood\x0eZ", "--profile", "pad-2b", "--color", "always"], 80)
    assert "blood" in coloured and "\x0e" not in coloured and coloured.count("\x1b[0m") >= coloured.count("\x1b[1"), coloured
    for columns in (80, 100, 160):
        said = re.sub("\x1b\\[[0-9;]*m", "", on_a_terminal(home, replay, columns)).replace("\r", "")
        table = [line for line in said.split("\n") if " ms  " in line or line.startswith("     time")]
        assert len(table) > 2 and max(map(len, table)) <= columns, (columns, table)
        pressed = next(line for line in table if "bottom" in line)
        assert pressed.index("bottom") == table[0].index("port 1"), table


def small_truths(home, room):
    (home.folder / "empty.trace").write_text("")
    for words in (["check", "empty.trace"], ["trace", "replay", "empty.trace", "--profile", "pad-2b"], ["units", "--host", "empty.trace"]):
        out, talk = home.run(*words, status=2)
        assert "empty.trace: the file is empty [not-a-trace]" in out + talk, (words, out, talk)
    out, _ = home.run("check", room if room.endswith(".trace") else "evening.trace")
    assert "is OK: a trace of 3 events." in out, out
    _, talk = home.run("check", "pad-2b", "--data", "nowhere.toml", status=2)
    assert "nowhere.toml: no such file" in talk, talk
    _, talk = home.run("rig", "rollcall", "a", "a", "--host", room, status=2)
    assert "duplicate seat 'a' [seat-twice]" in talk, talk
    (home.folder / "broken.toml").write_text("omnipar = 1\nkind = 'rig'\n[[unit]]\n")
    _, talk = home.run("rig", "rollcall", "a", "--host", room, "--rig", "broken.toml", status=2)
    assert "press" not in talk and "Nothing was changed." in talk, talk
    for words in (["play", "pad-2b", "--rumble", "nan"], ["play", "pad-2b", "--wait-at-most", "-5", "--", "true"],
                  ["units", "--listen", "inf"], ["rig", "rollcall", "a", "--seconds", "-1"]):
        _, talk = home.run(*words, status=2)
        assert "invalid number " in talk, (words, talk)
    out, _ = home.run("--version")
    assert out.startswith("Omnipar 0."), out
    (home.folder / "one.toml").write_text('omnipar = 1\nkind = "profile"\nname = "one"\nsystem = "pad-2b"\n'
                                          '[port.1]\nseat = "left"\n')
    out, _ = home.run("check", "one.toml")
    assert ": 1 seat, " in out, out


def run(home):
    room = Room()
    room.pad(1, "Fenwick Reading-Room Pad", 2, "hall:1")
    room.plug(1, "in")
    room.press(1, "BTN_SOUTH")
    path = room.save(home.folder / "evening.trace")
    full_disk(home, path)
    escape_codes(home)
    room.press(1, "BTN_SOUTH")
    terminals(home, room.save(home.folder / "longer.trace"))
    small_truths(home, path)
