"""Two concurrent commands change the same household: the result is the same as running one after the other,
in one of the two orders.
"""
import concurrent.futures
import os
import pathlib
import random
import shutil
import subprocess
import tomllib

ROOT = pathlib.Path(__file__).resolve().parents[2]
BOOTH = str(ROOT / "demo/booth.trace")
CALL = str(ROOT / "tests/cli/traces/rollcall.trace")

RIG = """# the booth's
omnipar = 1
kind = "rig"

[[unit]]  # near the door
name = "left gun"
seat = "left"
vendor = 0x1209
product = 0x000c
model = "Lark Booth Gun Mouse"
socket = "booth:1"

[[unit]]
name = "right gun"
seat = "right"
vendor = 0x1209
product = 0x000c
model = "Lark Booth Gun Mouse"
socket = "booth:2"

[[unit]]
name = "sea pad"   # blue
seat = "sofa"
vendor = 0x1209
product = 0x0003
model = "Quill Sea Pad"
socket = "hall:1"

[[screen]]
name = "booth"
size = [1920, 1080]

[[screen]]
name = "side"
size = [1280, 1024]
"""

RIG_COMMANDS = [
    "rig rename|left gun|door gun", "rig rename|right gun|wall gun", "rig rename|sea pad|blue pad",
    "rig seat|left gun|shelf", "rig seat|sea pad|left", "rig swap|left|right", "rig forget|right gun", "rig forget|sea pad",
    "rig connection|sea pad|wireless", "rig undo", f"rig rollcall|left|porch|--host|{CALL}",
    "calibrate screen|hall|--size|1920x1080", "calibrate screen|side|--at|1920,0",
    "calibrate screen|hall|--at|1920,0|--size|1024x768"]
# A fit refers to the screen as it was at the start, so no command here changes the size of a screen in use.
# The first gun of the trace is the one fired first; the second one must be named.
GUNS = [f"calibrate gun{gun}|--screen|{screen}|--host|{BOOTH}" for gun in ("", "|right gun") for screen in ("booth", "side")]
NEW_GUNS = [f"calibrate gun|--seat|left|--host|{BOOTH}",
            f"calibrate gun|Lark Booth Gun Mouse (booth:2)|--seat|right|--host|{BOOTH}"]
PROFILES = [f"profile set|cab.toml|{target}|{role}" for target in ("outer", "inner") for role in ("east", "north")] + [
    "profile clear|cab.toml|outer", "profile undo|cab.toml"]


def words(command, rig):
    verbs, *rest = command.split("|")
    return [*verbs.split(), *rest, *(["--rig", "rig.toml"] if rig else [])]


class House:
    """One household in a temporary folder."""

    def __init__(self, tool, folder, empty):
        self.tool, self.folder = tool, folder
        folder.mkdir(parents=True)
        if not empty:
            (folder / "rig.toml").write_text(RIG)
        (folder / "cab.toml").write_text('omnipar = 1\nkind = "profile"\nname = "cab"\nsystem = "pad-2b"\n'
                                         '[port.1]\nseat = "left"\n[port.1.bind]\nouter = "south"  # mine\n')
        for line in ("rig seat|sea pad|bench", "profile set|cab.toml|start|start"):  # something to undo
            if not empty or not line.startswith("rig"):
                self.start(line).communicate()

    def start(self, command):
        environment = {n: v for n, v in os.environ.items() if not n.startswith("XDG_")} | {"HOME": str(self.folder)}
        return subprocess.Popen([self.tool, *words(command, not command.startswith("profile"))], cwd=self.folder,
                                env=environment, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE,
                                stderr=subprocess.STDOUT, text=True)

    def end(self, command):
        run = self.start(command)
        out, _ = run.communicate(timeout=60)
        return run.returncode, out

    def state(self):
        """The exact text of rig and profile, and the calibrations by unit."""
        rig = self.folder / "rig.toml"
        measured = {}
        for path in sorted(self.folder.glob("calibrations/*.toml")):
            sheet = tomllib.loads(path.read_text())
            assert sheet["unit"] not in measured, f"{sheet['unit']} has two files"
            measured[sheet["unit"]] = sheet
        return rig.read_text() if rig.exists() else "", (self.folder / "cab.toml").read_text(), measured


def one_pair(tool, folder, number):
    dice = random.Random(number)
    empty = dice.random() < 0.15
    pool = NEW_GUNS if empty else dice.choice([RIG_COMMANDS + GUNS, GUNS + RIG_COMMANDS[:6], PROFILES])
    pair = [dice.choice(pool), dice.choice(pool)]
    houses = [House(tool, folder / str(n), empty) for n in range(3)]
    runs = [houses[0].start(command) for command in pair]
    said = [run.communicate(timeout=60)[0] for run in runs]
    for house, order in zip(houses[1:], (pair, pair[::-1])):
        for command in order:
            house.end(command)
    got, wanted = houses[0].state(), [house.state() for house in houses[1:]]
    shutil.rmtree(folder)
    ended = [run.returncode for run in runs]
    assert got in wanted and 3 not in ended, \
        f"{number}: {pair}: {ended}\n{said[0]}\n{said[1]}\n{got}\nand not\n{wanted[0]}\nnor\n{wanted[1]}"


def each_alone(tool, folder):
    """Alone, every command succeeds; status 1 means that the trace ended before everything was played."""
    for empty, commands in ((False, RIG_COMMANDS + GUNS + PROFILES), (True, NEW_GUNS)):
        for number, command in enumerate(commands):
            house = House(tool, folder / f"alone-{empty}-{number}", empty)
            before = house.state()
            status, out = house.end(command)
            assert status == (1 if "rollcall" in command else 0) and house.state() != before, f"{command}: {status}\n{out}"


def run(home):
    each_alone(home.tool, home.folder)
    count = 500 if os.environ.get("OMNIPAR_FULL_COUNTS") else 40
    for number in range(count):
        one_pair(home.tool, home.folder / f"pair-{number}", number)
