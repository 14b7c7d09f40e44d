"""Files of looks: kept once, by their digest, so that a file that changes later changes nothing; what they say of themselves."""

from __future__ import annotations

import hashlib
import json
import re
from dataclasses import asdict, dataclass
from functools import lru_cache
from pathlib import Path

import numpy as np
import PyOpenColorIO as ocio

from dovrel.core.colour import encodings, outputs, spaces, table_files, table_trial
from dovrel.errors import Refused
from dovrel.machine.files import written_aside

_WHAT = "look"
_HEAD = 65536
"""Bytes of a file that are searched for words."""
LONGEST_NAME = 120

_kept_in: Path | None = None


class LookMissing(Refused):
    """A look's file is not there, or not any more."""


@dataclass(frozen=True)
class Expected:
    """What a table takes and gives, why that is thought, and whether it is only assumed."""

    takes: str
    gives: str
    reason: str
    assumed: bool


@dataclass(frozen=True)
class LookFile:
    """A kept file: its digest (SHA-256, hexadecimal), its suffix, the name it came under, what it is expected to take and give."""

    digest: str
    suffix: str
    name: str
    expected: Expected


def keep_in(folder: Path | None) -> None:
    """Keep looks in `folder` from now on and find them there; nowhere if None."""
    global _kept_in
    _kept_in = folder


def keep(source: Path, name: str) -> LookFile:
    """Keep a copy of a look's file, if the colour library can read it.

    Raises
    ------
    Refused
        If it is no table, is too large, or holds what is no number; the message begins with the file's name.
    """
    if _kept_in is None:
        raise Refused(f"{name}: there is no folder that looks can be kept in")
    table_trial.check(source, _WHAT)
    content = source.read_bytes()
    digest = hashlib.sha256(content).hexdigest()
    kept = LookFile(digest, source.suffix.lower(), _plain_name(name), expected(source, name))
    _kept_in.mkdir(parents=True, exist_ok=True)
    with written_aside(_kept_in / f"{digest}{kept.suffix}") as aside:
        aside.write_bytes(content)
    with written_aside(_kept_in / f"{digest}.json") as aside:
        aside.write_text(json.dumps(asdict(kept)), encoding="utf-8")
    return kept


def _plain_name(name: str) -> str:
    return "".join(letter for letter in Path(name).stem if letter.isprintable()).strip()[:LONGEST_NAME] or "look"


def kept() -> list[LookFile]:
    """All that are kept, by name."""
    found = []
    for path in (_kept_in or Path("/nonexistent")).glob("*.json"):
        try:
            told = json.loads(path.read_text(encoding="utf-8"))
            one = LookFile(told["digest"], told["suffix"], told["name"], Expected(**told["expected"]))
            path_of(one.digest)
        except (OSError, ValueError, KeyError, TypeError):
            continue  # Half of it is gone; a step that holds it says so.
        found.append(one)
    return sorted(found, key=lambda one: (one.name.casefold(), one.digest))


def path_of(digest: str) -> Path:
    """Where a kept file lies.

    Raises
    ------
    LookMissing
        If it is not there.
    """
    if _kept_in is not None and re.fullmatch(r"[0-9a-f]{64}", digest):
        for suffix in table_files.SUFFIXES:
            path = _kept_in / f"{digest}{suffix}"
            if path.is_file():
                return path
    raise LookMissing("the file of the look is not there any more; bring it in again")


def has(digest: str) -> bool:
    """Whether a file is there."""
    try:
        path_of(digest)
    except LookMissing:
        return False
    return True


def through(digest: str, values: np.ndarray) -> np.ndarray:
    """Values (..., 3) of the space that it takes through a kept table, float32; errors as of :func:`path_of`."""
    return outputs.run(_kept_processor(str(path_of(digest))), values)


@lru_cache(maxsize=16)
def _kept_processor(path: str) -> ocio.CPUProcessor:
    return outputs.of_file(Path(path))


def expected(source: Path, name: str) -> Expected:
    """What a file says that it takes and gives: in a CLF's descriptors, in a title, a comment or the name it came under."""
    with source.open("rb") as file:
        text = file.read(_HEAD).decode("utf-8", "replace")
    if source.suffix.lower() == ".clf":
        described = [re.search(rf"<{tag}>([^<]*)</", text) for tag in ("InputDescriptor", "OutputDescriptor")]
        takes, gives = (_named(one.group(1))[:1] if one else [] for one in described)
        if takes and gives:
            return Expected(takes[0], gives[0], "its descriptors say so", False)
    said = "\n".join(line for line in text.splitlines() if line.lstrip().startswith(("#", "TITLE", "<Description")))
    for words, where in ((said, "its title or a comment says so"), (Path(name).stem, "its name says so")):
        named = _named(words)
        if len(named) >= 2:
            return Expected(named[0], named[1], where, False)
        if named:
            return Expected(named[0], named[0], f"{where}, of one space", True)
    return Expected(spaces.WORKING, spaces.WORKING, "the file does not say what it takes and gives", True)


_SHOWN_WORDS = {"rec709": "rec709", "bt709": "rec709", "bt1886": "rec709", "p3d65": "p3-d65", "pq1000": "pq-1000"}
"""Words for what an output shows."""


def _named(words: str) -> list[str]:
    """The spaces that a text names, in its order; one that it names twice stands twice."""
    names = [(word, f"output:{output}") for word, output in _SHOWN_WORDS.items()]
    scene = [one for one in encodings.available() if one.kind == "scene"]
    names += [(one.name, one.id) for one in scene]
    curves = [(curve.group(), one.id) for one in scene if (curve := re.search(r"\S*Log\S*", one.name))]
    # A curve by itself names the space that alone has it.
    names += [(curve, space) for curve, space in curves if sum(curve == other for other, _ in curves) == 1]
    found = {
        (at.start(), at.end(), space)
        for name, space in names
        for at in re.finditer(_as_written(name), words, re.IGNORECASE)
    }
    # A name within a longer one that stands there is none.
    whole = [one for one in found if not any(a <= one[0] and one[1] <= b and (a, b) != one[:2] for a, b, _ in found)]
    return [space for _, _, space in sorted(whole)]


def _as_written(name: str) -> str:
    """A name as a pattern: whatever stands between its letters and digits, and not within another word."""
    return r"(?<![a-z0-9])" + r"[^a-z0-9]*".join(re.findall("[a-z0-9]", name.casefold())) + r"(?![a-z0-9])"
