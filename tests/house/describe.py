"""Generates the manual page and shell completions from the help of every command."""
import re


def options_of(text):
    """The long options in a help text, with their descriptions and whether they have a value."""
    found = []
    for line in re.findall(r"^  (?:-\w,)?(--[\w-]+(?: .*)?)$", text, re.M):
        name, _, rest = line.partition(" ")
        words = re.split(r" {2,}", rest.strip()) if not rest.startswith("  ") else ["", rest.strip()]
        value, about = (words[0], words[-1]) if len(words) > 1 else ("", words[0])
        found.append((name, bool(value), about))
    return found


def verbs_of(text):
    block = re.search(r"^Subcommands:\n((?:  .*\n)+)", text, re.M)
    return re.findall(r"^  (\w+) +(.*)$", block.group(1), re.M) if block else []


def roff(text):
    return re.sub(r"^([.'])", r"\\&\1", text.replace("\\", "\\e").replace("-", "\\-"), flags=re.M)


def manual(helps):
    page = ['.TH OMNIPAR 1', ".SH NAME", "omnipar \\- controllers of many kinds as those of an emulated machine",
            ".SH SYNOPSIS", ".B omnipar", "[OPTIONS] COMMAND \\&...", ".SH DESCRIPTION"]
    for words, text in helps:
        about, _, rest = text.partition("\nUsage: ")
        if not words:
            page += [roff(about), ".SH COMMANDS"]
            continue
        usage, _, rest = rest.partition("\n")
        page += [".SS " + roff(" ".join(words)), ".B " + roff(usage), ".PP", roff(about)]
        for name, takes, said in options_of(text):
            if name != "--help":
                page += [".TP", f".B {roff(name)}" + (" VALUE" if takes else ""), roff(said or " ")]
        example = re.search(r"^Example.*", text, re.M | re.S)
        if example:
            page += [".PP", ".nf", roff(example.group(0).rstrip()), ".fi"]
    page += [".SH SEE ALSO", "The guide and the pages on files, guns, analog controls and playing, in the folder of its documents."]
    return "\n".join(page) + "\n"


def table(helps):
    """The verbs and options of each command."""
    return {" ".join(words): (verbs_of(text), options_of(text)) for words, text in helps}


def bash(helps):
    rows = ""
    for words, (verbs, options) in table(helps).items():
        all_words = [verb for verb, _ in verbs] + [name for name, _, _ in options]
        rows += f'    "omnipar{" " if words else ""}{words}") words="{" ".join(all_words)}" ;;\n'
    return f'''# Completions of omnipar for bash.
_omnipar() {{
  local called=omnipar at words
  for ((at = 1; at < COMP_CWORD; ++at)); do
    [[ ${{COMP_WORDS[at]}} == -* ]] || [[ " $(_omnipar_words "$called") " != *" ${{COMP_WORDS[at]}} "* ]] || called+=" ${{COMP_WORDS[at]}}"
  done
  words=$(_omnipar_words "$called")
  COMPREPLY=($(compgen -W "$words" -- "${{COMP_WORDS[COMP_CWORD]}}"))
  ((${{#COMPREPLY[@]}})) || COMPREPLY=($(compgen -f -- "${{COMP_WORDS[COMP_CWORD]}}"))
}}
_omnipar_words() {{
  local words=
  case $1 in
{rows}  esac
  echo "$words"
}}
complete -o filenames -F _omnipar omnipar
'''


def zsh(helps):
    rows = ""
    for words, (verbs, options) in table(helps).items():
        both = [(verb, said) for verb, said in verbs] + [(name, said) for name, _, said in options]
        quoted = " ".join("'" + f"{name}:{said}".replace("'", "'\\''") + "'" for name, said in both)
        rows += f'    "omnipar{" " if words else ""}{words}") described=({quoted}) ;;\n'
    return f'''#compdef omnipar
# Completions of omnipar for zsh.
_omnipar_described() {{
  described=()
  case $1 in
{rows}  esac
}}
_omnipar() {{
  local called=omnipar word
  local -a described
  for word in ${{words[2,CURRENT-1]}}; do
    _omnipar_described $called
    [[ $word == -* ]] || (( ${{described[(I)${{word}}:*]}} == 0 )) || called+=" $word"
  done
  _omnipar_described $called
  _describe 'word' described || _files
}}
_omnipar "$@"
'''


def fish(helps):
    lines = ["# Completions of omnipar for fish."]
    quoted = lambda text: "'" + text.replace("\\", "\\\\").replace("'", "\\'") + "'"
    commands = [verb for verb, _ in table(helps)[""][0]]
    for words, (verbs, options) in table(helps).items():
        parts = words.split()
        seen = " ; and ".join(f"__fish_seen_subcommand_from {part}" for part in parts)
        where = f"{seen}" if parts else f"not __fish_seen_subcommand_from {' '.join(commands)}"
        if parts and verbs:
            where += f" ; and not __fish_seen_subcommand_from {' '.join(verb for verb, _ in verbs)}"
        for verb, said in verbs:
            lines.append(f"complete -c omnipar -n {quoted(where)} -f -a {verb} -d {quoted(said)}")
        for name, takes, said in options:
            lines.append(f"complete -c omnipar -n {quoted(where)} -l {name[2:]}{' -r' if takes else ''} -d {quoted(said)}")
    return "\n".join(lines) + "\n"
