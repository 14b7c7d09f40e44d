"""Which encoding a clip is likely to be in, by what its file says."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from dovrel.core.colour.encodings import Encoding

_BY_TRANSFER = {"HLG": "hlg", "PQ": "pq", "sRGB": "srgb", "BT.709": "rec709"}
_COLOURS = {
    "hlg": ("", "BT.2020"),
    "pq": ("", "BT.2020"),
    "srgb": ("", "BT.709", "BT.601"),
    "rec709": ("", "BT.709", "BT.601"),
}
"""Primaries that a clip of an encoding may say, or not say."""
_WIDER = {"BT.2020": "rec2020", "P3": "p3", "P3-D65": "p3"}
"""SDR pictures by their primaries, where these are not BT.709's."""
_LINEAR = {
    "BT.709": "aces:Linear Rec.709 (sRGB)",
    "BT.2020": "aces:Linear Rec.2020",
    "P3-D65": "aces:Linear P3-D65",
    "AP0": "aces:ACES2065-1",
    "AP1": "aces:ACEScg",
}
"""Linear light by its primaries."""
_TELLING = ("gamma", "log", "curve", "transfer", "colorspace", "color_space", "encoding")
"""In the key of a tag that says how values relate to light."""
_SHORTEST = 4
"""Letters and digits of a tag that are enough to know a curve by."""


@dataclass(frozen=True)
class Said:
    """What a file says of its camera and its values; empty where it says nothing."""

    make: str = ""
    model: str = ""
    transfer: str = ""
    primaries: str = ""
    tags: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True)
class Entry:
    """One line of a table of encodings by camera; without a model it goes for all of the make."""

    make: str
    model: str
    encoding: str


@dataclass(frozen=True)
class Likely:
    """An encoding, why it is proposed, and whether it is only assumed."""

    encoding: str
    reason: str
    assumed: bool


def likely_encoding(said: Said, table: Iterable[Entry], fallback: str, known: Sequence[Encoding]) -> Likely:
    """The encoding of a clip: by the table, by a tag that names a curve, by its transfer tag, or `fallback`.

    Parameters
    ----------
    table : encodings by make and model; an entry for the very model goes before one for the make
    fallback : the encoding that is assumed where nothing is known
    known : every encoding that a tag may name
    """
    if entry := _entry_for(said, table):
        camera = " ".join(part for part in (entry.make, entry.model) if part)
        return Likely(entry.encoding, f"the production's table has it for {camera}", False)
    if found := _named_by_tag(said, known):
        return found
    if said.transfer == "linear" and said.primaries in _LINEAR:
        return Likely(_LINEAR[said.primaries], f"linear light with {said.primaries} colours", False)
    if said.transfer == "linear":
        return Likely(_LINEAR["BT.709"], "linear light; which primaries, the clip does not say", True)
    if said.transfer in _BY_TRANSFER:
        encoding, tags = _BY_TRANSFER[said.transfer], f"tagged {said.transfer}"
        if said.transfer in ("BT.709", "sRGB") and said.primaries in _WIDER:
            encoding, tags = _WIDER[said.primaries], f"{tags} with {said.primaries} colours"
        elif said.primaries not in _COLOURS[encoding]:
            return Likely(encoding, f"{tags}, with {said.primaries} colours; no encoding has both", True)
        own = _of_make(said.make, known) if said.transfer == "BT.709" else []
        if own:
            return Likely(encoding, f"{tags}; but {said.make} records {_list(own)} under that tag too", True)
        return Likely(encoding, tags, False)
    return Likely(fallback, "the clip does not say how it is encoded", True)


def _entry_for(said: Said, table: Iterable[Entry]) -> Entry | None:
    make, model = said.make.casefold(), said.model.casefold()
    fitting = [e for e in table if make and e.make.casefold() == make and e.model.casefold() in ("", model)]
    return max(fitting, key=lambda entry: bool(entry.model), default=None)


def _plain(text: str) -> str:
    return re.sub(r"[^a-z0-9]", "", text.casefold())


def _named_by_tag(said: Said, known: Sequence[Encoding]) -> Likely | None:
    """The encoding whose name holds what a telling tag says."""
    for key, value in said.tags.items():
        word = _plain(value)
        if len(word) < _SHORTEST or not any(part in key for part in _TELLING):
            continue
        fitting = [e for e in known if e.kind == "scene" and word in _plain(e.name)]
        fitting = [e for e in fitting if not said.make or _is_of(said.make, e)] or fitting
        if fitting:
            several = f"; {len(fitting)} encodings are called so" if len(fitting) > 1 else ""
            return Likely(fitting[0].id, f"the clip says {value}{several}", len(fitting) > 1)
    return None


def _is_of(make: str, encoding: Encoding) -> bool:
    """Whether an encoding's name begins with the maker's."""
    return _plain(encoding.name).startswith(_plain(make.split()[0]))


def _of_make(make: str, known: Sequence[Encoding]) -> list[str]:
    return [e.name for e in known if make.strip() and e.kind == "scene" and _is_of(make, e)]


def _list(names: list[str]) -> str:
    return names[0] if len(names) == 1 else f"{names[0]} and others"
