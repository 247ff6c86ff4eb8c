#!/usr/bin/env python3
# SPDX-License-Identifier: GPL-3.0-or-later
"""Man pages from what the programs say with --help, and from docs/formats/command-line.md.

make-man-pages.py OUT COMMAND-LINE.md imprimoctl imprimo imprimo-bench
"""
import pathlib
import re
import subprocess
import sys


def run(program, *words):
    return subprocess.run([program, *words], check=True, capture_output=True, text=True).stdout


def parse(text):
    """What it is, its usage, and its tables: {heading: [(left, right)]}."""
    lines = text.rstrip().split("\n")
    what = " ".join(l.strip() for l in lines[: next(i for i, l in enumerate(lines) if l.startswith("Usage:"))])
    usage = next(l for l in lines if l.startswith("Usage:"))[len("Usage:"):].strip()
    tables, heading = {}, None
    for line in lines:
        if re.fullmatch(r"[A-Z][a-z]+:", line):
            heading = tables.setdefault(line[:-1], [])
        elif heading is not None and (match := re.match(r"  (\S.*?)(?:  +(\S.*))?$", line)):
            heading.append((match[1], match[2] or ""))
        elif heading is not None and line.startswith("   ") and heading:
            heading[-1] = (heading[-1][0], (heading[-1][1] + " " + line.strip()).strip())
        elif line.strip():
            what = what or line.strip()
    if not what:  # our own programs say it behind the usage
        what = lines[lines.index(next(l for l in lines if l.startswith("Usage:"))) + 1].strip()
    return what, usage, tables


def troff(text):
    text = text.replace("\\", r"\e").replace("-", r"\-").replace("'", r"\(aq").replace("…", "...")
    return "\\&" + text if text[:1] in (".", "'") else text


def markdown(text):
    """A paragraph of ours: code in bold, links as their words."""
    text = re.sub(r"\[([^]]*)\]\([^)]*\)", r"\1", text)
    parts = re.split(r"`([^`]*)`", text)
    return "".join(r"\fB" + troff(p) + r"\fR" if i % 2 else troff(p) for i, p in enumerate(parts))


def left(text):
    """Names of an option in bold, what it takes in italics."""
    text = re.sub(r" (TEXT|UINT|FLOAT)( REQUIRED)?$|( REQUIRED)$", "", text)
    words = text.split(" ")
    shown = [r"\fB" + troff(words[0]).replace(",", r"\fR, \fB") + r"\fR"] if words[0].startswith("-") else [
        r"\fI" + troff(words[0]) + r"\fR"]
    return " ".join(shown + [w if w == "..." else r"\fI" + troff(w) + r"\fR" for w in words[1:]])


def synopsis(usage):
    shown = []
    for i, word in enumerate(usage.split()):
        bare = word.strip("[].")
        bold = i == 0 or (bare.islower() and not bare.startswith("-"))
        shown.append(word.replace(bare, (r"\fB" if bold else r"\fI") + troff(bare) + r"\fR") if bare else word)
    return " ".join(shown)


def table(rows):
    return "".join(f".TP\n{left(l)}\n{troff(r)}\n" for l, r in rows)


class Reference:
    """What command-line.md says of each command, and of exit codes."""

    def __init__(self, text):
        self.commands = {}
        for section in re.split(r"^### ", text, flags=re.M)[1:]:
            name, body = section.split("\n", 1)
            body = re.split(r"^## ", body, flags=re.M)[0]
            self.commands[name.strip("` ")] = self.paragraphs(body)
        codes = re.search(r"^## Exit codes\n(.*?)(?=^## |\Z)", text, flags=re.M | re.S)[1]
        self.codes = [(code, means.strip() + (f" (for example: {e.strip()})" if e.strip() else "")) for code, means, e in
                      re.findall(r"^\| *([0-9]+) *\|([^|]*)\|([^|]*)\|$", codes, flags=re.M)]

    @staticmethod
    def paragraphs(body):
        blocks = [b.strip() for b in re.split(r"\n\s*\n", body)]
        return [" ".join(b.split("\n")) for b in blocks if b and not b.startswith(("|", "    ", "-", "```"))]

    def exit_status(self):
        return ".SH EXIT STATUS\n" + "".join(f".TP\n{c}\n{markdown(w)}\n" for c, w in self.codes)


def page(name, version, what, usage, body, also):
    lines = f'.\\" Made from --help; not to be edited.\n.TH {name.upper()} 1 "" "Imprimo {version}" "Imprimo"\n'
    lines += f".SH NAME\n{troff(name)} \\- {troff(what[0].lower() + what[1:] if what[1:2].islower() else what).rstrip('.')}\n"
    lines += f".SH SYNOPSIS\n{synopsis(usage)}\n{body}"
    lines += ".SH SEE ALSO\n" + ",\n".join(f"\\fB{troff(a)}\\fR(1)" for a in also) + "\n"
    return lines


def main():
    out, reference_file, ctl, window, bench = sys.argv[1:]
    out = pathlib.Path(out)
    out.mkdir(parents=True, exist_ok=True)
    reference = Reference(pathlib.Path(reference_file).read_text())
    version = run(ctl, "--version").split()[1]

    def write(name, text):
        (out / f"{name}.1").write_text(text)

    what, usage, tables = parse(run(ctl, "--help"))
    commands = [name for name, _ in tables["Subcommands"]]
    body = f".SH DESCRIPTION\n{troff(what)}\n.PP\nMessages for people go to standard error, results to standard output.\n"
    body += ".SH OPTIONS\n" + table(tables["Options"]) + ".SH COMMANDS\n"
    body += "".join(f".TP\n\\fB{troff(n)}\\fR\n{troff(w)}; see \\fBimprimoctl\\-{troff(n)}\\fR(1)\n"
                    for n, w in tables["Subcommands"])
    write("imprimoctl", page("imprimoctl", version, what, usage, body + reference.exit_status(),
                             ["imprimo", "imprimo-bench"]))
    for name in commands:
        what, usage, tables = parse(run(ctl, name, "--help"))
        body = ".SH DESCRIPTION\n" + "\n.PP\n".join(markdown(p) for p in reference.commands.get(name, [what])) + "\n"
        if "Positionals" in tables:
            body += ".SH ARGUMENTS\n" + table(tables["Positionals"])
        body += ".SH OPTIONS\n" + table(tables["Options"])
        body += ".PP\nOptions of every command, and exit codes, are in \\fBimprimoctl\\fR(1).\n"
        write(f"imprimoctl-{name}", page(f"imprimoctl-{name}", version, what, usage, body, ["imprimoctl"]))
    for program, name in ((window, "imprimo"), (bench, "imprimo-bench")):
        what, usage, tables = parse(run(program, "--help"))
        body = f".SH DESCRIPTION\n{troff(what)}\n"
        if "Positionals" in tables:
            body += ".SH ARGUMENTS\n" + table(tables["Positionals"])
        body += ".SH OPTIONS\n" + table(tables["Options"])
        write(name, page(name, version, what, usage, body, ["imprimoctl"]))


if __name__ == "__main__":
    main()
