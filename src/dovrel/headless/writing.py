"""What commands on files write: corrections, tables, corrected pictures."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from dovrel.core.colour import codes, encodings, outputs
from dovrel.core.develop import whole
from dovrel.core.develop.exact import finished_exactly
from dovrel.core.develop.treating import clean, treated
from dovrel.core.steps.chain import Chain, finish_of, treatment_of
from dovrel.core.steps.correction import BALANCE
from dovrel.core.steps.levels import FourLevels
from dovrel.core.steps.selection import Selection
from dovrel.core.steps.treatment import Treatment
from dovrel.errors import Refused
from dovrel.formats import asc_cdl, correction_file, cube
from dovrel.headless.files import Input
from dovrel.media.footage import probe
from dovrel.media.frames import FrameStore, Source
from dovrel.media.picture import STRIP_PIXELS, shrink, to_picture
from dovrel.media.stills import write_still

MOST_EXACT = 1_000_000
"""Pixels of a display-referred picture that are brought in through the exact transform."""


@dataclass(frozen=True)
class Targets:
    """Files to write; none where None."""

    cdl: Path | None = None
    correction: Path | None = None
    cube: Path | None = None
    picture: Path | None = None


def write_results(source: Input, levels: FourLevels, output: str, targets: Targets) -> None:
    """Write the asked files, as corrections are at the source's frame; the correction file holds the shot's with all its keyframes.

    A CDL holds the ten numbers of the balance, the others all of it.

    Raises
    ------
    Refused
        If a file's kind is not known or it cannot be written.
    """
    here = levels.at(source.frame)
    if targets.cdl:
        numbers = here.shot.numbers_of(BALANCE)
        named = asc_cdl.NamedCorrection(source.file.stem, numbers, outputs.find(output).name)
        suffix = targets.cdl.suffix.lower()
        if suffix == ".cdl":
            asc_cdl.write_cdl(targets.cdl, named)
        elif suffix == ".cc":
            asc_cdl.write_cc(targets.cdl, named)
        elif suffix == ".ccc":
            asc_cdl.write_ccc(targets.cdl, [named])
        else:
            raise Refused(f"{targets.cdl.name}: a CDL file ends in .cdl, .cc or .ccc")
    if targets.correction:
        correction_file.write(targets.correction, levels.shot)
    if targets.cube:
        small = shrink(source.recorded()).reshape(-1, 3)
        nodes = whole.bake(source.encoding_id, here.in_order, output, colours=small[:: max(1, len(small) // 20000)])
        cube.write(targets.cube, nodes, source.file.stem)
    if targets.picture:
        write_still(targets.picture, _corrected(source, here.in_order, output))


def _treated(source: Input, treatment: Sequence[Treatment], output: str) -> np.ndarray:
    """The frame's working values float32 (H, W, 3), treated; a still has no frames beside it."""
    if source.is_still:
        picture = source.read(output)

        def cleaned(_: int) -> np.ndarray:
            return clean((), picture.packed, ())

        return codes.unpack(treated(treatment, 0, picture.packed, picture.flags, cleaned)[0])
    clip = Source(0, source.file, probe(source.file), source.encoding_id, output)
    store = FrameStore(reads_ahead=False)
    return codes.unpack(store.treated(clip, source.frame, store.full(clip, source.frame), treatment).packed)


def _corrected(source: Input, chain: Chain, output: str) -> np.ndarray:
    """The frame under a chain, float32 (H, W, 3) in 0..1 of the display.

    Exactly, but for large display-referred pictures: the exact way in takes a minute for two
    million pixels, and the baked one, which the Desk takes too, is some thousandths off.
    """
    if treatment := treatment_of(chain):
        return finished_exactly(_treated(source, treatment, output), chain, output, source.frame)
    picture = source.recorded()
    height, width = picture.shape[:2]
    baked = encodings.is_display_referred(source.encoding_id) and height * width > MOST_EXACT
    # An area, a matte that is cleaned up, and what finishes the picture need all of it at once.
    whole_at_once = bool(finish_of(chain)) or any(isinstance(one, Selection) and one.is_spatial for one in chain)
    rows = height if whole_at_once else max(1, STRIP_PIXELS // width)
    for first in range(0, height, rows):
        strip = picture[first : first + rows]
        if baked:
            working = to_picture(strip, source.encoding_id, output).working
        else:
            working = encodings.to_working(strip, source.encoding_id, output)
        picture[first : first + rows] = finished_exactly(working, chain, output, source.frame)
    return picture
