#!/usr/bin/env python3
"""The core calls no mathematical functions that differ between processors, and no system functions.
usage: symbols.py LIBRARY
"""
import re
import subprocess
import sys

DIFFERS = ["sin", "cos", "tan", "asin", "acos", "atan", "atan2", "pow", "exp", "exp2", "log", "log2", "log10", "hypot",
           "cbrt", "fma", "sinh", "cosh", "tanh"]
SYSTEM = ["open", "open64", "close", "read", "write", "ioctl", "poll", "ppoll", "clock_gettime", "gettimeofday", "time",
          "fopen", "fopen64", "getenv", "fork", "nanosleep", "pthread_mutex_lock", "rand", "random"]


def main():
    symbols = subprocess.run(["nm", "--undefined-only", "--format=posix", sys.argv[1]], capture_output=True, text=True,
                             check=True).stdout
    used = {line.split()[0] for line in symbols.splitlines() if re.match(r"\S+ [Uw]", line)}
    if "_Znwm" not in used:
        print("the list of symbols has no 'operator new': this test sees nothing")
        return 1
    forbidden = {name + suffix for name in DIFFERS for suffix in ("", "f", "l")} | set(SYSTEM)
    bad = sorted(used & forbidden)
    print("the core uses " + ", ".join(bad) if bad else f"none of {len(forbidden)} forbidden symbols among {len(used)}")
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main())
