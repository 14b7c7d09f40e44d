"""Words and sentences that a reader would have to read twice: in the page, in messages, in the README and the guide.

Prints each place and exits with 1 if there is one.
"""

from __future__ import annotations

import ast
import re
import sys
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

ROOT = Path(__file__).resolve().parents[1]
LONGEST = 25
"""Words of a sentence."""
INSTEAD = {
    r"hangs? on|hanging on": "linked to",
    r"hear[ds]? with|testimony|witness(es)?": "evidence, cue",
    r"(is|are|was|were|not|be) told": "reported, tagged",
    r"taken (off|down)|held down|led to|put on": "removed, reduced, limited to, moved to, set to",
    r"(set|made|make|makes) anew": "changed, rebuilt",
    r"in hand": "current",
    r"by which|of which|from which on": "two sentences",
    r"belongs?": "included, selected",
    r"ghosts?|seams?": "reference trace, split",
    r"familiar colours?": "memory colours",
    r"illegal": "out of range",
    r"in force": "applies to",
    r"passed over": "skipped",
    r"off the day|put back": "set aside, brought back",
    r"wander(s|ed|ing)?": "drift",
    r"sureness|believed": "confidence",
    r"mended?": "corrected, removed",
    r"ten numbers of it": "CDL values",
}
"""What is not written, and what is written instead."""
_FORBIDDEN = [(re.compile(rf"\b({pattern})\b", re.IGNORECASE), words) for pattern, words in INSTEAD.items()]
DOCS = ("README.md", "docs/guide/*.md", "docs/your-own-footage.md")
_CODE = re.compile(r"\\d|^\s*(SELECT|UPDATE|<!doctype)\b")
"""Patterns, statements and pages within strings."""
_TYPED = re.compile(r"\"((?:[^\"\\\n]|\\.)*)\"|`((?:[^`\\]|\\.)*)`|>([^<>{}=;]*[a-z][^<>{}=;]*)<", re.DOTALL)
_ASKED = re.compile(r"\$\{[^}]*\}")
"""What a template of the page puts in: code, not words."""
_NOT_PROSE = re.compile(r"^\s*(\||```|!\[|#|- `|\d+\. `)")


class Text(NamedTuple):
    """Something that is read, and where it is written."""

    path: Path
    line: int
    text: str


def messages() -> Iterator[Text]:
    """Strings of the package that are not docstrings, and of more than one word."""
    for path in sorted((ROOT / "src" / "dovrel").rglob("*.py")):
        if "bench" in path.parts or "scene" in path.parts or "migrations" in path.parts:
            continue
        tree = ast.parse(path.read_text())
        said_of = {
            id(node.value)
            for node in ast.walk(tree)
            if isinstance(node, ast.Expr) and isinstance(node.value, ast.Constant)
        }
        for node in ast.walk(tree):
            if (
                isinstance(node, ast.Constant)
                and isinstance(node.value, str)
                and id(node) not in said_of
                and " " in node.value
                and not _CODE.search(node.value)
            ):
                yield Text(path, node.lineno, node.value)


def page() -> Iterator[Text]:
    """Strings and texts of the page."""
    for path in sorted((ROOT / "frontend" / "src").rglob("*.ts*")):
        if "generated" in path.parts:
            continue
        text = re.sub(r"^\s*(//|\*|/\*\*).*$", "", path.read_text(), flags=re.MULTILINE)
        for found in _TYPED.finditer(text):
            said = next(part for part in found.groups() if part is not None)
            if " " in said.strip():
                yield Text(path, text.count("\n", 0, found.start()) + 1, said)


def guide() -> Iterator[Text]:
    """Paragraphs of what a user reads, without tables, headings and code."""
    for pattern in DOCS:
        for path in sorted(ROOT.glob(pattern)):
            code, begun, lines = False, 0, list[str]()
            for number, line in enumerate([*path.read_text().splitlines(), ""], 1):
                code ^= line.startswith("```")
                if code or not line.strip() or _NOT_PROSE.match(line) or re.match(r"\s*(- |\*\*|\d+\. )", line):
                    if lines:
                        yield Text(path, begun, " ".join(lines))
                    lines = []
                if not code and line.strip() and not _NOT_PROSE.match(line):
                    begun = begun if lines else number
                    lines.append(line.strip())


def sentences(text: str) -> Iterator[str]:
    plain = re.sub(r"`[^`]*`|\$\{[^}]*\}", "x", re.sub(r"\]\([^)]*\)", "]", text))
    yield from re.split(r"[.!?:;]\s+", plain)


def faults() -> Iterator[str]:
    for text in [*page(), *messages(), *guide()]:
        place = f"{text.path.relative_to(ROOT)}:{text.line}"
        for pattern, words in _FORBIDDEN:
            if found := pattern.search(_ASKED.sub("", text.text)):
                yield f"{place}: “{found[0]}”; write {words}"
        for sentence in sentences(text.text):
            count = len(re.findall(r"[A-Za-z0-9’'-]+", sentence))
            if count > LONGEST:
                yield f"{place}: {count} words in one sentence: {' '.join(sentence.split())[:90]}…"


if __name__ == "__main__":
    found = list(faults())
    print("\n".join(found))
    sys.exit(1 if found else 0)
