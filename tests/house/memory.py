#!/usr/bin/env python3
"""A replay's memory does not grow with the trace, and a lack of memory is reported.
usage: memory.py TOOL TRACE_BENCH
"""
import os
import resource
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


def status_with(tool, kib):
    """The tool's status with this limit of address space: 127 if it is too small even for the loader."""
    def limit():
        resource.setrlimit(resource.RLIMIT_AS, (kib * 1024, kib * 1024))
    ended = subprocess.run([tool, "catalogue", "list"], capture_output=True, text=True, preexec_fn=limit)
    if ended.returncode == 3 and "out of memory" not in ended.stderr:
        sys.exit(f"with {kib} KiB it says: {ended.stderr}")
    return ended.returncode


def says_what_it_lacks(tool):
    """From too little to enough, in small steps: each time the tool succeeds or reports what it lacks."""
    loads = next(kib for kib in range(1_000, 1_000_000, 500) if status_with(tool, kib) == 127)  # below: too small even for the loader
    kib = next(kib for kib in range(loads, 1_000_000, 500) if status_with(tool, kib) != 127) - 500
    statuses = []
    while statuses[-20:] != [0] * 20 and len(statuses) < 1_000:
        kib += 20
        statuses.append(status_with(tool, kib))
    print("statuses with little memory:", {status: statuses.count(status) for status in sorted(set(statuses))})
    return 3 in statuses and set(statuses) <= {0, 3, 127}


def main():
    tool, bench = sys.argv[1:3]
    peaks = []
    with tempfile.TemporaryDirectory() as folder:
        for events in (20_000, 200_000):
            trace = f"{folder}/{events}.trace"
            subprocess.run([bench, "write", str(events), trace], check=True)
            peaks.append(peak_kib(tool, trace))
            print(f"{events:>8} events ({os.path.getsize(trace):>9} bytes): at most {peaks[-1]} KiB")
    return 0 if says_what_it_lacks(tool) and peaks[1] <= peaks[0] * MOST_GROWTH else 1


if __name__ == "__main__":
    sys.exit(main())
