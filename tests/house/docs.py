#!/usr/bin/env python3
"""docs.py TOOL SOURCE [--write]: the docs are true. The commands of every console block are run, page by page in a home of
their own, and print what stands below them ("…": lines that are not shown); --write updates it. Commands in other blocks exist, with their
options. C++ is part of an example, which other tests build and run. TOML files pass `omnipar check`. JSON parses. Links lead somewhere."""
import json
import os
import pathlib
import re
import shutil
import subprocess
import sys
import tempfile

TOOL, SOURCE = (pathlib.Path(word).resolve() for word in sys.argv[1:3])
WRITE = "--write" in sys.argv
MOST = 14  # the maximum number of lines shown of an output
BLOCK = re.compile(r"^```(\w+)\n(.*?)^```$", re.MULTILINE | re.DOTALL)

home = pathlib.Path(tempfile.mkdtemp(prefix="omnipar-docs-"))
problems = []


def begin_page():
    """A home directory that contains only the demo data."""
    shutil.rmtree(home)
    home.mkdir()
    shutil.copytree(SOURCE / "demo", home / "demo")
    (home / "omnipar").symlink_to(TOOL)


def run(command):
    environment = {"PATH": f"{home}:{os.environ['PATH']}", "HOME": str(home), "LC_ALL": "C.UTF-8"}
    done = subprocess.run(["sh", "-c", command], cwd=home, env=environment, text=True, stdin=subprocess.DEVNULL, stdout=subprocess.PIPE,
                          stderr=subprocess.STDOUT, timeout=60)
    said = done.stdout.replace(str(home), "~").replace(str(home).replace("/", "!"), "!~")
    return said.rstrip("\n").split("\n")


def shown(lines):
    return lines if len(lines) <= MOST else lines[:MOST - 1] + ["…"]


def agree(wanted, got):
    """A line "…" matches any number of lines."""
    if not wanted or wanted[0] != "…":
        return got == wanted if not wanted or not got else wanted[0] == got[0] and agree(wanted[1:], got[1:])
    return any(agree(wanted[1:], got[skipped:]) for skipped in range(len(got) + 1))


def session(text, where):
    """The commands of one block with their expected output."""
    made = []
    for part in re.split(r"^\$ ", text, flags=re.MULTILINE)[1:]:
        command, _, output = part.partition("\n")
        got = run(command.split("  #")[0])
        wanted = output.rstrip("\n").split("\n")
        if not WRITE and not agree(wanted, got):
            problems.append(f"{where}: $ {command}\n" + "\n".join(got))
        made += [f"$ {command}"] + (wanted if agree(wanted, got) else shown(got))
    return "\n".join(made) + "\n"


def commands_in(body):
    """The commands of a block that is not run: after a prompt, or at the start of a line."""
    for line in body.split("\n"):
        words = re.sub(r"^\$ (sudo )?", "", line).split("  #")[0].split(" -- ")[0].split()
        if words[:1] == ["omnipar"]:
            yield words[1:]


def check_command(words, where):
    """Each word before the options must be a subcommand while there are any; each option must be in its help."""
    known, text = [], ""
    for word in words:
        if word.startswith("-"):
            break
        help_text = "\n".join(run(" ".join(["omnipar", *known, word, "--help"])))
        if not re.search(rf"usage: omnipar {' '.join([*known, word])}\b", help_text, re.IGNORECASE):
            break
        known, text = [*known, word], help_text
    for option in (word for word in words if word.startswith("--")):
        if option.split("=")[0] not in text:
            problems.append(f"{where}: 'omnipar {' '.join(known)}' has no option {option}")
    if not known or re.search(r"^Usage:.* SUBCOMMAND$", text, re.MULTILINE):
        problems.append(f"{where}: there is no command 'omnipar {' '.join(words)}'")


def anchors_of(page):
    """The link targets of a page's headings."""
    headings = re.findall(r"^#+ (.*)$", page.read_text(), re.MULTILINE)
    return {re.sub(r"[^\w\- ]", "", heading.lower()).replace(" ", "-") for heading in headings}


def sources():
    """The texts of the sources, with adjacent string literals joined and format fields removed."""
    text = "".join(path.read_text() for folder in ("src", "cli") for path in sorted((SOURCE / folder).rglob("*.cpp")))
    return re.sub(r"\{[^{}\s]*\}", "\0", re.sub(r'"\s*\n\s*"', "", text).replace('\\"', '"'))


def check_message(message, where):
    """Each constant part of a quoted message must be in a text of the sources. Variable parts are "…", NAME, FILE, N in capitals."""
    for part in re.split(r'"…"|omnipar \(process N\)|NAME \(process N\)|…', message):
        if part.strip(" .") and part.strip(" .") not in SOURCES:
            problems.append(f"{where}: no message contains '{part.strip()}'")


def check_names(content, where):
    """Each identifier in backquotes on the page for embedders is in a public header, an example or the build files."""
    for code in re.findall(r"`([\w:.]+)(?:\([^`]*\))?`", BLOCK.sub("", content)):
        for name in set(re.findall(r"[A-Za-z_]\w*", code)) - NAMES - {"libomnipar0"}:
            problems.append(f"{where}: `{code}` names '{name}', which does not exist")


def names():
    """The identifiers of public headers without their comments, of examples and of build files."""
    paths = [*(SOURCE / "include").rglob("*.hpp"), *(SOURCE / "examples").rglob("*.*"), SOURCE / "CMakeLists.txt", *(SOURCE / "packaging").rglob("*.in")]
    return set(re.findall(r"[A-Za-z_]\w*", "".join(re.sub(r"//.*", "", path.read_text()) for path in paths)))


SOURCES, NAMES = sources(), names()
ran = 0
pages = [SOURCE / "README.md", *sorted((SOURCE / "docs").glob("*.md"))]
for page in pages:
    begin_page()
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
for page in pages:
    content = page.read_text()
    for kind, body in BLOCK.findall(content):
        if kind in ("sh", "text"):
            for words in commands_in(body):
                check_command(words, page.name)
        if kind == "json":
            for line in [body] if body.startswith("{\n") else body.strip().split("\n"):
                json.loads(line)
        if kind == "cpp" and not any(body in example for example in examples):
            problems.append(f"{page.name}: this C++ is of no example\n{body}")
        if kind == "toml" and body.startswith("omnipar = 1"):
            (home / "page.toml").write_text(body)
            (home / "page-rig.toml").write_text('omnipar = 1\nkind = "rig"\n[[screen]]\nname = "booth"\nsize = [1920, 1080]\n')
            said = "\n".join(run("omnipar check page.toml --rig page-rig.toml"))
            if "is OK" not in said:
                problems.append(f"{page.name}: {said}")
    if page.name == "emulators.md":
        check_names(content, page.name)
    for message in re.findall(r'\*("…"[^*]*)\*', content):
        check_message(message, page.name)
    for link, anchor in re.findall(r"\]\(([^)#:]*)#?([^):]*)\)", content):
        target = page.parent / link if link else page
        if not target.exists():
            problems.append(f"{page.name}: the link {link} leads to nothing")
        elif anchor and anchor not in anchors_of(target):
            problems.append(f"{page.name}: {link} has no heading #{anchor}")
shutil.rmtree(home)
if ran < 10 and not WRITE:
    problems.append(f"only {ran} blocks were run")
sys.exit("\n".join(problems) if problems else 0)
