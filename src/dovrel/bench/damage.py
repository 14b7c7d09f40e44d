"""Damaged files of every kind that Dovrel reads, drawn by a seed from sound ones."""

from __future__ import annotations

import shutil
from collections.abc import Callable
from pathlib import Path

import numpy as np
import opentimelineio as otio

from dovrel.core.colour import tables
from dovrel.core.develop.frame import display_of
from dovrel.core.steps.primary import Primary
from dovrel.demo import cards
from dovrel.formats import asc_cdl, cube
from dovrel.media.footage import read_recorded
from dovrel.media.picture import shrink, to_picture
from dovrel.media.stills import write_still

EDL = """TITLE: DAMAGED
FCM: NON-DROP FRAME

001  R1   V     C        09:14:02:10 09:14:04:00 01:00:00:00 01:00:01:14
* FROM CLIP NAME: 12A-1
002  R2   V     C        09:31:40:00 09:31:41:12 01:00:01:14 01:00:03:02
* FROM CLIP NAME: 12C-2
"""


def sound_files(folder: Path) -> dict[str, list[Path]]:
    """One or more whole files of every kind, by what is done with them: clips, stills, tables, corrections, lists."""
    folder.mkdir(parents=True, exist_ok=True)
    clip = cards.find("12C-2")
    clips = []
    for name in ("12C-2", "12B-3", "12A-2"):
        found = cards.find(name).path
        clips.append(folder / f"clip-{name}{found.suffix}")
        shutil.copy(found, clips[-1])
    working = to_picture(shrink(read_recorded(clip.path, 12), 320), clip.encoding).working
    shown = display_of(working, [], tables.output_table())
    stills = [folder / f"still.{suffix}" for suffix in ("png", "tif", "jpg")]
    for path in stills:
        write_still(path, shown)
    table = folder / "table.cube"
    cube.write(table, tables.lattice(9, 0.0, 1.0), "a table")
    clf = folder / "table.clf"
    shutil.copy(cards.ENCODINGS / "alderney-l4.clf", clf)
    named = [asc_cdl.NamedCorrection("12A-1", Primary(offset=(0.01, 0.0, -0.01)))]
    corrections = [folder / f"correction.{kind}" for kind in ("cdl", "cc", "ccc")]
    asc_cdl.write_cdl(corrections[0], named[0])
    asc_cdl.write_cc(corrections[1], named[0])
    asc_cdl.write_ccc(corrections[2], named)
    lists = [folder / "list.edl", folder / "list.otio"]
    lists[0].write_text(EDL)
    lists[1].write_text(otio.adapters.read_from_string(EDL, "cmx_3600").to_json_string())
    return {"clip": clips, "still": stills, "table": [table, clf], "correction": corrections, "list": lists}


def _cut(whole: bytes, rng: np.random.Generator) -> bytes:
    return whole[: int(rng.integers(0, len(whole)))]


def _flipped(whole: bytes, rng: np.random.Generator) -> bytes:
    data = bytearray(whole)
    for at in rng.integers(0, len(data), int(rng.integers(1, 40))):
        data[at] = int(rng.integers(0, 256))
    return bytes(data)


def _head_flipped(whole: bytes, rng: np.random.Generator) -> bytes:
    return _flipped(whole[:512], rng) + whole[512:]


def _blanked(whole: bytes, rng: np.random.Generator) -> bytes:
    first = int(rng.integers(0, len(whole)))
    length = int(rng.integers(1, max(2, len(whole) // 3)))
    return whole[:first] + b"\0" * min(length, len(whole) - first) + whole[first + length :]


def _repeated(whole: bytes, rng: np.random.Generator) -> bytes:
    first = int(rng.integers(0, len(whole)))
    return whole[:first] + whole[max(0, first - 4096) :]


def _noise(whole: bytes, rng: np.random.Generator) -> bytes:
    return rng.integers(0, 256, int(rng.integers(0, 20_000)), np.uint8).tobytes()


def _brackets(whole: bytes, rng: np.random.Generator) -> bytes:
    return b"[<{"[int(rng.integers(0, 3)) :][:1] * int(rng.integers(10, 200_000))


DAMAGES: dict[str, Callable[[bytes, np.random.Generator], bytes]] = {
    "cut short": _cut,
    "bytes changed": _flipped,
    "head changed": _head_flipped,
    "part blanked": _blanked,
    "part repeated": _repeated,
    "noise": _noise,
    "brackets": _brackets,
}


def damaged(sound: Path, number: int, folder: Path, rng: np.random.Generator) -> tuple[Path, str]:
    """A damaged copy of a file, and how it was damaged."""
    how = str(rng.choice(list(DAMAGES)))
    path = folder / f"{number:04d}-{how.replace(' ', '-')}{sound.suffix}"
    path.write_bytes(DAMAGES[how](sound.read_bytes(), rng))
    return path, how
