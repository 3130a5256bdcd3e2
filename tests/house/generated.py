#!/usr/bin/env python3
"""docs/files.md, docs/schema/, the manual page and the completions match the tool's output; the help of every command and verb has an example.
usage: generated.py TOOL ROOT [--write]
"""
import pathlib
import re
import subprocess
import sys

import describe


def printed(tool, *words):
    return subprocess.run([tool, *words], capture_output=True, text=True, check=True).stdout


def helps(tool, *words):
    """The help of a command, and of each of its verbs."""
    text = printed(tool, *words, "--help")
    yield words, text
    verbs = re.search(r"^Subcommands:\n((?:  .*\n)+)", text, re.M)
    for verb in re.findall(r"^  (\w+)", verbs.group(1), re.M) if verbs else []:
        yield from helps(tool, *words, verb)


def main():
    tool, root, write = sys.argv[1], pathlib.Path(sys.argv[2]), "--write" in sys.argv
    pages = {root / "docs" / "files.md": printed(tool, "catalogue", "fields")}
    for kind in re.findall(r'^## kind = "(\w+)"', pages[root / "docs" / "files.md"], re.M):
        pages[root / "docs" / "schema" / f"{kind}.json"] = printed(tool, "catalogue", "fields", kind, "--json")
    all_helps = list(helps(tool))
    packaging = root / "packaging"
    pages[packaging / "omnipar.1"] = describe.manual(all_helps)
    for shell in ("bash", "zsh", "fish"):
        pages[packaging / "completions" / f"omnipar.{shell}"] = getattr(describe, shell)(all_helps)
    failed = []
    for path, text in pages.items():
        if write:
            path.parent.mkdir(exist_ok=True)
            path.write_text(text)
        elif not path.exists() or path.read_text() != text:
            failed.append(f"{path.relative_to(root)} is not what the tool prints; tests/house/generated.py --write refreshes it")
    explained = 0
    for words, text in all_helps:
        explained += 1
        if words and not ("Example" in text and "omnipar " + words[0] in text.split("Example")[1]):
            failed.append(f"omnipar {' '.join(words)} --help has no example")
        prints = words and words[-1] not in ("profile", "trace", "rig", "learn")
        if prints and "--json" not in text:
            failed.append(f"omnipar {' '.join(words)} takes no --json")
    print("\n".join(failed) or f"{len(pages)} pages, {explained} helps, each with an example")
    return 1 if failed or len(pages) < 6 or explained < 12 else 0


if __name__ == "__main__":
    sys.exit(main())
