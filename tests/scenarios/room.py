"""A home directory to run the tool in, and rooms of simulated units."""
import json
import os
import pathlib
import subprocess


class Home:
    """An empty home; every command runs in it."""

    def __init__(self, tool, folder):
        self.tool = os.path.abspath(tool)
        self.folder = pathlib.Path(folder)
        self.commands = 0

    def run(self, *words, status=0):
        """Runs one command. Returns (stdout, stderr). Any unexpected status fails the job."""
        self.commands += 1
        environment = {n: v for n, v in os.environ.items() if not n.startswith("XDG_")} | {"HOME": str(self.folder)}
        got = subprocess.run([self.tool, *words], cwd=self.folder, env=environment, capture_output=True, text=True,
                             timeout=60, stdin=subprocess.DEVNULL)
        assert got.returncode == status, f"{words}: status {got.returncode}\n{got.stdout}{got.stderr}"
        return got.stdout, got.stderr

    def samples(self, *words):
        return [json.loads(line) for line in self.run(*words, "--json")[0].splitlines()]

    def files(self):
        """All files of the home by their paths, with their texts."""
        return {str(p.relative_to(self.folder)): p.read_text() for p in sorted(self.folder.rglob("*")) if p.is_file()}


class Room:
    """A room: units and their events. Times are in milliseconds."""

    BUTTONS = ["BTN_SOUTH", "BTN_EAST", "BTN_NORTH", "BTN_WEST", "BTN_TL", "BTN_TR", "BTN_SELECT", "BTN_START"]

    def __init__(self):
        self.lines = [{"omnipar": 1, "kind": "trace", "made-up": True}]
        self.now = 0

    def pad(self, number, name, product, socket, stick=(-32768, 32767)):
        self.lines.append({"node": number, "name": name, "id": f"0003:1209:{product:04x}:0100", "socket": socket,
                           "keys": self.BUTTONS, "axes": {"ABS_X": list(stick), "ABS_Y": list(stick),
                                                          "ABS_HAT0X": [-1, 1], "ABS_HAT0Y": [-1, 1]}})

    def node(self, number, name, product, keys, axes=None, bus=3, **more):
        """A node of any kind; `more` is socket, device, interface, serial."""
        self.lines.append({"node": number, "name": name, "id": f"{bus:04x}:1209:{product:04x}:0100", **more,
                           "keys": keys, "axes": axes or {}})

    def raw_unit(self, number, name, product, descriptor):
        """A unit with raw reports, defined by its report descriptor."""
        self.lines.append({"node": number, "name": name, "id": f"0003:1209:{product:04x}:0100", "device": f"desk:{number}",
                           "descriptor": bytes(descriptor).hex(" ")})

    def raw(self, number, *report):
        self.lines.append({"t": self.now * 1000, "node": number, "raw": bytes(report).hex(" ")})

    def wait(self, ms):
        self.now += ms

    def plug(self, number, way):
        self.lines.append({"t": self.now * 1000, "node": number, "plug": way})

    def report(self, number, *flat):
        self.lines.append({"t": self.now * 1000, "node": number, "report": list(flat)})

    def press(self, number, code, ms=100):
        self.report(number, code, 1)
        self.wait(ms)
        self.report(number, code, 0)
        self.wait(100)

    def save(self, path):
        pathlib.Path(path).write_text("".join(json.dumps(line) + "\n" for line in self.lines))
        return str(path)


def presses(samples, port):
    """The targets that went down on a port, in order."""
    return [name for s in samples if s.get("port") == port for name, value in s["changed"].items() if value == 1]
