"""Manual pages of the command and its subcommands: pages.py LURK FOLDER OUT NAME...

What a subcommand takes is asked of the command itself (--help); commands.mdoc says more of each.
"""
import os
import re
import subprocess
import sys

LURK, FOLDER, OUT, NAMES = sys.argv[1], sys.argv[2], sys.argv[3], sys.argv[4:]
DATE = re.search(r"\.Dd (.*)", open(f"{FOLDER}/lurk.1.in").read()).group(1)


def ask(*arguments):
    environment = {**os.environ, "ARGP_HELP_FMT": "rmargin=9999", "LURK_DESK": ""}
    return subprocess.run([LURK, *arguments], capture_output=True, text=True, check=True, env=environment).stdout


def plain(text):
    """No character of it means anything to the formatter."""
    text = text.replace("\\", "\\e")
    return "\\&" + text if text.startswith((".", "'")) else text


def prose(text):
    """A line a sentence; what stands in backquotes as something literal."""
    lines = []
    for sentence in re.split(r"(?<=[.:;?]) (?=[A-Z`])", text.strip()):
        for i, part in enumerate(sentence.split("`")):
            if i % 2:
                lines.append(".Ql " + " ".join("\\&" + word for word in plain(part).split()))
                continue
            close = re.match(r"[.,;:?!)]+", part)
            if close and lines:
                lines[-1] += " " + " ".join(close.group(0))
                part = part[close.end():]
            if part.strip():
                lines.append(plain(part.strip()))
    return lines


def option(line):
    """'-n, --count=N   End after N presses' as an item."""
    flags, words = re.match(r"\s+((?:-\S,\s)?--\S+|-\S)\s*(.*)", line).groups()
    item = ".It"
    for i, flag in enumerate(flags.split(", ")):
        name, _, value = flag.partition("=")
        item += (" ," if i else "") + f" Fl {'-' if name.startswith('--') else ''}{name.lstrip('-')}"
        if value and flag == flags.split(", ")[-1]:
            item += f" Ns = Ns Ar {value.lower()}" if name.startswith("--") else f" Ar {value.lower()}"
    return [item, *prose(words)]


def synopsis(name, arguments):
    lines = [f".Nm lurk {name}", ".Op Ar option ..."]
    for argument in re.findall(r"\[[^\]]*\[[^\]]*\]\]|\[[^\]]*\]|[^\s\[\]]+", arguments):
        words = "Op Ar ".join(argument.strip("[]").lower().split("["))
        if words.startswith("--") and words != "--" and " " not in words:
            lines.append(f".Fl -{words[2:]}")
        else:
            lines.append(f".Op Ar {words}" if argument.startswith("[") else f".Ar {words}")
    return lines


def page(name, what, more):
    told = ask(name, "--help")
    usages = list(re.finditer(r"(?:Usage:|  or: ) lurk \S+ \[OPTION\.\.\.\]\s?(.*)\n", told))
    body = told[usages[-1].end():]
    description, _, rest = body.partition("\n\n")
    own = [line for line in rest.split("  --desk,")[0].splitlines() if re.match(r"\s+-", line)]
    examples = re.search(r"\nExamples?:\n((?:  .*\n?)+)", told).group(1)
    lines = [f".Dd {DATE}", f".Dt LURK-{name.upper()} 1", ".Os", ".Sh NAME", f".Nm lurk-{name}", f".Nd {what}",
             ".Sh SYNOPSIS"]
    for usage in usages:
        lines += synopsis(name, usage.group(1))
    lines += [".Sh DESCRIPTION", *prose(description.replace("\n", " "))]
    lines += [".Pp", *more] if more else []
    if own:
        lines += [".Pp", "The options, besides those that every command takes", "(see", ".Xr lurk 1 ) :",
                  ".Bl -tag -width Ds"]
        for line in own:
            lines += option(line)
        lines.append(".El")
    lines += [".Sh EXIT STATUS", "0 done, 1 found something wrong, 2 used wrongly, 3 could not.", ".Sh EXAMPLES",
              ".Bd -literal -offset indent", *(plain(line[2:]) for line in examples.splitlines()), ".Ed",
              ".Sh SEE ALSO", ".Xr lurk 1 ,", ".Xr lurk-profile 5 ,", ".Xr lurkd 8"]
    return "\n".join(lines) + "\n"


def read_more():
    more, name = {}, None
    for line in open(f"{FOLDER}/commands.mdoc"):
        if line.startswith('.\\" == '):
            name = line.split()[2]
            more[name] = []
        elif name:
            more[name].append(line.rstrip("\n"))
    return more


def main():
    whats = {line.split()[0]: line[24:] for line in ask("--help").split("Commands:\n")[1].split("\n\n")[0].splitlines()
             if line.startswith("  ")}
    more = read_more()
    if sorted(whats) != sorted(NAMES) or set(more) - set(NAMES):
        sys.exit(f"pages.py: the command has {sorted(whats)}, pages were asked for {sorted(NAMES)}, more is said of {sorted(more)}")
    for name in NAMES:
        with open(f"{OUT}/lurk-{name}.1", "w") as file:
            file.write(page(name, whats[name].strip(), more.get(name, [])))
    items = []
    for name in NAMES:
        items += [f".It Xr lurk-{name} 1", whats[name].strip()[0].upper() + whats[name].strip()[1:] + "."]
    with open(f"{OUT}/lurk.1", "w") as file:
        file.write(open(f"{FOLDER}/lurk.1.in").read().replace("@COMMANDS@", "\n".join(items)))


main()
