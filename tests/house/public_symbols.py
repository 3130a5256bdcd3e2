#!/usr/bin/env python3
"""The libraries export exactly the listed symbols: every function in namespace omnipar itself is declared in a
public header, and the list of them is kept. What is inside lies in a namespace of its module.
usage: public_symbols.py ROOT LIBRARY… [--write]
"""
import pathlib
import re
import subprocess
import sys

PUBLIC = {"hid", "code"}  # modules whose namespace is public, too


def declared(root):
    """The tokens of the public headers, without their comments."""
    words = set()
    for path in (root / "include" / "omnipar").glob("*.hpp"):
        words |= set(re.findall(r"\w+", re.sub(r"//.*", "", path.read_text())))
    return words


def symbols(library):
    listing = subprocess.run(["nm", "-C", "--defined-only", "--extern-only", "--format=posix", library],
                             capture_output=True, text=True, check=True).stdout
    for line in listing.splitlines():
        found = re.match(r"(omnipar::.*) [TBDR] [0-9a-f]+", line)
        if found:
            yield re.sub(r"\[abi:\w+\]", "", found.group(1)).replace("std::__cxx11::", "std::")


def main():
    write = "--write" in sys.argv
    root, *libraries = [word for word in sys.argv[1:] if word != "--write"]
    root = pathlib.Path(root)
    inner = {path.name for path in (root / "src").iterdir() if path.is_dir()} - PUBLIC | {"combinations", "Session::Impl"}
    words = declared(root)
    offered, hidden_badly = set(), set()
    for symbol in {symbol for library in libraries for symbol in symbols(library)}:
        name = re.sub(r"\(.*", "", symbol).removeprefix("omnipar::abi_0::")
        if any(name.startswith(module + "::") for module in inner):
            continue
        parts = [part.lstrip("~") for part in name.split("::")]
        if all(part in words or part.startswith("operator") for part in parts):
            offered.add(symbol)
        else:
            hidden_badly.add(symbol)
    for symbol in sorted(hidden_badly):
        print(f"{symbol}: is in no public header; put it into the namespace of its module")
    if len(offered) < 100:
        print(f"only {len(offered)} symbols: this test sees nothing")
        return 1
    path = root / "packaging" / "public_symbols.txt"
    if write:
        path.write_text("\n".join(sorted(offered)) + "\n")
    kept = set(path.read_text().splitlines())
    for symbol in sorted(offered - kept):
        print(f"{symbol}: is offered, and not on the list ({path.name}; --write puts it there)")
    for symbol in sorted(kept - offered):
        print(f"{symbol}: is on the list, and is gone: others may use it")
    bad = hidden_badly or offered != kept
    print("" if bad else f"{len(offered)} symbols are offered, all on the list")
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
