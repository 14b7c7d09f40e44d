"""What of a handover carries corrections: CDLs, tables, CLFs and edit lists, written from values that need no database."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Any

import numpy as np

from dovrel.core.colour import encodings, outputs
from dovrel.core.develop import whole
from dovrel.core.steps.carried import Format, Sampling, as_cdls, frames_to_carry, point_wise
from dovrel.core.steps.levels import AtFrame, FourLevels
from dovrel.formats import amf, asc_cdl, clf, cube, cut_list
from dovrel.jobs.naming import apart, safe_name
from dovrel.jobs.sources import source_of
from dovrel.media.frames import FrameStore, Source
from dovrel.store import corrections
from dovrel.store.models import Shot, nothing_done

COLOURS_A_FRAME = 6000
LISTS = frozenset({"ccc", "otio", "edl"})
"""Formats of which a file has several shots."""


@dataclass(frozen=True)
class Numbers:
    """Which formats are asked for.

    Attributes
    ----------
    sampling : of shots that change, for formats that know no time
    cube_size : nodes a side of a .cube
    """

    formats: tuple[Format, ...]
    sampling: Sampling = "keyframes"
    cube_size: int = whole.SIZE

    @classmethod
    def of(cls, kept: Mapping[str, Any]) -> Numbers:
        """As a handover's row keeps them."""
        return cls(tuple(kept["formats"]), kept["sampling"], kept["cube_size"])


@dataclass(frozen=True)
class Written:
    """A file that was written; `shot` names whose it is, and is empty where it is nobody's."""

    name: str
    format: str
    shot: str = ""
    version_id: int | None = None


@dataclass(frozen=True, eq=False)
class Handed:
    """A shot as it is handed over: all that is in force on it, and what its files are called.

    Attributes
    ----------
    uses : the first and last frame of each use in the line-up, by their place in it; all of it where there is no line-up
    """

    name: str
    stem: str
    family: str
    version_id: int | None
    levels: FourLevels
    source: Source
    frames: FrameStore
    uses: tuple[tuple[int, int, int], ...] = field(default=())

    @cached_property
    def colours(self) -> np.ndarray:
        """Recorded colours from the shot's start, middle and end, float32 (N, 3)."""
        last = self.source.info.frames - 1
        pixels = [self.frames.preview(self.source, at).recorded.reshape(-1, 3) for at in sorted({0, last // 2, last})]
        return np.concatenate([p[:: max(1, len(p) // COLOURS_A_FRAME)] for p in pixels]).astype(np.float32)

    def along(self, sampling: Sampling) -> Iterator[tuple[str, AtFrame]]:
        """What is in force at each frame that is handed over, with what names that frame in files; nothing where none changes."""
        for frame in frames_to_carry(self.levels, self.source.info.frames, sampling):
            yield f".frame{frame + 1:04d}" if self.levels.frames else "", self.levels.at(frame)

    def corrections(self, sampling: Sampling) -> Iterator[tuple[str, asc_cdl.NamedCorrection]]:
        """The ten numbers at each frame in as few CDLs as carry them exactly, to be applied one after another."""
        viewing = outputs.find(self.source.output).name
        for part, here in self.along(sampling):
            chain = as_cdls(here)
            for place, numbers in enumerate(chain, 1):
                ends = part if len(chain) == 1 else f"{part}.{place}of{len(chain)}"
                yield ends, asc_cdl.NamedCorrection(f"{self.name}{ends}", numbers, viewing)


def sum_of(shot: Shot) -> str:
    """A checksum of all that is in force on a shot, and of how its clip is read."""
    own = shot.version.correction if shot.version else shot.start
    look = shot.family.correction if shot.family else nothing_done("family")
    levels = [shot.camera.correction, own, look, shot.production.correction]
    told = json.dumps([levels, shot.camera.encoding, shot.production.output, shot.reading], sort_keys=True)
    return hashlib.sha256(told.encode()).hexdigest()[:16]


def handed(stems: dict[Shot, str], frames: FrameStore) -> list[Handed]:
    """Measured shots as they are now, by what their files are called."""
    line_up = next(iter(stems)).production.line_up
    known = {shot.id for shot in stems}
    placed = [(place, use) for place, use in enumerate(line_up) if use["shot"] in known]
    found = []
    for number, (shot, stem) in enumerate(stems.items()):
        source = source_of(shot)
        last = source.info.frames - 1
        spans = [(place, use.get("span") or (0, last)) for place, use in placed if use["shot"] == shot.id]
        uses = tuple((place, first, min(end, last)) for place, (first, end) in spans)
        family = shot.family.name if shot.family else "unsorted"
        levels = corrections.levels_of(shot)
        whole_clip = () if placed else ((number, 0, last),)
        found.append(Handed(shot.name, stem, family, shot.version_id, levels, source, frames, uses or whole_clip))
    return found


def write(folder: Path, shots: Sequence[Handed], numbers: Numbers, title: str) -> list[Written]:
    """Write the formats that are asked for into a folder; `title` is the production's."""
    of_shots = [file for shot in shots for file in write_shot(folder, shot, numbers)]
    return of_shots + write_lists(folder, shots, numbers, title)


def write_shot(folder: Path, shot: Handed, numbers: Numbers) -> list[Written]:
    """Write those formats of one shot that are asked for into a folder."""
    paths: list[tuple[Path, str]] = []
    for kind in numbers.formats:
        if kind in ("cdl", "cc"):
            write_one = asc_cdl.write_cdl if kind == "cdl" else asc_cdl.write_cc
            for part, correction in shot.corrections(numbers.sampling):
                paths.append((folder / f"{shot.stem}{part}.{kind}", kind))
                write_one(paths[-1][0], correction)
        elif kind in ("cube", "clf", "amf"):
            for part, here in shot.along(numbers.sampling):
                path = folder / f"{shot.stem}{part}.{kind}"
                paths += [(one, kind) for one in _write_whole(path, shot, here, part, numbers.cube_size)]
    return [Written(path.name, kind, shot.name, shot.version_id) for path, kind in paths]


def write_lists(folder: Path, shots: Sequence[Handed], numbers: Numbers, title: str) -> list[Written]:
    """Write those of :data:`LISTS` that are asked for into a folder: edit lists, and a .ccc for each family."""
    written = []
    for kind, write_list in (("otio", cut_list.write_otio), ("edl", cut_list.write_edl)):
        if kind in numbers.formats:
            path = folder / f"line-up.{kind}"
            write_list(path, title, _cuts(shots))
            written.append(Written(path.name, kind))
    if "ccc" in numbers.formats:
        for family, name in apart({shot.family: safe_name(shot.family) for shot in shots}).items():
            path = folder / f"{name}.ccc"
            members = [shot for shot in shots if shot.family == family]
            asc_cdl.write_ccc(path, [one for shot in members for _, one in shot.corrections(numbers.sampling)])
            written.append(Written(path.name, "ccc", family))
    return written


def _write_whole(path: Path, shot: Handed, here: AtFrame, part: str, size: int) -> list[Path]:
    """A .cube, .clf or .amf of all that acts on colours by themselves, and what an .amf refers to."""
    encoding, output, name = shot.source.encoding, shot.source.output, f"{shot.name}{part}"
    if path.suffix == ".cube":
        nodes = whole.bake(encoding, here.in_order, output, size, shot.colours)
        cube.write(path, nodes, f"{name}: recorded to {outputs.find(output).name}")
        return [path]
    reaching, chain = encodings.to_working(shot.colours, encoding, output), point_wise(here.in_order)
    if path.suffix == ".amf":
        return amf.write(path, amf.Told(name, shot.source.path.name, encoding, output, chain, reaching))
    clf.write(path, chain, name, reaching)
    return [path]


def _cuts(shots: Sequence[Handed]) -> list[cut_list.Cut]:
    """The shots in the order of the line-up, as it uses them; without one, each whole."""
    placed = [(place, shot, first, last) for shot in shots for place, first, last in shot.uses]
    return [_cut(shot, first, last) for _, shot, first, last in sorted(placed, key=lambda one: one[0])]


def _cut(shot: Handed, first: int, last: int) -> cut_list.Cut:
    info, frame = shot.source.info, (first + last) // 2
    chain = as_cdls(shot.levels.at(frame))
    notes = [f"ten numbers of frame {frame + 1}"] if shot.levels.frames else []
    if len(chain) > 1:
        notes.append(f"{len(chain)} CDLs one after another carry it; they are files of their own")
    return cut_list.Cut(
        shot.name,
        shot.source.path.name,
        info.tags.get("reel_name", info.tags.get("roll", "")),
        info.rate,
        info.timecode,
        info.frames,
        first,
        last,
        chain[0] if len(chain) == 1 else None,
        "; ".join(notes),
    )
