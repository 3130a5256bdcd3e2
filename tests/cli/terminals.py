#!/usr/bin/env python3
"""`omnipar watch` on terminals: however it ends, the terminal is restored, and no typed key reaches the shell.

usage: terminals.py OMNIPAR ROOT
"""
import codecs
import fcntl
import json
import os
import pathlib
import pty
import re
import select
import signal
import socket
import struct
import subprocess
import sys
import tempfile
import termios
import time
import urllib.request

PROGRAM, ROOT = sys.argv[1], pathlib.Path(sys.argv[2])
ROOM = str(ROOT / "demo" / "marrowby.trace")
PROFILE = str(ROOT / "demo" / "marrowby.toml")
LINE = ["watch", PROFILE, "--host", ROOM, "--data", PROFILE]


class Screen:
    """The screen of an ECMA-48 terminal, with the part of xterm that terminfo uses."""

    def __init__(self, columns, rows):
        self.columns, self.rows = columns, rows
        self.cells = [[" "] * columns for _ in range(rows)]
        self.x = self.y = 0
        self.own = self.hidden = False
        self.rest = ""

    def take(self, text):
        text = self.rest + text
        at = 0
        while at < len(text):
            if text[at] == "\x1b":
                match = re.compile(r"\x1b(\[[?]?([0-9;]*)([A-Za-z])|\(B|[78=>]|$)").match(text, at)
                if match is None or (match.end() == len(text) and match.group(0) in ("\x1b", "\x1b[")):
                    break  # continues in the next chunk
                self.escape(match)
                at = match.end()
                continue
            character = text[at]
            at += 1
            if character == "\n":
                self.y = min(self.rows - 1, self.y + 1)
            elif character == "\r":
                self.x = 0
            elif character >= " " and self.x < self.columns and self.y < self.rows:
                self.cells[self.y][self.x] = character
                self.x += 1
        self.rest = text[at:]

    def escape(self, match):
        numbers, letter = match.group(2), match.group(3) or ""
        if letter == "H":
            places = [int(n or 1) for n in (numbers or "1;1").split(";")]
            self.y, self.x = places[0] - 1, (places[1] if len(places) > 1 else 1) - 1
        elif letter == "J":
            self.cells = [[" "] * self.columns for _ in range(self.rows)]
        elif letter and letter in "hl" and "?1049" in match.group(0):
            self.own = letter == "h"
        elif letter and letter in "hl" and "?25" in match.group(0):
            self.hidden = letter == "l"

    def text(self):
        return "\n".join("".join(row).rstrip() for row in self.cells)


class Shell:
    """A program on its own terminal, as under a shell."""

    def __init__(self, words, columns=80, rows=24, **environment):
        self.master, self.slave = pty.openpty()
        self.size(columns, rows)
        self.before = termios.tcgetattr(self.slave)
        self.screen = Screen(columns, rows)
        self.all = b""
        self.decoder = codecs.getincrementaldecoder("utf-8")("replace")  # a chunk may end within a character
        env = {"PATH": os.environ["PATH"], "TERM": "xterm-256color", "LC_ALL": "C.UTF-8", "HOME": "/nonexistent"}
        env.update(environment)

        def own_terminal():
            os.setsid()
            fcntl.ioctl(0, termios.TIOCSCTTY, 0)

        self.program = subprocess.Popen([PROGRAM, *words], stdin=self.slave, stdout=self.slave, stderr=subprocess.PIPE,
                                        env=env, preexec_fn=own_terminal)

    def size(self, columns, rows):
        fcntl.ioctl(self.master, termios.TIOCSWINSZ, struct.pack("HHHH", rows, columns, 0, 0))

    def resize(self, columns, rows):
        self.size(columns, rows)
        self.screen = Screen(columns, rows)
        self.screen.own = True

    def look(self, seconds):
        """Reads output for a while."""
        end = time.monotonic() + seconds
        while (left := end - time.monotonic()) > 0:
            if not select.select([self.master], [], [], left)[0]:
                break
            try:
                piece = os.read(self.master, 65536)
            except OSError:
                break
            self.all += piece
            self.screen.take(self.decoder.decode(piece))

    def look_for(self, words, seconds=20):
        end = time.monotonic() + seconds
        while words not in self.screen.text():
            assert time.monotonic() < end, f"'{words}' was never shown:\n{self.screen.text()}"
            assert self.program.poll() is None, f"ended: {self.program.stderr.read()}"
            self.look(0.1)

    def type(self, text):
        os.write(self.master, text.encode())

    def end(self, seconds=20):
        end = time.monotonic() + seconds
        while self.program.poll() is None:
            assert time.monotonic() < end, "did not end"
            self.look(0.05)
        self.look(0.1)
        return self.program.returncode

    def is_as_it_was(self, seconds=10):
        """Modes, screen and cursor; no input is left for the shell."""
        end = time.monotonic() + seconds
        while termios.tcgetattr(self.slave) != self.before or self.screen.own or self.screen.hidden:
            assert time.monotonic() < end, "the terminal is not as it was"
            self.look(0.05)
        assert not select.select([self.slave], [], [], 0)[0], "something typed is left for the shell"


def ends_by_a_key(shell):
    shell.type("q")
    assert shell.end() == 0


def ends_by_control_c(shell):
    shell.type("\x03")
    assert shell.end() == 0


def ends_by(number):
    def end(shell):
        shell.program.send_signal(number)
        shell.end()
    return end


def hangs_up(shell):
    os.kill(shell.program.pid, signal.SIGHUP)
    shell.end()


def loses_its_guard(shell):
    """The process that guards the terminal is killed: the terminal is still restored if nothing else fails."""
    os.kill(guard_of(shell), signal.SIGKILL)
    shell.look(0.1)
    ends_by_a_key(shell)


def guard_of(shell):
    for stat in pathlib.Path("/proc").glob("[0-9]*/stat"):
        try:
            name, rest = stat.read_text().split("(", 1)[1].rsplit(") ", 1)
        except OSError:
            continue
        if name == "omnipar-term" and int(rest.split()[1]) == shell.program.pid:
            return int(stat.parent.name)
    raise AssertionError("nobody looks after the terminal")


def stops_and_goes_on(shell):
    shell.type("\x1a")
    wait_for_state(shell, "T")
    shell.is_as_it_was()
    shell.type("typed while stopped\n")
    os.kill(shell.program.pid, signal.SIGCONT)
    wait_for_state(shell, "S")
    shell.look_for("port 1")
    end = time.monotonic() + 10
    while not shell.screen.own:
        assert time.monotonic() < end, "does not come back"
        shell.look(0.05)
    ends_by_a_key(shell)


def is_stopped_from_outside(shell):
    """After a stop the shell sets its own modes; ours are set again on resuming."""
    os.kill(shell.program.pid, signal.SIGSTOP)
    wait_for_state(shell, "T")
    termios.tcsetattr(shell.slave, termios.TCSANOW, shell.before)
    os.kill(shell.program.pid, signal.SIGCONT)
    end = time.monotonic() + 10
    while termios.tcgetattr(shell.slave) == shell.before:
        assert time.monotonic() < end, "does not come back"
        shell.look(0.05)
    ends_by_a_key(shell)


def wait_for_state(shell, wanted):
    end = time.monotonic() + 10
    while True:
        state = pathlib.Path(f"/proc/{shell.program.pid}/stat").read_text().rsplit(") ", 1)[1][0]
        if state == wanted:
            return
        assert time.monotonic() < end, f"state {state}, not {wanted}"
        shell.look(0.05)


def storm(shell):
    """Many sizes, including absurd ones; the last one is drawn completely."""
    for columns, rows in [(200, 60), (10, 3), (1, 1), (79, 23), (80, 24), (120, 36), (33, 90), (300, 2)] * 4:
        shell.resize(columns, rows)
        os.kill(shell.program.pid, signal.SIGWINCH)
        shell.look(0.02)
    shell.resize(120, 36)
    shell.look_for("port 1")
    shell.look_for("q quit")
    ends_by_a_key(shell)


def types_much(shell):
    shell.type("hello\nrm -r everything\n\x1b[A~~" * 50)
    shell.look(0.3)
    ends_by_a_key(shell)


ENDS = [ends_by_a_key, ends_by_control_c, ends_by(signal.SIGTERM), ends_by(signal.SIGINT), ends_by(signal.SIGQUIT),
        hangs_up, ends_by(signal.SIGKILL), ends_by(signal.SIGSEGV), ends_by(signal.SIGABRT), stops_and_goes_on, loses_its_guard,
        is_stopped_from_outside, storm, types_much]


def draws_nothing_while_nothing_moves():
    shell = Shell(LINE + ["--step"])
    shell.look_for("paused")
    shell.look(0.3)
    before = len(shell.all)
    shell.look(1.0)
    assert len(shell.all) == before, "something is written although nothing moves"
    shell.type("n")
    shell.look_for("0.")
    ends_by_a_key(shell)
    shell.is_as_it_was()


def shows_piece_by_piece_what_a_whole_drawing_shows():
    """Only changes are written; the screen must be the same as after a complete redraw."""
    shell = Shell(LINE + ["--step", "--tick-off"], columns=110, rows=40)
    shell.look_for("paused")
    for _ in range(25):
        shell.type("n")
        shell.look(0.1)
        if _ % 6 != 5:
            continue
        pieces = shell.screen.text()
        for columns in (111, 110):
            shell.resize(columns, 40)
            os.kill(shell.program.pid, signal.SIGWINCH)
            shell.look(0.2)
        assert shell.screen.text() == pieces, f"in pieces:\n{pieces}\nas a whole:\n{shell.screen.text()}"
    shell.type("q")
    assert shell.end() == 1


def is_left_alone():
    """When the window is closed, the program and its guard end by themselves."""
    shell = Shell(LINE)
    shell.look_for("port 1")
    guard = guard_of(shell)
    os.close(shell.slave)
    os.close(shell.master)
    shell.program.wait(20)
    end = time.monotonic() + 10
    while pathlib.Path(f"/proc/{guard}").exists():
        assert time.monotonic() < end, "the guard is still there"
        time.sleep(0.05)


def prints_for_a_program():
    """Samples are written as they occur, and no longer once nobody reads them."""
    room = subprocess.Popen([PROGRAM, *LINE, "--json"], stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
    begun = time.monotonic()
    first = room.stdout.readline()
    assert b"seated" in first and time.monotonic() - begun < 5, first
    room.stdout.close()
    assert room.wait(10) == 3


def without_colours():
    shell = Shell(LINE + ["--step", "--from", "4"], NO_COLOR="1")
    shell.look_for("port 1")
    assert not re.search(rb"\x1b\[(3|4|9)\d", shell.all), "colours although NO_COLOR is set"
    ends_by_a_key(shell)


def in_plain_ascii():
    shell = Shell(LINE + ["--step", "--from", "4"], LC_ALL="C")
    shell.look_for("port 1")
    assert all(byte < 0x80 for byte in shell.all), "more than ASCII in a locale that has no more"
    ends_by_a_key(shell)


def on_a_line_that_takes_nothing():
    """Without a reader the session continues, and ends on request. A reader that resumes in time gets the end."""
    for reads_on in (False, True):
        shell = Shell(LINE + ["--speed", "50"], columns=300, rows=100)
        time.sleep(1.5)
        for size in range(200, 300, 5):  # each is drawn completely
            shell.size(size, 100)
            shell.program.send_signal(signal.SIGWINCH)
            time.sleep(0.02)
        shell.program.send_signal(signal.SIGTERM)
        if reads_on:
            time.sleep(0.3)
            shell.end()
            shell.is_as_it_was()
        end = time.monotonic() + 10
        while shell.program.poll() is None:
            assert time.monotonic() < end, "waits for a reader that never comes"
            time.sleep(0.05)


def where_nothing_can_be_drawn():
    for environment, words in [({"TERM": "dumb"}, b"cannot show this view"), ({"TERM": ""}, b"TERM does not name"),
                               ({"TERM": "no-such-kind"}, b"cannot show this view")]:
        shell = Shell(LINE, **environment)
        assert shell.end() == 3
        assert words in shell.program.stderr.read()
        shell.is_as_it_was()
    refused = subprocess.run([PROGRAM, *LINE], capture_output=True, stdin=subprocess.DEVNULL)
    assert refused.returncode == 3 and b"--once" in refused.stderr, refused


def learns_by_keys():
    """At a keyboard, with one press on the unit: some steps are skipped, one is undone, the result is saved."""
    home = tempfile.mkdtemp()
    kept = pathlib.Path(home) / "map.toml"
    line = ["learn", "profile", "pad-2b", "--ask-all", "--as", str(kept), "--host", str(ROOT / "tests" / "cli" / "traces" / "wobble.trace")]
    shell = Shell(line + ["--from", "4.5", "--step"], HOME=home)
    shell.look_for('control for "left"')
    shell.type("ss")
    shell.look_for('control for "outer"')
    shell.type("b")
    shell.look_for('control for "right"')
    shell.type("k")
    shell.look_for("were not asked for")
    shell.type("k")
    assert shell.end() == 0
    shell.is_as_it_was()
    assert "left = []" in kept.read_text() and 'up = "left-stick-up"' in kept.read_text(), kept.read_text()
    kept.unlink()
    shell = Shell(line, HOME=home)
    shell.look_for("Press any button")
    shell.type("q")
    assert shell.end() == 1 and not kept.exists()
    shell.is_as_it_was()


def measures_in_the_hand():
    """The cloud grows as the stick is swept, and missing directions are named; a key skips the rest."""
    home = tempfile.mkdtemp()
    line = ["calibrate", "unit", "--seat", "sofa", "--rig", f"{home}/rig.toml", "--host", str(ROOT / "demo" / "worn.trace")]
    shell = Shell(line + ["--from", "4.2", "--step"], HOME=home)
    shell.look_for("move it slowly around its edge")
    shell.look_for("not yet: ")
    shell.type("n" * 150)
    shell.look_for("all directions reached")
    shell.type("s")
    shell.look_for("left-stick: skipped")
    shell.look_for("left-trigger: release it")
    shell.type("q")
    assert shell.end() == 1 and not (pathlib.Path(home) / "rig.toml").exists()
    shell.is_as_it_was()


def asks_before_a_measurement_is_lost():
    """Quitting asks first; confirming discards; a closed terminal discards nothing."""
    line = ["calibrate", "unit", "--seat", "sofa", "--host", str(ROOT / "demo" / "worn.trace"), "--from", "20", "--step"]
    for ending, is_put_by in (("qq", False), ("qk", None), ("q", True)):
        home = tempfile.mkdtemp()
        shell = Shell(line + ["--rig", f"{home}/rig.toml"], HOME=home)
        shell.look_for("left-trigger: release it")
        shell.type("q")
        shell.look_for("One control is measured. Press k to save it, or q again to discard it.")
        assert shell.program.poll() is None
        if len(ending) > 1:
            shell.type(ending[1])
        else:
            shell.program.send_signal(signal.SIGHUP)
        shell.end()
        put_by = bool(list(pathlib.Path(home).rglob("measured-*.toml")))
        kept = bool(list(pathlib.Path(home).rglob("calibrations/*.toml")))
        assert (put_by, kept) == (is_put_by is True, is_put_by is None), (ending, put_by, kept)


def page_address(shell, port):
    """The address of the page, as printed on the terminal."""
    shell.look_for(f"http://127.0.0.1:{port}/")
    found = re.search(rf"http://127\.0\.0\.1:{port}/[a-z2-9]{{8}}/", shell.screen.text())
    assert found, shell.screen.text()
    return found[0]


def request(port, text, timeout=10):
    """The page's response to exactly these bytes: its status, or 0 if it closes the connection."""
    with socket.create_connection(("127.0.0.1", port), timeout=timeout) as line:
        line.sendall(text)
        answer = b""
        try:
            while not answer.endswith(b"\r\n") and (piece := line.recv(4096)):
                answer += piece
        except (ConnectionError, TimeoutError):
            pass
    return int(answer.split()[1]) if answer.startswith(b"HTTP/1.1 ") else 0


def rises_by(process, doing):
    """The largest increase of the process's memory in kB during an action."""
    def size():
        return int(re.search(r"VmHWM:\s+(\d+)", pathlib.Path(f"/proc/{process}/status").read_text())[1])
    before = size()
    doing()
    return size() - before


def sends_much(port, head, piece, count):
    with socket.create_connection(("127.0.0.1", port), timeout=10) as line:
        try:
            line.sendall(head)
            for _ in range(count):
                line.sendall(piece)
        except OSError:
            pass  # it has closed the connection, as expected


def serves_nobody_else():
    """The page responds while others keep it busy, requires its full address, and stops in time."""
    home = tempfile.mkdtemp()
    with socket.create_server(("127.0.0.1", 0)) as free:
        port = free.getsockname()[1]
    line = ["calibrate", "gun", "--seat", "left", "--rig", f"{home}/rig.toml", "--host", str(ROOT / "demo" / "booth.trace")]
    shell = Shell(line + ["--page", "--port", str(port), "--from", "6.7", "--step"], columns=100, HOME=home)
    address = page_address(shell, port)
    path = address[address.index("/", 8):]
    ours = f"Host: 127.0.0.1:{port}\r\n"
    get = lambda where, more=ours: request(port, f"GET {where} HTTP/1.1\r\n{more}\r\n".encode())
    assert get(path) == 200 and get(path, f"Host: localhost:{port}\r\n") == 200
    for refused in ("Host: attacker.example\r\n", f"Host: attacker.example:{port}\r\n", "",
                    ours + "Origin: http://attacker.example\r\n", ours + "Origin: null\r\n"):
        assert get(path, refused) in (400, 403) and get(path + "state", refused) in (400, 403), refused
    assert get(path + "state", ours + f"Origin: http://127.0.0.1:{port}\r\n") == 200
    for wrong in ("/", "/state", "/aaaaaaaa/", path[:-1], "/../" + path):
        assert get(wrong) in (400, 404), wrong
    assert request(port, f"POST {path} HTTP/1.1\r\n{ours}Content-Length: 5\r\n\r\nhello".encode()) == 405
    process = shell.program.pid
    megabyte = b"x" * (1 << 20)
    chunk = b"100000\r\n" + megabyte + b"\r\n"
    head = f"POST {path} HTTP/1.1\r\n{ours}".encode()
    assert rises_by(process, lambda: sends_much(port, head + b"Content-Length: 1073741824\r\n\r\n", megabyte, 64)) < 8000
    assert rises_by(process, lambda: sends_much(port, head + b"Transfer-Encoding: chunked\r\n\r\n", chunk, 64)) < 8000
    assert rises_by(process, lambda: sends_much(port, head, b"X-More: " + b"y" * 8000 + b"\r\n", 4000)) < 8000
    # Some clients send a byte now and then, for as long as they are allowed to.
    slow = [socket.create_connection(("127.0.0.1", port), timeout=10) for _ in range(40)]
    begun = time.monotonic()
    for one in slow:
        one.sendall(b"G")
    assert get(path) == 200, "slow ones keep the page from answering"
    alive = set(slow)
    while alive and time.monotonic() < begun + 9:
        time.sleep(0.5)
        for one in list(alive):
            try:
                one.sendall(b"E")
            except OSError:
                alive.remove(one)
    assert not alive, "a request may take as long as it likes"
    held = [socket.create_connection(("127.0.0.1", port), timeout=10) for _ in range(40)]
    begun = time.monotonic()
    shell.program.send_signal(signal.SIGTERM)
    shell.end()
    assert time.monotonic() - begun < 1, "clients keep the program from ending"
    for one in slow + held:
        one.close()


def fits_a_gun_with_a_page():
    """The terminal shows the target and the address of the page; the page shows the same target, on the loopback address only."""
    home = tempfile.mkdtemp()
    with socket.create_server(("127.0.0.1", 0)) as free:
        port = free.getsockname()[1]
    line = ["calibrate", "gun", "--seat", "left", "--rig", f"{home}/rig.toml", "--host", str(ROOT / "demo" / "booth.trace")]
    shell = Shell(line + ["--page", "--port", str(port), "--from", "6.7", "--step"], columns=100, HOME=home)
    shell.look_for("Shot 4 of 5: bottom right")
    address = page_address(shell, port)
    with urllib.request.urlopen(address, timeout=10) as page:
        assert "<canvas" in page.read().decode()
    with urllib.request.urlopen(address + "state", timeout=10) as state:
        shown = json.load(state)
    assert shown["target"] == [0.9, 0.9] and shown["words"].startswith("Shot 4 of 5"), shown
    try:
        socket.create_connection(("127.0.0.2", port), timeout=5).close()
        raise AssertionError("the page is served on another address, too")
    except OSError:
        pass
    busy = subprocess.run([PROGRAM, *line, "--page", "--port", str(port)], capture_output=True, text=True, timeout=60)
    assert busy.returncode == 3 and "[no-page]" in busy.stderr, busy
    shell.program.send_signal(signal.SIGINT)
    assert shell.end() in (0, 1), shell.program.returncode
    shell.is_as_it_was()


def main():
    for end in ENDS:
        shell = Shell(LINE)
        shell.look_for("port 1")
        end(shell)
        shell.is_as_it_was()
    for test in (draws_nothing_while_nothing_moves, is_left_alone, prints_for_a_program, shows_piece_by_piece_what_a_whole_drawing_shows, without_colours, learns_by_keys, measures_in_the_hand, asks_before_a_measurement_is_lost, fits_a_gun_with_a_page, serves_nobody_else, in_plain_ascii, on_a_line_that_takes_nothing,
                 where_nothing_can_be_drawn):
        test()
    print(f"{len(ENDS)} ways to end, and the terminal is as it was each time")


main()
