#!/usr/bin/env python3
"""Modules include only modules of lower layers.

A module may include any row below its own, and in its own row what stands to its right, but for some
that know nothing of each other. Public headers belong to everybody, but may include only public headers.
Each public header compiles alone.
usage: includes.py ROOT COMPILER
"""
import pathlib
import re
import subprocess
import sys

ROWS = [  # topmost first; the left may include the right
    ["cli"],
    ["evening", "play", "host", "outlet", "files", "os"],
    ["learn", "calibrate", "inspect", "engine", "attach", "plan", "simulate", "identity",
     "catalogue", "stage", "shape", "hid", "trace", "text", "base"],
]
APART = {("host", "outlet"), ("evening", "outlet"), ("play", "files")}
# Only these see how a plan is compiled and played; others use the public headers. The same applies to the inside of a
# session: the command uses only the calls that every emulator has.
INSIDE = {"plan": {"plan", "engine", "inspect", "learn"}, "engine": {"plan", "engine", "inspect"}, "play": {"play", "cli"}}
CORE = set(ROWS[2])
SYSTEM_HEADER = re.compile(r"<(sys/|linux/|unistd|fcntl|poll|dirent|signal|csignal|ctime|fstream|iostream|filesystem|thread|mutex|libev|libudev)")
INCLUDE = re.compile(r'^\s*#\s*include\s+([<"][^>"]+[>"])', re.M)


def place(module):
    for row, names in enumerate(ROWS):
        if module in names:
            return row, names.index(module)
    return None


def may_include(user, used):
    if (user, used) in APART or user not in INSIDE.get(used, {user}):
        return False
    a, b = place(user), place(used)
    return user == used or b[0] > a[0] or (b[0] == a[0] and b[1] > a[1])


def problems(root):
    for path in sorted((root / "src").rglob("*.[ch]pp")):
        module = path.relative_to(root / "src").parts[0]
        if place(module) is None:
            yield f"{path}: module '{module}' has no place in the rows"
            continue
        for include in INCLUDE.findall(path.read_text()):
            used = include.strip('<>"').split("/")[0]
            if include.startswith('"') and used != "omnipar":
                if place(used) is None:
                    yield f"{path}: includes {include}, which is no module's"
                elif not may_include(module, used):
                    yield f"{path}: '{module}' may not include {include}"
            if module in CORE and SYSTEM_HEADER.match(include):
                yield f"{path}: core includes {include}"
    for path in sorted((root / "include" / "omnipar").glob("*.hpp")):
        for include in INCLUDE.findall(path.read_text()):
            if include.startswith('"') and not include.startswith('"omnipar/'):
                yield f"{path}: a public header includes {include}"
            if SYSTEM_HEADER.match(include):
                yield f"{path}: a public header includes {include}"


def headers_alone(root, compiler):
    for path in sorted((root / "include" / "omnipar").glob("*.hpp")):
        run = subprocess.run([compiler, "-std=c++20", "-fsyntax-only", "-Wall", "-Werror", f"-I{root}/include", "-x", "c++", "-"],
                             input=f"#include <omnipar/{path.name}>\n", text=True, capture_output=True)
        if run.returncode != 0:
            yield f"{path}: does not compile alone\n{run.stderr}"


def folder_map(root):
    """Every folder of the repository is on the map in docs/architecture.md, and no other."""
    there = {p.name + "/" for p in root.iterdir() if p.is_dir() and not p.name.startswith(".") and p.name != "build"}
    there |= {f"src/{p.name}/" for p in (root / "src").iterdir() if p.is_dir()}
    there.discard("src/")
    told = set(re.findall(r"^\| `([^`]+/)` \|", (root / "docs/architecture.md").read_text(), re.M))
    for name in sorted(there - told):
        yield f"docs/architecture.md: the map lacks {name}"
    for name in sorted(told - there):
        yield f"docs/architecture.md: the map has {name}, which is not there"


def main():
    root = pathlib.Path(sys.argv[1])
    found = list(problems(root)) + list(headers_alone(root, sys.argv[2])) + list(folder_map(root))
    print("\n".join(found) or "every include is allowed; every public header compiles alone; the map is true")
    return 1 if found else 0


if __name__ == "__main__":
    sys.exit(main())
