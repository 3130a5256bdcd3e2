#!/usr/bin/env python3
"""Whole jobs, each run end to end through the command-line tool with simulated units, from an empty home.
usage: run.py TOOL [NAME…]
"""
import importlib
import pathlib
import sys
import tempfile
import traceback

from room import Home


def main():
    here = pathlib.Path(__file__).parent
    names = sys.argv[2:] or sorted(p.stem for p in here.glob("job_*.py"))
    failed = 0
    for name in names:
        with tempfile.TemporaryDirectory() as folder:
            try:
                importlib.import_module(name).run(Home(sys.argv[1], pathlib.Path(folder)))
                print(f"passed {name}")
            except AssertionError as failure:
                failed += 1
                at = traceback.extract_tb(failure.__traceback__)[-1]
                print(f"FAILED {name}: {at.filename}:{at.lineno}: {at.line}: {failure}")
    return 1 if failed or not names else 0


if __name__ == "__main__":
    sys.exit(main())
