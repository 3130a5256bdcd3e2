"""Missing controls are named, a room changes no user files, and each mistake is reported with a remedy."""
import json
import os
import resource
import shutil
import subprocess

from room import Room

SHEET = ('omnipar = 1\nkind = "unit"\nname = "{0}"\ntitle = "{0}"\nidentity = [{{ vendor = 0x1209, product = {1}{2} }}]\n'
         '[[control]]\ncode = "{3}"\nrole = "{4}"\nlabel = "l"\n')


def missing_controls(home):
    """A mat without directions is seated, and its missing targets are reported; every control without a role is named."""
    room = Room()
    room.node(1, "Loft Mat", 32, ["BTN_TRIGGER", "BTN_THUMB", "BTN_THUMB2", "BTN_TOP"], {"ABS_THROTTLE": [0, 255]}, socket="hall:1")
    room.plug(1, "in")
    room.press(1, "BTN_TRIGGER")
    path = room.save(home.folder / "mat.room")
    out, _ = home.run("play", "pad-2b", "--host", path)
    assert 'seat-1: "Loft Mat" has no control for up, down, left, right, select and start' in out, out
    out, _ = home.run("units", "--host", path)
    assert "without a role: ABS_THROTTLE; a sheet can assign them" in out, out
    assert json.loads(home.run("units", "--host", path, "--json")[0])[0]["without-role"] == ["ABS_THROTTLE"]
    # A game pad with ten numbered buttons, all of which work.
    room = Room()
    buttons = ["BTN_SOUTH", "BTN_EAST", "BTN_C", "BTN_NORTH", "BTN_WEST", "BTN_Z", "BTN_TL", "BTN_TR", "BTN_TL2", "BTN_TR2"]
    room.node(1, "Ten Pad", 33, buttons, {"ABS_X": [0, 255], "ABS_Y": [0, 255], "ABS_Z": [0, 255], "ABS_RZ": [0, 255]}, socket="hall:1")
    room.plug(1, "in")
    for button in buttons:
        room.press(1, button)
    path = room.save(home.folder / "ten.room")
    out, _ = home.run("units", "--host", path)
    assert "without a role" not in out, out
    seen = {name for s in home.samples("play", "pad-two-stick", "--host", path) for name, v in s.get("changed", {}).items() if v}
    assert {"outer", "inner", "top", "left-shoulder", "right-shoulder", "left-trigger", "right-trigger", "select", "start"} <= seen, seen


def others(home):
    """A mouse without a sheet, and a gun that is a pointer and a keyboard: one line, and a draft for it."""
    room = Room()
    room.node(1, "Loft Ball", 34, ["BTN_LEFT", "BTN_RIGHT", "REL_X", "REL_Y"], socket="hall:1", device="hall:1")
    room.node(2, "Loft Gun Mouse", 35, ["BTN_LEFT"], {"ABS_X": [0, 999], "ABS_Y": [0, 999]}, socket="hall:2", device="hall:2", interface=0)
    room.node(3, "Loft Gun Keyboard", 35, ["KEY_G", "KEY_H", "KEY_ENTER"], socket="hall:2", device="hall:2", interface=1)
    room.node(4, "Loft Board", 39, ["KEY_G", "KEY_H"], socket="hall:3", device="hall:3")
    room.node(5, "Loft Board", 39, ["KEY_G", "KEY_H"], socket="hall:4", device="hall:4")
    for number in (1, 2, 3, 4, 5):
        room.plug(number, "in")
    path = room.save(home.folder / "others.room")
    _, talk = home.run("units", "--host", path, status=1)
    assert '"Loft Ball" (mouse), "Loft Gun Mouse" (mouse and keyboard) and 2 of "Loft Board" (keyboard)' in talk, talk
    out, _ = home.run("catalogue", "report", "Loft Gun Keyboard", "--host", path)
    assert 'code = "keys/KEY_G"' in out, out


def sheets_by_number(home):
    """The closest identity wins, and a sheet without any of the unit's controls does not match."""
    room = Room()
    room.node(1, "Loft Ball", 34, ["BTN_LEFT", "REL_X", "REL_Y"], socket="hall:1")
    room.node(2, "Loft Pad", 34, ["BTN_SOUTH", "BTN_EAST"], {"ABS_X": [0, 255], "ABS_Y": [0, 255]}, socket="hall:2")
    for number in (1, 2):
        room.plug(number, "in")
    path = room.save(home.folder / "numbers.room")
    (home.folder / "gun.toml").write_text(SHEET.format("loft-gun", 34, "", "ABS_X", "wheel"))
    (home.folder / "exact.toml").write_text(SHEET.format("loft-pad", 34, ', name = "Loft Pad"', "BTN_SOUTH", "start"))
    for order in (("gun.toml", "exact.toml"), ("exact.toml", "gun.toml")):
        out, talk = home.run("units", "--host", path, "--data", order[0], "--data", order[1])
        assert "sheet 'loft-pad'" in out and "loft-gun" not in out, out
        assert "\"Loft Ball\" (mouse; the sheet 'loft-gun' has its ids but other controls)" in talk, talk


def two_of_a_role(home):
    """Of two controls with one role the one pushed furthest counts, whichever reported last."""
    room = Room()
    room.node(1, "Loft Pedals", 36, ["BTN_TRIGGER"], {"ABS_X": [0, 255], "ABS_Y": [0, 255], "ABS_Z": [0, 200], "ABS_RZ": [0, 200]}, socket="hall:1")
    room.plug(1, "in")
    room.press(1, "BTN_TRIGGER")
    for code, value in (("ABS_Z", 200), ("ABS_RZ", 50), ("ABS_RZ", 0), ("ABS_Z", 0)):
        room.report(1, code, value)
        room.wait(100)
    (home.folder / "pedals.toml").write_text(SHEET.format("loft-pedals", 36, "", "ABS_Z", "right-trigger") +
                                             '[[control]]\ncode = "ABS_RZ"\nrole = "right-trigger"\nlabel = "m"\n'
                                             '[[control]]\ncode = "BTN_TRIGGER"\nrole = "south"\nlabel = "n"\n')
    samples = home.samples("play", "pad-two-stick", "--host", room.save(home.folder / "pedals.room"), "--data", "pedals.toml")
    values = [s["changed"]["right-trigger"] for s in samples if "right-trigger" in s.get("changed", {})]
    assert len(values) == 2 and values[0] > values[1] == 0, values


def a_room_is_not_ours(home):
    """With --host no user file is read or written unless it is named."""
    room = Room()
    room.pad(1, "Fenwick Reading-Room Pad", 2, "hall:1")
    room.plug(1, "in")
    room.press(1, "BTN_SOUTH")
    path = room.save(home.folder / "evening.room")
    own = home.folder / ".config/omnipar"
    (own / "profiles").mkdir(parents=True)
    (own / "sheets").mkdir()
    (own / "rig.toml").write_text("this is no rig")
    (own / "profiles/mine.toml").write_text('omnipar = 1\nkind = "profile"\nname = "mine"\nsystem = "pad-2b"\n[port.1]\nseat = "left"\n')
    (own / "sheets/bad.toml").write_text("this is no sheet")
    before = home.files()
    for words in (["units"], ["play", "pad-2b"], ["why", "south", "--profile", "pad-2b"]):
        _, talk = home.run(*words, "--host", path)
        assert "this is no" not in talk, talk
    for words in (["rig", "rollcall", "left"], ["rig", "add", "left"], ["play", "pad-2b", "--keep", "./x.toml"],
                  ["play", "pad-2b", "--keep", "x"], ["calibrate", "combinations", "pad"]):
        _, talk = home.run(*words, "--host", path, status=2)
        assert "[not-named]" in talk and "press" not in talk, (words, talk)
    _, talk = home.run("play", "mine", "--host", path, status=2)
    assert "with --host, name your profiles by their files: " in talk, talk
    home.run("play", str(own / "profiles/mine.toml"), "--host", path)
    assert home.files() == before
    home.run("rig", "rollcall", "left", "--host", path, "--rig", "room-rig.toml")
    assert "hall:1" in home.files()["room-rig.toml"] and home.files()[".config/omnipar/rig.toml"] == "this is no rig"


def seats_are_cleared(home):
    """After a roll call the seat's previous unit has no seat but keeps its name, and can claim a seat by a press."""
    room = Room()
    room.pad(1, "Fenwick Reading-Room Pad", 2, "hall:1")
    room.pad(2, "Quill Sea Pad", 3, "hall:2")
    for number in (1, 2):
        room.plug(number, "in")
    now = room.now
    lines = list(room.lines)
    room.press(1, "BTN_SOUTH")
    first = room.save(home.folder / "first.room")
    room.lines, room.now = lines, now
    room.press(2, "BTN_SOUTH")
    second = room.save(home.folder / "second.room")
    home.run("rig", "rollcall", "left", "--host", first, "--rig", "r.toml")
    _, talk = home.run("rig", "rollcall", "left", "--host", second, "--rig", "r.toml")
    assert '"Fenwick Reading-Room Pad" was at left before, and has no seat now.' in talk, talk
    out, _ = home.run("rig", "show", "--rig", "r.toml")
    assert out.startswith('(no seat)       "Fenwick Reading-Room Pad"'), out
    (home.folder / "p.toml").write_text('omnipar = 1\nkind = "profile"\nname = "p"\nsystem = "pad-2b"\n'
                                        '[port.1]\nseat = "left"\n[port.2]\nseat = "right"\n')
    room.press(1, "BTN_SOUTH")
    home.run("play", "p.toml", "--host", room.save(home.folder / "both.room"), "--rig", "r.toml", "--keep", "p.toml")
    rig = json.loads(home.run("rig", "show", "--rig", "r.toml", "--json")[0])
    assert [(u["name"], u["seat"]) for u in rig] == [("Fenwick Reading-Room Pad", "right"), ("Quill Sea Pad", "left")], rig
    # 'add' puts another unit at a seat without removing any.
    home.run("rig", "add", "left", "--host", first, "--rig", "r.toml")
    assert [u["seat"] for u in json.loads(home.run("rig", "show", "--rig", "r.toml", "--json")[0])] == ["left", "left"]


def doubts(home):
    """The reason for an uncertain recognition is reported truthfully."""
    def asked(known, there):
        (home.folder / "doubt.toml").write_text('omnipar = 1\nkind = "rig"\n' + "".join(
            f'[[unit]]\nname = "{name}"\nseat = "{seat}"\nvendor = 0x1209\nproduct = 3\nmodel = "Quill Sea Pad"\n'
            + (f'socket = "{socket}"\n' if socket else "") for name, seat, socket in known))
        room = Room()
        for number, socket in enumerate(there, 1):
            room.pad(number, "Quill Sea Pad", 3, socket)
        for number in range(1, len(there) + 1):
            room.plug(number, "in")
        out, _ = home.run("play", "pad-2b", "--host", room.save(home.folder / "doubt.room"), "--rig", "doubt.toml")
        return out

    one, two = ("a", "seat-1", "hall:1"), ("b", "seat-2", "hall:2")
    assert '-> seat-1: "a" is in another socket: press a button on yours' in asked([one], ["hall:9"])
    assert '-> seat-1: "a" is in another socket, and others look the same: press a button on yours' in asked([one, two], ["hall:8", "hall:9"])
    assert '-> seat-1: "a" is identified only by its model: press a button on yours' in asked([("a", "seat-1", "")], ["hall:9"])


def bad_descriptors(home):
    room = Room()
    room.raw_unit(1, "Bent Pad", 37, [0x05, 0x01, 0xA1, 0x01, 0x75])
    room.plug(1, "in")
    path = room.save(home.folder / "bent.trace")
    for words in (["trace", "replay", path, "--profile", "pad-2b"], ["units", "--host", path], ["check", path],
                  ["catalogue", "report", "Bent", "--host", path]):
        got = subprocess.run([home.tool, *words], cwd=home.folder, capture_output=True, text=True, timeout=60,
                             env={**os.environ, "HOME": str(home.folder)}, check=False)
        assert '"Bent Pad", byte 4' in got.stdout + got.stderr and "[bad-descriptor]" in got.stdout + got.stderr, (words, got)


def files_that_cannot_be_read(home):
    """A calibration that is a folder, several mistakes in one file, a profile named like a machine."""
    (home.folder / "c.toml").write_text('omnipar = 1\nkind = "rig"\n')
    (home.folder / "calibrations/pad.toml").mkdir(parents=True)
    _, talk = home.run("rig", "show", "--rig", "c.toml")
    assert "calibrations/pad.toml: this is a folder, pipe or device, not a regular file [not-a-file]" in talk, talk
    (home.folder / "two.toml").write_text('omnipar = 1\nkind = "profile"\nname = "two"\nsystem = "pad-2b"\n[port.1]\nseat = "left"\n'
                                          'bind.inner = { use = "sowth", long-press = "long" }\n')
    out, _ = home.run("check", "two.toml", status=2)
    assert "[unknown-role]" in out and "[wrong-type]" in out, out
    (home.folder / "kind.toml").write_text("omnipar = 1\nkind = 3\n")
    out, _ = home.run("check", "kind.toml", status=2)
    assert "kind.toml:2:8: 'kind' must be a text, not a whole number [wrong-type]" in out, out
    (home.folder / "deep.toml").write_text("omnipar = 1\na = " + "[" * 300 + "\n")
    out, _ = home.run("check", "deep.toml", status=2)
    assert "nested more than 32 levels deep [too-deep]" in out and "TOML" not in out, out
    profiles = home.folder / ".config/omnipar/profiles"
    profiles.mkdir(parents=True, exist_ok=True)
    (profiles / "pad-2b.toml").write_text((home.folder / "two.toml").read_text().split("bind")[0])
    _, talk = home.run("play", "pad-2b", "--show-plan")
    assert "your profile has the same name as the machine 'pad-2b' and overrides it [name-of-a-machine]" in talk, talk
    (profiles / "pad-2b.toml").unlink()
    if os.geteuid() == 0:  # root can read every folder, so an ordinary user tries
        ordinary = ["setpriv", "--reuid=65534", "--regid=65534", "--clear-groups"]
        os.chmod(home.folder, 0o755)
    else:
        ordinary = []
    os.chmod(profiles, 0)
    tool = shutil.copy(home.tool, home.folder / "tool")  # where another user can reach it
    got = subprocess.run([*ordinary, tool, "profile", "list"], cwd="/", capture_output=True, text=True, timeout=60,
                         env={"PATH": os.environ["PATH"], "HOME": str(home.folder)}, check=False)
    os.chmod(profiles, 0o755)
    os.remove(tool)
    assert got.returncode == 3 and "profiles: cannot read it: Permission denied [unreadable]" in got.stderr, got


def words_and_options(home):
    for words, said in ((["units", "--jsn"], "'omnipar units' has no option '--jsn' [bad-arguments]\n  did you mean '--json'?"),
                        (["rig", "shwo"], "'omnipar rig' has no command 'shwo' [bad-arguments]\n  did you mean 'show'?"),
                        (["profile", "new", "", "--system", "pad-2b"], "invalid profile name '' [bad-name]"),
                        (["profile", "new", "pad-4b", "--system", "pad-2b"], "'pad-4b' is the name of a machine [name-twice]"),
                        (["why", "sofa/south", "--profile", "pad-2b"], "no port in this profile is played from seat 'sofa' [unknown-seat]\n  its seats are: seat-1 and seat-2"),
                        (["why", "inner", "--profile", "pad-2b"], "'inner' is a target of the machine, not a control of a unit"),
                        (["doctor", "--fix", "--uninstall"], "--fix and --uninstall cannot be combined")):
        _, talk = home.run(*words, status=2)
        assert said in talk, (words, talk)
    _, talk = home.run("why", "home", "--profile", "pad-2b", status=1)
    assert "'home' is not bound in this profile." in talk, talk
    # Every error with --json is JSON.
    for words, status in ((["units", "--json", "--host", "nowhere.trace"], 2), (["play", "nothing", "--json"], 2),
                          (["rig", "seat", "nobody", "left", "--json"], 2), (["catalogue", "show", "nothing", "--json"], 2),
                          (["profile", "undo", "nothing", "--json"], 2), (["trace", "cut", "nowhere.trace", "piece.trace", "--json"], 2),
                          (["why", "sofa/south", "--profile", "pad-2b", "--json"], 2), (["calibrate", "combinations", "x", "--json"], 2),
                          (["units", "--json", "--frob"], 2), (["doctor", "--rule", "Nobody", "--json"], 1)):
        out, _ = home.run(*words, status=status)
        assert json.loads(out)["problems"][0]["id"], (words, out)
    # Raw controls of the units of a room.
    room = Room()
    room.pad(1, "Fenwick Reading-Room Pad", 2, "hall:1")
    room.plug(1, "in")
    path = room.save(home.folder / "why.trace")
    out, _ = home.run("why", "BTN_SOUTH", "--profile", "pad-2b", "--host", path)
    assert out.startswith("BTN_SOUTH is 'south' by \"Fenwick Reading-Room Pad\":"), out
    _, talk = home.run("why", "BTN_TRIGGER", "--profile", "pad-2b", "--host", path, status=2)
    assert "no unit in this room has a control 'BTN_TRIGGER' with a role" in talk, talk
    _, talk = home.run("trace", "cut", path, "late.trace", "--from", "500", status=2)
    assert "the part starts at 500 s, but the trace ends at 0 s [bad-piece]" in talk, talk
    assert not (home.folder / "late.trace").exists()
    for command in (["rig"], ["rig", "show"], ["catalogue"], ["catalogue", "list"], ["catalogue", "show"], ["catalogue", "fields"],
                    ["catalogue", "report"]):
        out, _ = home.run(*command, "--help")
        assert "Exit status: 0" in out, (command, out)


def without_a_home(home):
    environment = {"PATH": os.environ["PATH"]}
    got = subprocess.run([home.tool, "profile", "new", "mine", "--system", "pad-2b"], capture_output=True, text=True, timeout=60,
                         env=environment, cwd=home.folder, check=False)
    assert got.returncode == 2 and "no home folder: HOME is not set [no-home]" in got.stderr, got
    got = subprocess.run([home.tool, "profile", "new", "./mine.toml", "--system", "pad-2b"], capture_output=True, text=True, timeout=60,
                         env=environment, cwd=home.folder, check=False)
    assert got.returncode == 0 and 'name = "mine"' in (home.folder / "mine.toml").read_text(), got
    got = subprocess.run([home.tool, "units", "--host", "why.trace"], capture_output=True, text=True, timeout=60, env=environment,
                         cwd=home.folder, check=False)
    assert got.returncode == 0, got


def many_at_once(home):
    """Concurrent commands that change one profile take turns."""
    home.run("profile", "new", "busy", "--system", "pad-4b")
    targets = ["outer", "bottom", "top", "inner", "select", "start"]
    environment = {n: v for n, v in os.environ.items() if not n.startswith("XDG_")} | {"HOME": str(home.folder)}
    running = [subprocess.Popen([home.tool, "profile", "set", "busy", t, "north"], env=environment, stdout=subprocess.DEVNULL,
                                stderr=subprocess.PIPE) for t in targets]
    failed = [r.stderr.read() for r in running if r.wait(60) != 0]
    assert not failed, failed
    assert home.files()[".config/omnipar/profiles/busy.toml"].count('"north"') >= len(targets)


def work_of(home, *words):
    """Processor time, the minimum of three runs, which other programs hardly affect."""
    times = []
    for _ in range(3):
        before = resource.getrusage(resource.RUSAGE_CHILDREN).ru_utime
        subprocess.run([home.tool, *words], cwd=home.folder, env={**os.environ, "HOME": str(home.folder)}, stdout=subprocess.PIPE,
                       stderr=subprocess.PIPE, timeout=60, check=False)
        times.append(resource.getrusage(resource.RUSAGE_CHILDREN).ru_utime - before)
    return min(times)


def large_ones(home):
    """Lists are short, and four times the input takes about four times the work."""
    def fields(n):
        (home.folder / "fields.toml").write_text('omnipar = 1\nkind = "profile"\nname = "x"\nsystem = "pad-2b"\n'
                                                 + "".join(f"u{i} = 1\n" for i in range(n)))
        return ["check", "fields.toml"]

    def binds(n):
        (home.folder / "binds.toml").write_text('omnipar = 1\nkind = "profile"\nname = "x"\nsystem = "pad-2b"\n[port.1]\nseat = "l"\n'
                                                '[port.1.bind]\n' + "".join(f'u{i} = "south"\n' for i in range(n)))
        return ["check", "binds.toml"]

    def nodes(n):
        room = Room()
        for i in range(1, n + 1):
            room.pad(i, f"Pad {i}", 2, f"hall:{i}")
        for i in range(1, n + 1):
            room.plug(i, "in")
        return ["trace", "replay", room.save(home.folder / "nodes.trace"), "--profile", "pad-2b"]

    def buttons(n):
        room = Room()
        same = [0x05, 0x09, 0x09, 0x01, 0x15, 0, 0x25, 1, 0x75, 1, 0x96, n & 255, n >> 8, 0x81, 2, 0xC0]
        room.raw_unit(1, "Wide", 38, [5, 1, 9, 5, 0xA1, 1] + same)
        room.plug(1, "in")
        return ["trace", "replay", room.save(home.folder / "wide.trace"), "--profile", "pad-2b"]

    out, _ = home.run(*fields(60000), status=2)
    assert out.count("\n") < 300 and "and 59951 more problems [more-problems]" in out, out[-500:]
    for make, few in ((fields, 15000), (binds, 15000), (nodes, 500), (buttons, 500)):
        once, four_times = work_of(home, *make(few)), work_of(home, *make(4 * few))
        assert four_times < 10 * once, (make.__name__, once, four_times)


def run(home):
    for part in (missing_controls, others, sheets_by_number, two_of_a_role, a_room_is_not_ours):
        part(home)
    for name in ("rig.toml", "sheets/bad.toml"):
        (home.folder / ".config/omnipar" / name).unlink()
    for part in (seats_are_cleared, doubts, bad_descriptors, files_that_cannot_be_read, words_and_options, without_a_home, many_at_once, large_ones):
        part(home)
