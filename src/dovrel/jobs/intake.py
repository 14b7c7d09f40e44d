"""Listing clips: camera, encoding, family and name, by what the files say of themselves."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from sqlalchemy import select
from sqlalchemy.exc import DataError
from sqlalchemy.orm import Session

from dovrel.core.colour import encodings
from dovrel.core.colour.likely import Entry, Likely, Said, likely_encoding
from dovrel.errors import Refused
from dovrel.jobs.finding import FoundClip
from dovrel.media.clip import ClipInfo
from dovrel.media.faults import MediaFault
from dovrel.media.footage import is_still
from dovrel.media.probing import look_at
from dovrel.media.sequence import look_at as look_at_still
from dovrel.store.models import Camera, Family, Production, Shot
from dovrel.store.texts import storable

UNSORTED = "Not sorted yet"
LONGEST_PATH = 2000
LONGEST_LETTER = 4


def stored_path(path: object) -> str:
    """A path as the day's list keeps it."""
    return storable(str(path), LONGEST_PATH)


def list_clips(session: Session, production: Production, clips: Sequence[FoundClip]) -> list[Shot]:
    """Add clips to the day's list; one that cannot be listed as it is stands there as faulty, and the rest goes on."""
    return [_listed(session, production, clip) for clip in clips]


def _listed(session: Session, production: Production, clip: FoundClip) -> Shot:
    fault = ""
    if stored_path(clip.path) != str(clip.path):
        fault = "its name or the way to it is too long, or no UTF-8 text; rename it and take it in again"
    try:
        seen = None if fault else _seen(clip)
        with session.begin_nested():
            return _list_clip(session, production, clip, seen, fault)
    except (DataError, ValueError, OSError) as error:
        with session.begin_nested():
            return _list_clip(session, production, clip, None, f"it cannot be listed ({type(error).__name__})")


def _seen(clip: FoundClip) -> ClipInfo | None:
    """What a clip's first file says, as the database can hold it; None if it cannot be read."""
    try:
        seen = look_at_still(clip.path, clip.reading) if is_still(clip.path) else clip.seen or look_at(clip.path)
    except MediaFault:
        return None
    if seen is None:
        return None
    tags = {key: storable(value, 200).strip() for key, value in seen.tags.items()}
    make, model = storable(seen.make, 100).strip(), storable(seen.model, 100).strip()
    return replace(seen, tags=tags, make=make, model=model)


def _list_clip(
    session: Session, production: Production, clip: FoundClip, seen: ClipInfo | None, fault: str = ""
) -> Shot:
    tags = seen.tags if seen else {}
    camera = camera_for(session, production, seen)
    family = _family_for(session, production, tags)
    shot = Shot(
        production_id=production.id,
        family_id=family.id,
        camera_id=camera.id,
        name=storable(tags.get("slate") or _stem(clip), 200),
        path=stored_path(clip.path),
        clip={},
        reading=clip.reading.record(),
        fault=storable(f"{clip.path.name}: {fault}", 1000) if fault else "",
        progress="faulty" if fault else "waiting",
        start=production.template["shot"],
    )
    session.add(shot)
    session.flush()
    return shot


def _stem(clip: FoundClip) -> str:
    """A clip's name without its ending; of a sequence, without its number either."""
    stem = clip.path.stem
    return (stem.rstrip("0123456789").rstrip("._- ") or stem) if clip.reading.numbers else stem


def likely_for(production: Production, seen: ClipInfo | None) -> Likely:
    """The encoding proposed for a clip, with the reason."""
    said = Said(seen.make, seen.model, seen.transfer, seen.primaries, seen.tags) if seen else Said()
    table = [Entry(one["make"], one["model"], one["encoding"]) for one in production.encodings]
    return likely_encoding(said, table, production.assumed_encoding, encodings.available())


def camera_for(session: Session, production: Production, seen: ClipInfo | None) -> Camera:
    """The camera that a clip is of by what its file says, made if there is none yet.

    A clip that names its camera's letter is of that camera, unless that one is of another make. Others
    go by make, model and likely encoding, so that one that records in two ways is two cameras here.
    """
    cameras = session.scalars(
        select(Camera).where(Camera.production_id == production.id, ~Camera.retired).order_by(Camera.id)
    ).all()
    letter = (seen.tags.get("camera", "") if seen else "").strip().upper()[:LONGEST_LETTER]
    make, model = (seen.make, seen.model) if seen else ("", "")
    likely = likely_for(production, seen)
    spoken_for = "" if likely.assumed else likely.encoding
    for camera in cameras:
        if letter and camera.letter == letter and make in ("", camera.make, camera.name):
            return camera
    for camera in cameras:
        if not letter and (camera.make, camera.model, camera.proposed) == (make, model, spoken_for):
            return camera
    taken = {camera.letter for camera in cameras}
    camera = Camera(
        production_id=production.id,
        letter=letter if letter and letter not in taken else next_letter(taken),
        name=storable(" ".join(dict.fromkeys((make, model))).strip(), 100),
        make=make,
        model=model,
        encoding=likely.encoding,
        proposed=spoken_for,
        assumed=likely.assumed,
        reason=storable(likely.reason, 300),
    )
    session.add(camera)
    session.flush()
    session.expire(production, ["cameras"])
    return camera


def next_letter(taken: set[str]) -> str:
    """The first of A to Z, then A2 to Z2 and so on, that no camera has."""
    for round_ in range(1, 100):
        for letter in "ABCDEFGHIJKLMNOPQRSTUVWXYZ":
            name = letter if round_ == 1 else f"{letter}{round_}"
            if name not in taken:
                return name
    raise Refused("there are more cameras than letters")


def _family_for(session: Session, production: Production, tags: dict[str, str]) -> Family:
    name = storable(tags.get("place") or (f"Scene {tags['scene']}" if tags.get("scene") else UNSORTED), 200)
    family = session.scalars(select(Family).where(Family.production_id == production.id, Family.name == name)).first()
    if family is None:
        family = Family(
            production_id=production.id,
            name=name,
            position=len(production.families),
            correction=production.template["family"],
        )
        session.add(family)
        session.flush()
        session.expire(production, ["families"])
    return family
