#!/usr/bin/env python3
"""Runs the command-line tool as described by cases and compares its exit status and both complete streams.

The tool runs in FOLDER, each file of cases with an empty home of its own, shown as '~'. A case is a file: a line '$ omnipar WORDS', perhaps with
variables before it, a line '= STATUS', then the streams, '| ' before each line
of stdout and '! ' before each line of stderr. A file may contain several cases.
usage: run_cases.py TOOL FOLDER [--write]
"""
import os
import pathlib
import shlex
import subprocess
import sys
import tempfile


def run(tool, folder, home, words):
    environment = {name: value for name, value in os.environ.items() if not name.startswith("XDG_")} | {"HOME": home, "LC_ALL": "C.UTF-8"}
    line = shlex.join(words)
    while "=" in words[0]:
        environment.update([words.pop(0).split("=", 1)])
    words = words[1:]
    got = subprocess.run([tool] + [word.replace("~", home) for word in words], cwd=folder, capture_output=True, text=True, timeout=60,
                         stdin=subprocess.DEVNULL, env=environment)
    lines = ["$ " + line, f"= {got.returncode}"]
    for mark, stream in (("|", got.stdout), ("!", got.stderr)):
        stream = stream.replace(home.replace("/", "!"), "!~").replace(home, "~")
        lines += [f"{mark} {line}".rstrip() for line in stream.split("\n")[: -1 if stream.endswith("\n") else None] if stream]
    return lines


def main():
    tool, folder, write = os.path.abspath(sys.argv[1]), pathlib.Path(sys.argv[2]), "--write" in sys.argv
    failed = passed = 0
    for path in sorted(folder.glob("*.case")):
        wanted = path.read_text().splitlines()
        commands = [shlex.split(line[2:]) for line in wanted if line.startswith("$ ")]
        with tempfile.TemporaryDirectory() as home:
            got = [line for words in commands for line in run(tool, folder, home, words)]
        if write:
            path.write_text("\n".join(got) + "\n")
        elif got != wanted:
            failed += 1
            print(f"FAILED {path.name}\n--- wanted\n" + "\n".join(wanted) + "\n--- got\n" + "\n".join(got))
            continue
        passed += 1
    print(f"{passed} passed, {failed} failed")
    return 1 if failed or not passed else 0


if __name__ == "__main__":
    sys.exit(main())
