"""Where a Matroska file's own headers say that chroma samples lie (RFC 9559, 5.1.4.1.28.17 and 18)."""

from __future__ import annotations

from pathlib import Path

from dovrel.media.opening import opened

HEADERS = 1 << 20
"""Bytes at a file's start in which its tracks are looked for."""

_EBML = 0x1A45DFA3
_SEGMENT, _TRACKS, _TRACK, _VIDEO, _COLOUR = 0x18538067, 0x1654AE6B, 0xAE, 0xE0, 0x55B0
_ACROSS, _DOWN = 0x55B7, 0x55B8
_NAMES = {(1, 1): "topleft", (1, 2): "left", (2, 1): "top", (2, 2): "center"}
"""Of 1, on the first of two luma samples, and 2, halfway between them: across, then down."""


def chroma_tag(path: Path) -> str:
    """`left`, `center`, `top` or `topleft`; empty if the file is no Matroska file or does not say.

    Of several video tracks the first is read, as the decoder does.
    """
    with opened(path) as here, here.open("rb") as file:
        if int.from_bytes(file.read(4), "big") != _EBML:
            return ""
        file.seek(0)
        data = file.read(HEADERS)
    for track in _inside(data, (0, len(data)), _SEGMENT, _TRACKS, _TRACK):
        for video in _inside(data, track, _VIDEO):
            said = {
                element: int.from_bytes(data[first:last], "big")
                for colour in _inside(data, video, _COLOUR)
                for element, first, last in _elements(data, *colour)
                if element in (_ACROSS, _DOWN)
            }
            return _NAMES.get((said.get(_ACROSS, 0), said.get(_DOWN, 0)), "")
    return ""


def _inside(data: bytes, where: tuple[int, int], *path: int) -> list[tuple[int, int]]:
    """Where the elements on a path of identifiers have their contents."""
    places = [where]
    for wanted in path:
        places = [
            (first, last) for place in places for element, first, last in _elements(data, *place) if element == wanted
        ]
    return places


def _elements(data: bytes, at: int, end: int) -> list[tuple[int, int, int]]:
    """Identifier, begin and end of the contents of each element; what is cut short or damaged ends the list."""
    found = []
    while at < end:
        element, at = _number(data, at, end, marked=True)
        size, at = _number(data, at, end, marked=False)
        if element is None or size is None:
            break
        found.append((element, at, min(at + size, end)))
        at += size
    return found


def _number(data: bytes, at: int, end: int, *, marked: bool) -> tuple[int | None, int]:
    """A number of one to eight bytes (RFC 8794, 4) and where it ends; identifiers keep the bit that marks their length."""
    if at >= end or not data[at]:
        return None, end
    length = 9 - data[at].bit_length()
    if at + length > end:
        return None, end
    value = int.from_bytes(data[at : at + length], "big")
    unmarked = value - (1 << 7 * length)
    if not marked and unmarked == (1 << 7 * length) - 1:
        return end, at + length  # a size that is not known goes on to the end
    return (value if marked else unmarked), at + length
