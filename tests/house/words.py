#!/usr/bin/env python3
"""words.py SOURCE: texts for people use the field's standard terms. Reads the command cases, the docs, the field
descriptions, the shipped sheets, the public headers and every text in the code; reports each word that has a plainer replacement."""
import json
import pathlib
import re
import sys

SOURCE = pathlib.Path(sys.argv[1])

# Phrases to avoid, and their replacements.
WORDS = [
    (r"pictures? (a|per) second|a picture (later|long)|(next|two|last) pictures?", "frame, frames per second"),
    (r"\blamps?\b|player lights?", "LED, player LED"),
    (r"\busual", "default"),
    (r"leads? nowhere", "is not bound"),
    (r"\bcross(es|ed|ing) \d|\bback 0\.", "threshold, release"),
    (r"\bswallow|\binvent(s|ed)?\b", "blocks, ghosts"),
    (r"\bby (cable|radio)\b|its way: ", "wired, wireless"),
    (r"\bmend", "fix"),
    (r"\bway out\b", "exit combination"),
    (r"what a hand does|\bnews\b", "input, event"),
    (r"\b(sits|sat down|sit down)\b", "is seated"),
    (r"\blet(s|ting)?( \w+)? go\b", "released"),
    (r"asked every|asks it for", "polling interval"),
    (r"\bhot actions?\b|\[hot\]", "action, hotkey"),
    (r"(?<!there )\b(is|are) no [a-z]+|\bno JSON\b", "is not …"),
    (r"own words\b|program's words", "arguments"),
    (r"\bstays where it (was|is) left\b", "not self-centering"),
    (r"[,;:] for (it|they|there|its|that|this|whose|nobody|somebody)\b", "because"),
    (r"may not be read", "you may not read"),
    (r"(?<![\d.])1 (seats|ports|controls|events|sources|problems|sheets|units|samples|targets|reports)\b", "singular"),
    (r"the computer refuses", "access was denied, by which call"),
    (r"\b(keep|kept|keeps) (it|them|this|in)\b", "save, saved to"),
    (r"is there twice", "duplicate"),
    (r"once more|\banew\b", "again"),
    (r"in (the )?place of\b", "instead of"),
    (r"if left out", "default: …"),
    (r"\b(whoever|likewise|meanwhile)\b", "plain words"),
    (r"\b(goes|go) on\b", "continues, resumes"),
    (r"\bso (many|long)\b", "a number of, for a duration"),
    (r"\bshall\b", "an imperative"),
    (r"\b(units|controllers?|devices?) (is|are|that (is|are)) there\b", "connected"),
    (r"at the (most|least)\b", "at most, at least"),
    (r"\bdo(es)? not go together", "interfere, are inconsistent"),
    (r"for want of", "without, out of"),
    (r"\bfrom here on\b.*\bsays\b|\b(units?|nodes?|guns?|programs?|reports?|sheets?) (say|says|tell|tells|hear|hears)\b", "reports, prints, receives"),
]
PATTERNS = [(re.compile(pattern, re.IGNORECASE), instead) for pattern, instead in WORDS]
LITERAL = re.compile(r'"((?:[^"\\\n]|\\.)*)"')


def texts_of_code(path):
    for number, line in enumerate(path.read_text().splitlines(), 1):
        code = line.split("///")[0]
        if not re.match(r"\s*(//|#include)", code):
            yield number, " ".join(found.group(1) for found in LITERAL.finditer(code))


def comments_of(path):
    for number, line in enumerate(path.read_text().splitlines(), 1):
        if "//" in line and "NOLINT" not in line:
            yield number, line.split("//", 1)[1]


def lines_of(path):
    yield from enumerate(path.read_text().splitlines(), 1)


def descriptions_of(path):
    def walk(value):
        if isinstance(value, dict):
            if isinstance(value.get("description"), str):
                yield value["description"]
            for inside in value.values():
                yield from walk(inside)
        elif isinstance(value, list):
            for inside in value:
                yield from walk(inside)
    yield from ((0, text) for text in walk(json.loads(path.read_text())))


READ = [("tests/cli/*.case", lines_of), ("docs/**/*.md", lines_of), ("README.md", lines_of),
        ("docs/schema/*.json", descriptions_of), ("data/*.toml", lines_of), ("include/**/*.hpp", comments_of), ("cli/*.cpp", texts_of_code), ("cli/**/*.cpp", texts_of_code),
        ("src/**/*.cpp", texts_of_code), ("src/**/*.hpp", texts_of_code), ("src/**/*.[ch]pp", comments_of), ("cli/**/*.[ch]pp", comments_of),
        ("examples/**/*.cpp", comments_of), ("tests/**/*.[ch]pp", comments_of)]

# The same for identifiers.
NAMES = re.compile(r"\b(\w*(Wish|News|Ears|Guest|Inside|Deed)|wish(es)?_?|news_?|ears_?|guests?_?|hearing_?|deed|inside_|"
                   r"get_up|sit_down|welcome|with_way_out|[tT]old_?|[hH]eard_?|take|take_[a-z_]+|[A-Z]\w+Words)\b")
CODE = ["include/**/*.hpp", "src/**/*.hpp", "src/**/*.cpp", "cli/**/*.hpp", "cli/**/*.cpp", "draw/*.[ch]pp", "page/*.[ch]pp", "examples/**/*.cpp", "tests/**/*.[ch]pp"]


def identifiers_of(path):
    for number, line in enumerate(path.read_text().splitlines(), 1):
        yield number, re.sub(r'"(?:[^"\\]|\\.)*"|//.*', "", line)


found = read = 0
for pattern in CODE:
    for path in sorted(SOURCE.glob(pattern)):
        for number, line in identifiers_of(path):
            read += 1
            name = NAMES.search(line)
            if name:
                found += 1
                print(f"{path.relative_to(SOURCE)}:{number}: the name '{name.group(0)}' has a standard term instead\n  {line.strip()}")
for pattern, texts in READ:
    for path in sorted(set(SOURCE.glob(pattern))):
        for number, text in texts(path):
            read += 1
            for word, instead in PATTERNS:
                at = word.search(text)
                if at:
                    found += 1
                    print(f"{path.relative_to(SOURCE)}:{number}: '{at.group(0)}' is said elsewhere as: {instead}\n  {text.strip()}")
if read < 1000:
    sys.exit("words.py: hardly anything was read")
sys.exit(f"{found} places" if found else 0)
