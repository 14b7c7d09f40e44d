"""A shot rendered: every frame as the Desk shows it, written, read again and compared."""

from __future__ import annotations

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Future, ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path
from typing import TypeVar

import numpy as np

from dovrel.core.colour import codes, outputs, spaces, tables
from dovrel.core.develop.finishing import grained
from dovrel.core.develop.frame import develop
from dovrel.core.measure.difference import display_difference
from dovrel.core.steps.chain import apply_in_order, treatment_of
from dovrel.core.steps.levels import FourLevels
from dovrel.errors import Refused
from dovrel.jobs.picturing import Pictures, number_at, timecode_at
from dovrel.media.clip import ClipInfo
from dovrel.media.footage import is_still, missing_frames, probe, read_frames, read_recorded
from dovrel.media.frames import FrameStore, Source
from dovrel.media.picture import WayIn
from dovrel.media.stills import read_still
from dovrel.media.writing import KINDS, Kind, Target, writing

AHEAD = 3
"""Frames decoded before they are wanted, and encoded behind those that are made."""
STORE_BYTES = 400 * 1024 * 1024
"""For frames that are looked at together with those beside them."""
_STRIDE = 2
AS_THEY_ARE = Pictures()
LIGHT = "aces:ACES2065-1"
"""The space of pictures that hold the scene's light."""

Told = Callable[[float], None]


@dataclass(frozen=True)
class Rendered:
    """What was rendered.

    Attributes
    ----------
    frames : how many; difference : by how much what was read again differs from the Desk, mean CIEDE2000
    missing : numbers of frames that could not be decoded, in whose place their neighbours stand
    differs : in what it is another than it should be; empty if in nothing
    """

    frames: int
    difference: float
    missing: tuple[int, ...]
    differs: str = ""


def render(
    source: Source,
    levels: FourLevels,
    path: Path,
    kind: Kind,
    told: Told = lambda _: None,
    pictures: Pictures = AS_THEY_ARE,
) -> Rendered:
    """Write all frames of a shot under its corrections, whole or not at all, then read some of them again.

    Parameters
    ----------
    path : the file, or for a sequence the folder that is made for it
    told : is reported how far it is, 0..1; what it raises ends the work
    pictures : how they are cut, made smaller and written on

    Raises
    ------
    Refused
        If the name does not end as its kind does, something is there already, or there is no light to write.
    MediaFault
        If the clip cannot be read.
    NoRoom
        If the disc is full.
    """
    if kind.light and outputs.find(source.output).display is None:
        raise Refused(f"{path.name}: the output is plain video, which has no scene's light to write")
    if path.exists():
        raise Refused(f"{path.name} is there already; move it away, or choose another name")
    info, missing = source.info, list[int]()
    target = Target(
        kind,
        info.rate,
        pictures.size(info.size),
        source.output,
        info.timecode,
        info.tags.get("reel_name", info.tags.get("reel", "")),
        source.path if info.sound and not is_still(source.path) and not info.parts else None,
        number_at(info.timecode, info.rate) if pictures.first is None else pictures.first,
    )
    with writing(path, target) as writer, ThreadPoolExecutor(1, "encode") as encoder:
        behind: deque[Future[None]] = deque()
        for number, packed in enumerate(_ahead(_frames(source, levels, missing))):
            picture = _picture(packed, source, levels, number, pictures, light=kind.light)
            behind.append(encoder.submit(writer.add, picture, _timecode(info, number)))
            if len(behind) > AHEAD:
                behind.popleft().result()
            told(0.97 * (number + 1) / info.frames)
        while behind:
            behind.popleft().result()
    looked_at = {0, info.frames // 2, info.frames - 1}
    again = probe(target.still(path, 0) if kind.is_sequence else path)
    difference = max(_difference(source, levels, path, again, target, at, pictures) for at in looked_at)
    told(1.0)
    odd = _differs(path, again, target, info, difference)
    return Rendered(info.frames, difference, tuple(missing), "; ".join(odd))


def _timecode(info: ClipInfo, number: int) -> str:
    return timecode_at(info.timecode, info.rate, number) if info.timecode else ""


def _differs(path: Path, again: ClipInfo, target: Target, info: ClipInfo, difference: float) -> Iterator[str]:
    """In what a written file, read `again`, is another than it should be: its picture, its length, its start."""
    kind = target.kind
    if difference > kind.near:
        yield f"its picture differs by {difference:.2f} from the Desk's, and {kind.near} is its bound"
    frames = sum(file.suffix == kind.suffix for file in path.iterdir()) if kind.is_sequence else again.frames
    if frames != info.frames:
        yield f"it holds {frames} frames, and the clip {info.frames}"
    if info.timecode and again.timecode not in ("", info.timecode):
        yield f"it begins at {again.timecode}, and the clip at {info.timecode}"


def _frames(source: Source, levels: FourLevels, missing: list[int]) -> Iterator[np.ndarray]:
    """Working codes of all frames, treated as the levels have it; numbers of those that cannot be decoded are added to `missing`."""
    info = source.info
    steps = [step for correction in (levels.camera, levels.shot) for step in correction.steps if step.on]
    if treatment_of([step.values for step in steps]):
        store = FrameStore(STORE_BYTES, reads_ahead=False)
        missing += missing_frames(source.path, info)
        for number in range(info.frames):
            treatment = levels.at(number).treatment
            yield store.treated(source, number, store.full(source, number), treatment).packed
        return
    way = WayIn(source.encoding, source.output, floating=info.floating, ceiling=info.ceiling)
    yield from (way.quickly(code).packed for code in read_frames(source.path, 0, info.frames, info, missing=missing))


def _picture(
    packed: np.ndarray, source: Source, levels: FourLevels, number: int, pictures: Pictures, *, light: bool
) -> np.ndarray:
    """The picture that is written of a frame: display codes uint16 (3, H, W), or the scene's light float32."""
    chain = levels.at(number).in_order
    if light:
        # Through the exact steps, since light goes on beyond what a display shows.
        reached = apply_in_order(codes.unpack(packed), chain).astype(np.float32)
        frame = np.ascontiguousarray(spaces.from_working(reached, LIGHT).transpose(2, 0, 1))
    else:
        display = develop(packed, chain, tables.output_table(source.output), changing=bool(levels.frames))
        frame = grained(display, chain, number)
    return pictures.made(frame, timecode_at(source.info.timecode, source.info.rate, number))


def _difference(
    source: Source,
    levels: FourLevels,
    path: Path,
    again: ClipInfo,
    target: Target,
    number: int,
    pictures: Pictures,
) -> float:
    """How far a written picture, read again, lies from the Desk's full frame, mean CIEDE2000; light by what is shown of it."""
    kind = target.kind
    shown = read_still(target.still(path, number)) if kind.is_sequence else read_recorded(path, number, again)
    store = FrameStore(STORE_BYTES, reads_ahead=False)
    full = store.treated(source, number, store.full(source, number), levels.at(number).treatment)
    wanted = _picture(full.packed, source, levels, number, pictures, light=kind.light)
    if not kind.light:
        wanted = codes.decode_signal(wanted)
    thin = slice(None, None, _STRIDE)
    pair = [shown[thin, thin], wanted.transpose(1, 2, 0)[thin, thin]]
    if kind.light:
        pair = [outputs.to_display(spaces.to_working(one, LIGHT), source.output) for one in pair]
    return float(display_difference(*pair).mean())


Item = TypeVar("Item")


def _ahead(items: Iterable[Item]) -> Iterator[Item]:
    """Items that another thread makes a few before they are asked for."""
    making = iter(items)
    with ThreadPoolExecutor(1, "decode") as maker:
        coming: deque[Future[Item | None]] = deque(maker.submit(next, making, None) for _ in range(AHEAD))
        try:
            while (item := coming.popleft().result()) is not None:
                coming.append(maker.submit(next, making, None))
                yield item
        finally:
            for one in coming:
                one.cancel()


def kind_of(path: Path, asked: str | None) -> Kind:
    """The kind that is asked for, or that a file's name ends as.

    Raises
    ------
    Refused
        If there is none of this name.
    """
    if asked is None:
        asked = {".mov": "prores-422", ".mp4": "h264"}.get(path.suffix.lower())
        if asked is None:
            raise Refused(f"{path.name}: a clip is written as .mov or .mp4; for a folder of stills say its kind")
    if asked not in KINDS:
        raise Refused(f"{path.name}: say what is to be rendered; choose from {', '.join(KINDS)}")
    return KINDS[asked]
