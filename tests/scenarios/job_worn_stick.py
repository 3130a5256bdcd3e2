"""A worn pad is calibrated, saved, drawn and played, and distinguished from the same unit with another range.

The pad is the demo's: its left stick rests off-centre, reaches three quarters of its range, and is mounted askew.
After the calibration it is pushed right, down, left and up.
"""
import math
import pathlib
import re
import shlex
import shutil
import struct
import tomllib

from job_05_two_socket_adapter import DESCRIPTOR, NAME, Adapter
from room import Room

WORN = str(pathlib.Path(__file__).resolve().parents[2] / "demo/worn.trace")
MACHINE = ["--profile", "pad-two-stick"]


def pushes(home, room, *more):
    """The minimum and maximum that the machine sees on x and y, and whether both return to rest."""
    samples = [s for s in home.samples("trace", "replay", room, *MACHINE, *more) if s.get("t", 0) > 27_000_000]
    seen = {"left-stick-x": [], "left-stick-y": []}
    for sample in samples:
        for name, value in sample.get("changed", {}).items():
            if name in seen:
                seen[name].append(value)
    return [(min(v), max(v), v[-1]) for v in seen.values()]


def is_picture(home, name):
    data = (home.folder / name).read_bytes()
    if name.endswith(".png"):
        assert data.startswith(b"\x89PNG") and struct.unpack(">II", data[16:24]) == (1280, 800), data[:30]
    else:
        assert b"<svg" in data and b'width="1280' in data, data[:300]


def is_put_by(home):
    """An interrupted calibration is stored and can be saved later; a new calibration replaces it."""
    half = home.folder / "half.trace"
    half.write_text("".join(open(WORN).read().splitlines(True)[:1500]))
    words = ["calibrate", "unit", "--seat", "sofa", "--rig", "half.toml", "--host", str(half)]
    _, talk = home.run(*words, status=1)
    resume = re.search(r"To save it: omnipar (.*) --resume", talk)
    assert resume and not (home.folder / "half.toml").exists(), talk
    out, _ = home.run(*shlex.split(resume[1]), "--resume")
    assert "Saved to" in out, out
    kept = tomllib.loads((home.folder / "calibrations/fenwick-worn-pad.toml").read_text())
    assert len(kept["stick"]) == 1 and "axis" not in kept, kept
    rig = tomllib.loads((home.folder / "half.toml").read_text())
    assert [u["seat"] for u in rig["unit"]] == ["sofa"], rig
    home.run(*words[:-2], "--resume", status=2)  # already saved
    home.run(*words, status=1)
    home.run(*words[:-1], WORN)
    home.run(*words[:-2], "--resume", status=2)  # the stored one is older
    shutil.rmtree(home.folder / "calibrations")


def lies_about(home):
    """A unit that lies idle for four days does not repeat the same message."""
    lines = open(WORN).read().splitlines(True)
    middle = len(lines) // 2
    later = [re.sub(r'^\{"t":(\d+)', lambda t: f'{{"t":{int(t[1]) + 100 * 3_600_000_000}', line) for line in lines[middle:]]
    (home.folder / "gap.trace").write_text("".join(lines[:middle] + later))
    _, talk = home.run("calibrate", "unit", "--seat", "sofa", "--rig", "gap.toml", "--host", "gap.trace")
    assert len(talk.splitlines()) < 60, len(talk.splitlines())
    shutil.rmtree(home.folder / "calibrations")


def run(home):
    is_put_by(home)
    lies_about(home)
    before = pushes(home, WORN)
    assert all(low > 30 and high < 230 for low, high, _ in before), before  # worn: no end is reached

    out, talk = home.run("calibrate", "unit", "--seat", "sofa", "--rig", "rig.toml", "--host", WORN, "--picture", "stick.svg")
    assert "octagon gate, rotated by 6.0 degrees, rests at 139 120" in out, out
    assert 'Added "Fenwick Worn Pad" to the rig at seat sofa.' in talk, talk
    is_picture(home, "stick.svg")
    kept = tomllib.loads((home.folder / "calibrations/fenwick-worn-pad.toml").read_text())
    stick = kept["stick"][0]
    assert abs(stick["turned"] - 6) < 0.5 and len(stick["edge"]) == 8 and stick["declared-x"] == [0, 255], stick

    after = pushes(home, WORN, "--rig", "rig.toml")
    for low, high, rest in after:  # noise is one and a half raw numbers, which is two of the machine's
        assert low <= 3 and high >= 252 and rest == 128, after

    # a single control, with another picture format; the other control's calibration is kept
    home.run("calibrate", "unit", "--only", "left-trigger", "--rig", "rig.toml", "--host", WORN, "--picture", "trigger.png")
    is_picture(home, "trigger.png")
    again = tomllib.loads((home.folder / "calibrations/fenwick-worn-pad.toml").read_text())
    assert again["stick"] == kept["stick"] and len(again["axis"]) == 1, again

    # without a calibration, ranges can be learned while playing, and saved
    (home.folder / "by-use").mkdir()
    (home.folder / "by-use/rig.toml").write_text((home.folder / "rig.toml").read_text())
    _, talk = home.run("play", "pad-two-stick", "--host", WORN, "--rig", "by-use/rig.toml", "--keep-ranges")
    assert 'Saved the range of 2 axes of "Fenwick Worn Pad"' in talk, talk
    ranges = {a["code"]: a for a in tomllib.loads((home.folder / "by-use/calibrations/fenwick-worn-pad.toml").read_text())["axis"]}
    assert 34 <= ranges["ABS_X"]["minimum"] <= 40 and 226 <= ranges["ABS_X"]["maximum"] <= 233, ranges  # a spike at 0 is ignored

    # the same name, but different numbers
    other = re.sub(r'"ABS_X":\[0,255\]', '"ABS_X":[0,511]', pathlib.Path(WORN).read_text())
    (home.folder / "other.trace").write_text(other)
    talk = home.run("units", "--host", "other.trace", "--rig", "rig.toml")[0]
    assert "its calibration is not used" in talk, talk
    assert all(low > 10 for low, _, _ in pushes(home, "other.trace", "--rig", "rig.toml")), "a calibration of another range is used"

    # a full disk, an unwritable folder: existing files are unchanged
    path = home.folder / "calibrations/fenwick-worn-pad.toml"
    text = path.read_text()
    (home.folder / "nowhere.svg").mkdir()
    home.run("calibrate", "unit", "--only", "left-stick", "--rig", "rig.toml", "--host", WORN, "--picture", "nowhere.svg", status=3)
    assert tomllib.loads(path.read_text())["stick"] == kept["stick"]
    path.write_text(text.replace("edge = [[", "edge = [[139, 120], ["))  # an edge that does not enclose the rest
    talk = home.run("units", "--host", WORN, "--rig", "rig.toml")[1]
    assert "the edge does not surround the rest position" in talk, talk

    measure_old_stick(home)


def measure_old_stick(home):
    """One socket of the adapter: raw reports, a stick that is not self-centering, off-centre, and four pushes."""
    room = Room()
    room.raw_unit(1, NAME, 3, DESCRIPTOR)
    room.plug(1, "in")
    adapter = Adapter(room)
    adapter.plugged = 3
    room.wait(300)
    adapter.send()

    def to(x, y, wait=12):
        adapter.sticks[1] = [round(140 + 80 * x), round(126 + 70 * y)]
        adapter.send(wait)

    adapter.press(1, 0)                                          # selects this one
    for _ in range(60):
        to(0.3, -0.2, 40)
    for i in range(520):
        angle = 2 * math.pi * 2.6 * i / 520
        to(min(1, i / 15) * math.cos(angle), min(1, i / 15) * math.sin(angle))
    for _ in range(220):                                         # left near the edge
        to(-0.6, 0.5, 30)
    for x, y in ((0, -1), (1, 0), (0, 1), (-1, 0)):
        for _ in range(70):                                      # pushed, and left there
            to(x, y, 30)
    adapter.press(1, 0)
    path = home.folder / "plugs.trace"
    room.save(path)
    out, talk = home.run("calibrate", "unit", "--seat", "left", "--rig", "plugs.toml", "--host", "plugs.trace")
    assert "round gate" in out and "not self-centering" in out, out + talk
    kept = tomllib.loads(next((home.folder / "calibrations").glob("quill*")).read_text())
    stick = kept["stick"][0]
    assert stick["x"].startswith("hid:") and stick["self-centering"] is False, stick
    assert abs(stick["rest"][0] - 140) < 2 and abs(stick["rest"][1] - 126) < 2 and abs(stick.get("turned", 0)) < 1.5, stick
    assert stick["declared-x"] == [20, 236], stick               # that socket's own range
