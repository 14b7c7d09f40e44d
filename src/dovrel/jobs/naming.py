"""What files of a shot are called: a pattern with the shot's own words in it."""

from __future__ import annotations

import re
import string
from collections import Counter
from collections.abc import Callable, Hashable, Iterable, Mapping
from pathlib import Path
from typing import TypeVar

from dovrel.errors import Refused
from dovrel.jobs.sources import source_of
from dovrel.store.models import Shot

PATTERN = "{name}"
LONGEST = 150
WORDS = ("name", "scene", "family", "camera", "roll", "clip", "timecode", "day")
"""What can stand in a pattern between braces."""


K = TypeVar("K", bound=Hashable)


def safe_name(name: str) -> str:
    """A file name from a shot's or family's: letters, digits, dot, dash and underscore only."""
    return re.sub(r"[^\w.-]+", "_", name, flags=re.ASCII).strip("._")[:LONGEST] or "shot"


def checked(pattern: str) -> str:
    """A pattern, if it can be filled in.

    Raises
    ------
    Refused
        If a brace is left open, or something stands between braces that is not one of :data:`WORDS` alone.
    """
    try:
        parts = [
            (field, form or conversion)
            for _, field, form, conversion in string.Formatter().parse(pattern)
            if field is not None
        ]
    except ValueError as fault:
        raise Refused(f"“{pattern}” cannot be filled in: {fault}") from None
    if any(more for _, more in parts):
        raise Refused(f"“{pattern}” cannot be filled in: between braces stands a word alone")
    fields = [field for field, _ in parts]
    for field in fields:
        if field not in WORDS:
            allowed = ", ".join(f"{{{word}}}" for word in WORDS)
            raise Refused(f"“{{{field}}}” is nothing that a shot has; a name is made of {allowed}")
    if not fields:
        raise Refused("all files would have the same name: put {name} in it")
    return pattern


def named(pattern: str, words: Mapping[str, str]) -> str:
    """The name that a pattern gives; separators that are left over where a shot has no such word are taken out."""
    filled = checked(pattern).format_map({name: safe_name(words[name]) if words[name] else "" for name in WORDS})
    return safe_name(re.sub(r"([_.-])[_.-]+", r"\1", filled))


def words_of(shot: Shot) -> dict[str, str]:
    """What a shot puts into a pattern."""
    info = source_of(shot).info
    scene = re.match(r"\d+[A-Za-z]?", shot.name)
    return {
        "name": shot.name,
        "scene": info.tags.get("scene", scene.group() if scene else ""),
        "family": shot.family.name if shot.family else "",
        "camera": shot.camera.letter,
        "roll": info.tags.get("roll", info.tags.get("reel_name", "")),
        "clip": Path(shot.path).stem,
        "timecode": re.sub(r"\D", "", info.timecode),
        "day": shot.production.day,
    }


def stems(shots: Iterable[Shot], pattern: str = PATTERN) -> dict[Shot, str]:
    """What each shot's files are called; those that a pattern gives one name have their own numbers after it."""
    return apart({shot: named(pattern, words_of(shot)) for shot in shots}, lambda shot: shot.id)


def apart(names: Mapping[K, str], number: Callable[[K], int] | None = None) -> dict[K, str]:
    """Names that differ in more than their case: those of which there are several have a number after them.

    It is what `number` says, and otherwise counts them all.
    """
    count = Counter(name.lower() for name in names.values())
    placed = {key: place for place, key in enumerate(names, 1)}
    number = number or placed.__getitem__
    return {key: name if count[name.lower()] == 1 else f"{name}_{number(key)}" for key, name in names.items()}


def clashes(shots: Iterable[Shot], pattern: str) -> dict[str, list[str]]:
    """Names that a pattern gives several shots, with the names of these."""
    same: dict[str, list[tuple[str, str]]] = {}
    for shot in shots:
        name = named(pattern, words_of(shot))
        same.setdefault(name.lower(), []).append((name, shot.name))
    return {of[0][0]: [shot for _, shot in of] for of in same.values() if len(of) > 1}
