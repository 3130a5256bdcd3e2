#!/usr/bin/env python3
"""The cost of an event in instructions, counted by callgrind (times would be too noisy).
usage: cost.py FOLDER (of the built benches)
"""
import re
import subprocess
import sys
import tempfile

MOST_AGAINST_TWIN = 2.2   # the engine against the hand-written twin
MOST_A_FIELD = 400        # decoding a raw report of 64 bytes, per changed field
MOST_BY_SIZE = 1.02       # a large plan against a small one, and one with 500 idle stages, for the same events
MOST_OF_STAGES = 2.5      # six stages on a stick against hand-written code
MOST_A_DRAWING = 1.5e6     # a busy view of 120 by 36 cells, including terminal output
MOST_BY_BINDINGS = 1.10   # compiling: the cost per binding beyond 400 against that beyond 100


def instructions(function, command):
    with tempfile.NamedTemporaryFile() as out:
        run = subprocess.run(["valgrind", "--tool=callgrind", f"--callgrind-out-file={out.name}", "--collect-atstart=no",
                              f"--toggle-collect={function}*"] + command, capture_output=True, text=True)
        if run.returncode != 0:
            sys.exit(f"{' '.join(command)} failed:\n{run.stdout}{run.stderr}")
        return int(re.search(r"^(?:summary|totals): (\d+)", open(out.name).read(), re.M).group(1))


def main():
    folder = sys.argv[1]
    bench, probe, decode, staged, compiler = (
        f"{folder}/{name}" for name in ("omnipar-bench", "cost-probe", "decode-bench", "stage-probe", "compile-probe"))
    small, large, resting = (instructions("probed", [probe, mode]) for mode in ("small", "large", "resting"))
    compiled = {count: instructions("probed", [compiler, str(count)]) for count in (100, 200, 400, 500)}
    early, late = ((compiled[to] - compiled[start]) / (to - start) for start, to in ((100, 200), (400, 500)))
    changed = int(re.search(r"changed fields: (\d+)", subprocess.run([decode, "--once"], capture_output=True,
                                                                      text=True).stdout).group(1))
    ratios = [
        ("engine against twin", instructions("run_engine", [bench, "--once"]) / instructions("run_twin", [bench, "--once"]),
         MOST_AGAINST_TWIN),
        ("20 ports against 1", large / small, MOST_BY_SIZE),
        ("500 resting stages against none", resting / large, MOST_BY_SIZE),
        ("six stages on a stick against hand-written ones",
         instructions("run_staged", [staged]) / instructions("run_by_hand", [staged]), MOST_OF_STAGES),
        (f"compiling a further binding ({early:.0f} at first)", late / early, MOST_BY_BINDINGS),
        ("a drawing of a busy view", instructions("run_drawing", [f"{folder}/view-probe"]), MOST_A_DRAWING),
        ("decoding, a changed field", instructions("run_decode", [decode, "--once"]) / changed, MOST_A_FIELD),
    ]
    for name, value, most in ratios:
        print(f"{name}: {value:.3f} (at most {most:g})")
    return 0 if all(value <= most for _, value, most in ratios) else 1


if __name__ == "__main__":
    sys.exit(main())
