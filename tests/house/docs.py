#!/usr/bin/env python3
"""docs.py TOOL SOURCE [--write]: what the docs show is true. Commands of docs/guide.md and docs/analog.md are run, in a home
of their own, and print what stands below them ("…": lines that are not shown); with --write it is put there. C++ in the docs is a part of
an example, which is built and run by other tests. TOML that begins a file passes `omnipar check`. Links lead somewhere."""
import os
import pathlib
import re
import shutil
import subprocess
import sys
import tempfile

TOOL, SOURCE = (pathlib.Path(word).resolve() for word in sys.argv[1:3])
WRITE = "--write" in sys.argv
MOST = 14  # lines of an output that are shown
BLOCK = re.compile(r"^```(\w+)\n(.*?)^```$", re.MULTILINE | re.DOTALL)

home = pathlib.Path(tempfile.mkdtemp(prefix="omnipar-docs-"))
shutil.copytree(SOURCE / "demo", home / "demo")
environment = {"PATH": f"{home}:{os.environ['PATH']}", "HOME": str(home), "LC_ALL": "C.UTF-8"}
(home / "omnipar").symlink_to(TOOL)
problems = []


def run(command):
    done = subprocess.run(["sh", "-c", command], cwd=home, env=environment, text=True, stdout=subprocess.PIPE, stderr=subprocess.STDOUT)
    said = done.stdout.replace(str(home), "~").replace(str(home).replace("/", "!"), "!~")
    return said.rstrip("\n").split("\n")


def shown(lines):
    return lines if len(lines) <= MOST else lines[:MOST - 1] + ["…"]


def agree(wanted, got):
    """A line "…" stands for any lines."""
    if not wanted or wanted[0] != "…":
        return got == wanted if not wanted or not got else wanted[0] == got[0] and agree(wanted[1:], got[1:])
    return any(agree(wanted[1:], got[skipped:]) for skipped in range(len(got) + 1))


def session(text, where):
    """The commands of one block with what they say."""
    made = []
    for part in re.split(r"^\$ ", text, flags=re.MULTILINE)[1:]:
        command, _, output = part.partition("\n")
        got = run(command.split("  #")[0])
        wanted = output.rstrip("\n").split("\n")
        if not WRITE and not agree(wanted, got):
            problems.append(f"{where}: $ {command}\n" + "\n".join(got))
        made += [f"$ {command}"] + (wanted if agree(wanted, got) else shown(got))
    return "\n".join(made) + "\n"


ran = 0
for page in (SOURCE / "docs/guide.md", SOURCE / "docs/analog.md"):
    text = page.read_text()
    for kind, body in BLOCK.findall(text):
        if kind != "console":
            continue
        ran += 1
        made = session(body, page.name)
        text = text.replace(f"```console\n{body}```", f"```console\n{made}```")
    if WRITE:
        page.write_text(text)

examples = [path.read_text() for path in (SOURCE / "examples").rglob("*.cpp")]
pages = [SOURCE / "README.md", *sorted((SOURCE / "docs").glob("*.md"))]
for page in pages:
    content = page.read_text()
    for kind, body in BLOCK.findall(content):
        if kind == "cpp" and not any(body in example for example in examples):
            problems.append(f"{page.name}: this C++ is of no example\n{body}")
        if kind == "toml" and body.startswith("omnipar = 1"):
            (home / "page.toml").write_text(body)
            (home / "page-rig.toml").write_text('omnipar = 1\nkind = "rig"\n[[screen]]\nname = "booth"\nsize = [1920, 1080]\n')
            said = "\n".join(run("omnipar check page.toml --rig page-rig.toml"))
            if "is good" not in said:
                problems.append(f"{page.name}: {said}")
    for link in re.findall(r"\]\(([^)#:]+)[^)]*\)", content):
        if not (page.parent / link).exists():
            problems.append(f"{page.name}: the link {link} leads to nothing")
shutil.rmtree(home)
if ran < 10 and not WRITE:
    problems.append(f"only {ran} blocks were run")
sys.exit("\n".join(problems) if problems else 0)
