"""What frames of a family share: links, kept on disc once they are found, on further frames and through other families' shots where
a shot is linked to nothing.
"""

from __future__ import annotations

import contextlib
import hashlib
import os
import time
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from dovrel.core.colour import tables
from dovrel.core.match.chains import chains_to, ends_of, trust_of
from dovrel.core.match.link import Ends, Link, link
from dovrel.core.match.match import LEAST_SURE
from dovrel.core.match.side import side_of
from dovrel.core.match.view import View, view_of
from dovrel.core.steps.chain import Chain, apply_in_order
from dovrel.core.steps.correction import Correction
from dovrel.jobs.subject import Subject
from dovrel.machine.alive import step_made
from dovrel.machine.files import written_aside
from dovrel.machine.newest import Newest
from dovrel.media.faults import MediaFault
from dovrel.media.frames import FrameStore

_MADE = "2"
"""Of links: another one has all found anew."""
_APART = 7919
"""Places of the list of links that workers whose numbers follow each other begin apart."""
_TILE = 10
"""Frames a side of a tile of the square table of links: the views of two tiles' sides are kept."""
KEPT_VIEWS = 24
_views: Newest[View] = Newest(KEPT_VIEWS)

Told = Callable[[float], None]


@dataclass(frozen=True)
class Relative:
    """A frame of a family: the reference's kept one, a shot's middle one, or one of a shot whose balance changes along it."""

    shot_id: int
    name: str
    camera: str
    subject: Subject
    frame: int
    checksum: str
    start: Correction
    bridge: bool = False
    """Whether it is of another family: asked for shots that are linked to nothing, and given no answer."""
    further: tuple[int, ...] = ()
    """Frames that are looked at where the first shares nothing that leads to the reference; none where its light changes."""
    changing: bool = False
    """Whether its light may change along it, so that each of its frames has an answer of its own."""

    def at(self, frame: int) -> Relative:
        """One frame of several of the shot."""
        return replace(self, frame=frame, name=f"{self.name}, frame {frame + 1}", further=(), changing=True)

    @property
    def before(self) -> Chain:
        """What is applied before its balance."""
        return self.subject.levels.at(self.frame).before_balance

    @property
    def key(self) -> str:
        """What its links rest on."""
        source = self.subject.source
        seen = source.path, self.checksum, source.info.read_as, source.encoding, source.output, self.frame, self.before
        return hashlib.sha256(repr((_MADE, seen)).encode()).hexdigest()[:20]


def find_links(
    relatives: Sequence[Relative], frames: FrameStore, folder: Path, told: Told | None = None
) -> dict[Ends, Link]:
    """The links between any two frames of a family: those kept in a folder, and the others found and kept there.

    Workers begin at different places, so that they find what is missing between them. A shot that is hardly linked to the reference by
    its middle frame is looked at on further ones.
    """
    ends = list(_in_tiles(len(relatives)))
    first = os.getpid() * _APART % max(len(ends), 1)
    found: dict[Ends, Link] = {}
    for number, (one, other) in enumerate([*ends[first:], *ends[:first]], 1):
        if there := _kept_link(relatives[one], relatives[other], frames, folder):
            found[one, other] = there
        step_made()
        if told:
            told(number / len(ends))
    _look_further(relatives, found, frames, folder)
    _views.clear()
    # In one order, so that all who solve the family come to the same numbers.
    return dict(sorted(found.items()))


def _in_tiles(count: int) -> Iterator[Ends]:
    """All pairs of so many frames, in an order in which those that follow each other are of few frames."""
    tiles = [range(first, min(first + _TILE, count)) for first in range(0, count, _TILE)]
    for number, one in enumerate(tiles):
        for other in tiles[number:][:: 1 if number % 2 == 0 else -1]:
            yield from ((a, b) for a in one for b in other if a < b)


def _look_further(relatives: Sequence[Relative], found: dict[Ends, Link], frames: FrameStore, folder: Path) -> None:
    """Links of shots that are hardly linked to the reference, by further frames, until one does; of each two shots the most trusted."""
    alone = _weakly_linked(len(relatives), found)
    for lonely in alone:
        for frame in relatives[lonely].further:
            moved = {lonely: replace(relatives[lonely], frame=frame)}
            for other in (n for n in range(len(relatives)) if n not in alone):
                ends = ends_of(lonely, other)
                one, two = (moved.get(n, relatives[n]) for n in ends)
                there = _kept_link(one, two, frames, folder)
                if there and (ends not in found or trust_of(there) > trust_of(found[ends])):
                    found[ends] = there
            if lonely not in _weakly_linked(len(relatives), found):
                break


def _weakly_linked(count: int, links: Mapping[Ends, Link]) -> list[int]:
    """The relatives that are linked to the reference by nothing, or by so little that no answer would be given."""
    chains = chains_to(0, count, dict(sorted(links.items())))
    return [n for n, chain in enumerate(chains) if not chain or chain.trust < LEAST_SURE]


def over_bridges(
    relatives: Sequence[Relative],
    links: dict[Ends, Link],
    bridges: Sequence[Relative],
    frames: FrameStore,
    folder: Path,
) -> tuple[list[Relative], dict[Ends, Link]]:
    """The relatives, and other families' shots that share something with one that is hardly linked to the reference and lead on from it.

    They are asked until none hardly hangs any more. One that sees two places joins them. If its light is steady it is one more
    relative, linked by whichever of its frames share something; of one whose light changes each frame is one more.
    """
    everyone, found = list(relatives), dict(links)
    for bridge in bridges:
        lonely = [n for n in _weakly_linked(len(everyone), found) if n < len(relatives)]
        if not lonely:
            break
        seen = [bridge.at(frame) for frame in sorted({bridge.frame, *bridge.further})]
        ends = [(n, one) for n in lonely for one in seen]
        if not any(_kept_link(relatives[n], one, frames, folder) for n, one in ends):
            continue
        first = len(everyone)
        for group in [[one] for one in seen] if bridge.changing else [seen]:
            number = len(everyone)
            for other in (*range(len(relatives)), *range(first, number)):
                shared = (_kept_link(everyone[other], one, frames, folder) for one in group)
                if there := next(filter(None, shared), None):
                    found[other, number] = there
            everyone.append(group[0] if bridge.changing else bridge)
    _views.clear()
    return everyone, dict(sorted(found.items()))


def _kept_link(one: Relative, other: Relative, frames: FrameStore, folder: Path) -> Link | None:
    path = folder / "links" / f"{one.key}.{other.key}.npz"
    if path.is_file():
        try:
            if time.time() - path.stat().st_mtime > _DAY:
                path.touch()
            return _read(path)
        except (ValueError, OSError, KeyError):
            path.unlink(missing_ok=True)
    try:
        found = link(_view(one, frames), _view(other, frames))
    except MediaFault:
        return None
    _write(path, found)
    return found


def forget_links(folder: Path) -> None:
    """Throw away links that nobody has asked for lately: of days that are handed over, and of shots that are read otherwise now."""
    for path in (folder / "links").glob("*.npz"):
        with contextlib.suppress(OSError):
            if time.time() - path.stat().st_mtime > KEPT_DAYS * _DAY:
                path.unlink()


KEPT_DAYS = 30
_DAY = 24 * 3600.0


def _view(relative: Relative, frames: FrameStore) -> View:
    key = relative.key
    known = _views.get(key)
    if known is not None:
        return known
    picture = frames.preview(relative.subject.source, relative.frame)
    table = tables.output_table(relative.subject.source.output)
    return _views.keep(
        key, view_of(side_of(apply_in_order(picture.working, relative.before), picture.reach, None), table)
    )


def _write(path: Path, found: Link | None) -> None:
    path.parent.mkdir(parents=True, exist_ok=True)
    with written_aside(path) as aside, aside.open("wb") as file:
        if found is None:
            np.savez(file, found=0)
        else:
            sides = {name: getattr(found, name) for name in ("one", "other", "places")}
            weight = found.weight.astype(np.float32)
            np.savez(file, found=found.found, overlies=found.overlies, weight=weight, **sides)


def _read(path: Path) -> Link | None:
    with np.load(path) as kept:
        if not int(kept["found"]):
            return None
        weight = kept["weight"].astype(np.float64)
        return Link(kept["one"], kept["other"], weight, kept["places"], int(kept["found"]), bool(kept["overlies"]))
