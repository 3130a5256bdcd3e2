#!/usr/bin/env python3
"""Each diagnostic id in the sources has an entry in docs/diagnostics.md, and no other has one.
usage: diagnostics.py ROOT
"""
import pathlib
import re
import sys


def main():
    root = pathlib.Path(sys.argv[1])
    used = set()
    for path in [*(root / "src").rglob("*.cpp"), *(root / "cli").glob("*.cpp")]:
        used |= set(re.findall(r'"([a-z]+(?:-[a-z]+)+)",\s*(?:Severity::(?:error|note|warning),\s*)?(?:\s*)(?:std::move\(|fmt::format|"[^"]* |std::string)', path.read_text()))
        used |= set(re.findall(r'"(syntax|unreadable)",', path.read_text()))
    told = set(re.findall(r"^## `([a-z-]+)`", (root / "docs" / "diagnostics.md").read_text(), re.M))
    problems = [f"docs/diagnostics.md lacks '{i}'" for i in sorted(used - told)]
    problems += [f"docs/diagnostics.md has '{i}', which nothing says" for i in sorted(told - used)]
    print("\n".join(problems) or f"{len(used)} diagnostics, each with its entry")
    return 1 if problems or not used else 0


if __name__ == "__main__":
    sys.exit(main())
