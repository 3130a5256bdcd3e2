#!/usr/bin/env python3
"""What an event costs, in instructions counted by callgrind (never in time, which is noise).
usage: cost.py BENCH PROBE DECODE
"""
import re
import subprocess
import sys
import tempfile

MOST_AGAINST_TWIN = 2.2   # the engine against the hand-written twin
MOST_A_FIELD = 400        # decoding a raw report of 64 bytes, for each field that has changed
MOST_BY_SIZE = 1.02       # a large plan against a small one, for the same events


def instructions(function, command):
    with tempfile.NamedTemporaryFile() as out:
        run = subprocess.run(["valgrind", "--tool=callgrind", f"--callgrind-out-file={out.name}", "--collect-atstart=no",
                              f"--toggle-collect={function}*"] + command, capture_output=True, text=True)
        if run.returncode != 0:
            sys.exit(f"{' '.join(command)} failed:\n{run.stdout}{run.stderr}")
        return int(re.search(r"^(?:summary|totals): (\d+)", open(out.name).read(), re.M).group(1))


def main():
    bench, probe, decode = sys.argv[1:4]
    against_twin = instructions("run_engine", [bench, "--once"]) / instructions("run_twin", [bench, "--once"])
    by_size = instructions("probed", [probe, "large"]) / instructions("probed", [probe, "small"])
    changed = int(re.search(r"changed fields: (\d+)", subprocess.run([decode, "--once"], capture_output=True,
                                                                      text=True).stdout).group(1))
    a_field = instructions("run_decode", [decode, "--once"]) / changed
    print(f"engine against twin: {against_twin:.2f} (at most {MOST_AGAINST_TWIN})")
    print(f"20 ports against 1:  {by_size:.3f} (at most {MOST_BY_SIZE})")
    print(f"decoding, a changed field: {a_field:.0f} (at most {MOST_A_FIELD})")
    return 0 if a_field <= MOST_A_FIELD and against_twin <= MOST_AGAINST_TWIN and by_size <= MOST_BY_SIZE else 1


if __name__ == "__main__":
    sys.exit(main())
