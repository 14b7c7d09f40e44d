"""Measuring, balancing and matching files, without browser or database."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np
from rich.console import Console
from rich.table import Table as RichTable

from dovrel.core.balance import propose
from dovrel.core.colour import encodings, outputs, tables, whole
from dovrel.core.colour.cdl import IDENTITY, TenNumbers
from dovrel.core.colour.chain import Correction, apply_in_order
from dovrel.core.match import Evidence, match
from dovrel.core.measure.frame import render
from dovrel.core.measure.readings import reading_name
from dovrel.formats import asc_cdl, cube
from dovrel.media.limits import STILL_SUFFIXES
from dovrel.media.picture import STRIP_PIXELS, Picture, read_recorded, shrink, to_picture
from dovrel.media.stills import write_still

MOST_EXACT = 1_000_000
"""Pixels of a display-referred picture that are brought in through the exact transform."""
COMPARED_WIDTH = 1920
"""A match sees no more than this of a picture: its features are sought at half of it."""


@dataclass(frozen=True)
class Input:
    """A file, its encoding (display-referred Rec.709 if none is given), and a frame."""

    file: Path
    encoding: str | None = None
    frame: int = 0

    @property
    def encoding_id(self) -> str:
        if self.encoding is None:
            return "srgb" if self.file.suffix.lower() in STILL_SUFFIXES else "rec709"
        if self.encoding.startswith("file:") or self.encoding in encodings.DISPLAY_ENCODINGS:
            return self.encoding
        if self.encoding.startswith("aces:"):
            return self.encoding
        return f"aces:{self.encoding}"

    def read(self, output: str, width: int | None = None) -> Picture:
        """The frame in the working space; at most `width` wide if given."""
        encodings.describe(self.encoding_id)
        recorded = read_recorded(self.file, self.frame)
        return to_picture(shrink(recorded, width) if width else recorded, self.encoding_id, output)


@dataclass(frozen=True)
class Targets:
    """Files to write; none where None."""

    cdl: Path | None = None
    cube: Path | None = None
    picture: Path | None = None


def _readings_record(readings: np.ndarray) -> dict[str, float]:
    return {reading_name(i): round(float(r), 3) for i, r in enumerate(readings)}


def measure(source: Input, output: str) -> dict:
    """The ten readings, clipping, and what was measured."""
    picture = source.read(output)
    measured = render(picture.packed, [], tables.output_table(output))
    height, width = picture.packed.shape[:2]
    return {
        "file": source.file.name,
        "width": width,
        "height": height,
        "encoding": source.encoding_id,
        "output": output,
        "pixels": measured.scopes.pixels,
        "readings": _readings_record(measured.readings),
        "clipped_in_recording": float((picture.code.max(axis=2) >= 0.99 * 65535).mean()),
    }


def print_measure(console: Console, result: dict) -> None:
    table = RichTable(title=f"{result['file']}  {result['width']}×{result['height']}, percent")
    for heading in ("", "lows", "mids", "highs"):
        table.add_column(heading, justify="right")
    readings = list(result["readings"].values())
    for channel, name in enumerate(("red", "green", "blue")):
        table.add_row(name, *[f"{r:.1f}" for r in readings[channel * 3 : channel * 3 + 3]])
    console.print(table)
    console.print(f"saturation {readings[9]:.1f}, clipped in the recording {result['clipped_in_recording']:.2%}")


def balance(source: Input, output: str) -> tuple[dict, TenNumbers]:
    """Candidates of a balance, best first, and the best one's numbers."""
    picture = source.read(output)
    small = shrink(picture.recorded)
    small_picture = to_picture(small, source.encoding_id, output)
    candidates = propose(small_picture.working, small, tables.output_table(output))
    best = candidates[0]
    return {
        "file": source.file.name,
        "numbers": best.numbers.as_array().tolist(),
        "candidates": [
            {
                "id": c.id,
                "name": c.name,
                "numbers": c.numbers.as_array().tolist(),
                "confidence": round(c.confidence, 3),
                "exposure": round(c.exposure, 3),
                "warmth": round(c.warmth),
                "tint": round(c.tint, 1),
                "reason": c.reason,
            }
            for c in candidates
        ],
    }, best.numbers


def describe_balance(result: dict) -> str:
    lines = [f"{result['file']}"]
    for c in result["candidates"]:
        lines.append(
            f"  {c['name']}: {c['exposure']:+.2f} stops, {c['warmth']} K, tint {c['tint']:+.1f}, "
            f"confidence {c['confidence']:.2f}; {c['reason']}"
        )
    return "\n".join(lines)


def match_pair(
    reference: Input, shot: Input, output: str, strength: float, *, extended: bool = False
) -> tuple[dict, list[Correction]]:
    """Match one file to another: the report, and the ten numbers with the extended part after them if there is one."""
    there, here = (one.read(output, COMPARED_WIDTH) for one in (reference, shot))
    evidence = Evidence(there.working, here.working, here.recorded, tables.output_table(output))
    result = match(evidence, strength=strength, extended=extended)
    return {
        "reference": reference.file.name,
        "shot": shot.file.name,
        "numbers": result.numbers.as_array().tolist(),
        "extended": None if result.extended is None else result.extended.as_array().tolist(),
        "distance_before": result.distance_before,
        "distance_after": result.distance_after,
        "left": _readings_record(result.left),
        "residuals": result.residuals.as_record(),
        "sureness": result.sureness,
        "basis": result.basis,
        "correspondences": result.correspondences,
        "notes": list(result.notes),
    }, [result.numbers, *([result.extended] if result.extended else [])]


def describe_match(result: dict) -> str:
    lines = [
        f"{result['shot']} to {result['reference']}: distance {result['distance_before']:.2f} → "
        f"{result['distance_after']:.2f}, sureness {result['sureness']:.2f}",
        *(f"  {note}" for note in result["notes"]),
    ]
    return "\n".join(lines)


def read_correction(path: Path, name: str | None) -> TenNumbers:
    """One correction of a CDL file: the one called `name`, or the only one.

    Raises
    ------
    ValueError
        If the file is missing or unreadable, or the choice is not clear.
    """
    if not path.is_file():
        raise ValueError(f"{path.name}: there is no such file")
    found = asc_cdl.read(path)
    if name is not None:
        found = [c for c in found if c.name == name]
    if len(found) != 1:
        raise ValueError(f"{path.name}: holds {len(found)} such corrections; say which with --name")
    return found[0].numbers


def write_results(source: Input, chain: list[Correction], output: str, targets: Targets) -> None:
    """Write the asked files; a CDL holds the ten numbers that `chain` begins with, the others all of it.

    Raises
    ------
    ValueError
        If a file's kind is not known or it cannot be written.
    """
    if targets.cdl:
        numbers = next((one for one in chain if isinstance(one, TenNumbers)), IDENTITY)
        correction = asc_cdl.NamedCorrection(source.file.stem, numbers, outputs.find(output).name)
        suffix = targets.cdl.suffix.lower()
        if suffix == ".cdl":
            asc_cdl.write_cdl(targets.cdl, correction)
        elif suffix == ".cc":
            asc_cdl.write_cc(targets.cdl, correction)
        elif suffix == ".ccc":
            asc_cdl.write_ccc(targets.cdl, [correction])
        else:
            raise ValueError(f"{targets.cdl.name}: a CDL file ends in .cdl, .cc or .ccc")
    if targets.cube:
        small = shrink(read_recorded(source.file, source.frame)).reshape(-1, 3)
        nodes = whole.bake(source.encoding_id, chain, output, colours=small[:: max(1, len(small) // 20000)])
        cube.write(targets.cube, nodes, source.file.stem)
    if targets.picture:
        write_still(targets.picture, _corrected(source, chain, output))


def _corrected(source: Input, chain: list[Correction], output: str) -> np.ndarray:
    """The frame under a chain, float32 (H, W, 3) in 0..1 of the display.

    Exactly, but for large display-referred pictures: the exact way in takes a minute for two
    million pixels, and the baked one, which the Desk takes too, is some thousandths off.
    """
    picture = read_recorded(source.file, source.frame)
    height, width = picture.shape[:2]
    baked = encodings.is_display_referred(source.encoding_id) and height * width > MOST_EXACT
    rows = max(1, STRIP_PIXELS // width)
    for first in range(0, height, rows):
        strip = picture[first : first + rows]
        if baked:
            working = to_picture(strip, source.encoding_id, output).working
        else:
            working = encodings.to_working(strip, source.encoding_id, output)
        picture[first : first + rows] = outputs.to_display(apply_in_order(working, chain), output)
    return picture
