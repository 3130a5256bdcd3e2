#!/usr/bin/env python3
"""What a replay keeps in memory does not grow with the trace.
usage: memory.py TOOL TRACE_BENCH
"""
import os
import subprocess
import sys
import tempfile

MOST_GROWTH = 1.05  # a trace of ten times the length


def peak_kib(tool, trace):
    replay = subprocess.Popen([tool, "trace", "replay", trace, "--profile", "pad-two-stick", "--json"],
                              stdout=subprocess.DEVNULL)
    _, status, usage = os.wait4(replay.pid, 0)
    if status != 0:
        sys.exit(f"the replay of {trace} failed")
    return usage.ru_maxrss


def main():
    tool, bench = sys.argv[1:3]
    peaks = []
    with tempfile.TemporaryDirectory() as folder:
        for events in (20_000, 200_000):
            trace = f"{folder}/{events}.trace"
            subprocess.run([bench, "write", str(events), trace], check=True)
            peaks.append(peak_kib(tool, trace))
            print(f"{events:>8} events ({os.path.getsize(trace):>9} bytes): at most {peaks[-1]} KiB")
    return 0 if peaks[1] <= peaks[0] * MOST_GROWTH else 1


if __name__ == "__main__":
    sys.exit(main())
