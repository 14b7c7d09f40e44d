"""The first measurement of a shot: probe, checksum, thumbnail, drift, proxy where needed."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from sqlalchemy.orm import Session, sessionmaker

from dovrel.core.measure.readings import Percentiles
from dovrel.errors import NoRoom, Refused
from dovrel.jobs.look_through import Under, look_through
from dovrel.jobs.sources import check_encoding
from dovrel.jobs.thumbnails import thumbnail_path, write_thumbnail
from dovrel.machine.files import says_no_room
from dovrel.machine.logs import report_mistake
from dovrel.media.checksums import KINDS, FileSums, sums_of
from dovrel.media.clip import ClipInfo, Reading
from dovrel.media.faults import Offline
from dovrel.media.footage import files_of, probe
from dovrel.media.frames import Source
from dovrel.media.identity import KEPT_SUM, Replaced, check_files, first_frame_sum, known_files
from dovrel.media.proxy import PROXY_SUFFIX, needs_proxy
from dovrel.store.database import AWAY
from dovrel.store.models import Shot
from dovrel.store.texts import storable


def clip_record(info: ClipInfo) -> dict:
    """What is known of a clip, as the database keeps it."""
    tags = {storable(k, 60): storable(v, 200) for k, v in info.tags.items()}
    texts = {name: storable(getattr(info, name), 100) for name in ("timecode", "make", "model")}
    return {**info.record(), **texts, "tags": tags}


def measure_shot(factory: sessionmaker[Session], shot_id: int, data: Path) -> None:
    """Measure one shot; what goes wrong is noted with it, and the rest of the day goes on.

    What was measured before is kept while the footage is offline or was replaced: that is noted, and no fault of the shot.
    A shot that was given to another camera, or whose camera was changed, while it was measured
    waits: it is in the queue again.

    Raises
    ------
    NoRoom
        If the disc is full; the shot says so, and is to be measured when there is room.
    """
    with factory.begin() as session:
        shot = session.get(Shot, shot_id)
        if shot is None or shot.progress in ("ready", "stopped"):
            return
        shot.progress, shot.fault = "measuring", ""
        path, under, known = Path(shot.path), _measured_under(shot), known_files(shot.clip)
    try:
        check_files(path.parent, known)
        _keep(factory, shot_id, under, _measured(path, under, data, shot_id))
    except (Offline, Replaced) as fault:
        _put_off(factory, shot_id, fault)
    except Refused as fault:
        give_up(factory, shot_id, str(fault))
        return
    except AWAY:
        raise
    except Exception as error:
        if says_no_room(error):
            full = NoRoom(path)
            give_up(factory, shot_id, f"waiting: {full}", progress="waiting")
            raise full from error
        give_up(factory, shot_id, f"{path.name}: {report_mistake(error)}")


def _keep(factory: sessionmaker[Session], shot_id: int, under: Under, found: dict) -> None:
    """Keep what was found with the shot, unless it was found under what is no longer so."""
    with factory.begin() as session:
        shot = session.get_one(Shot, shot_id)
        if _measured_under(shot) != under:
            shot.progress = "waiting"
            return
        for name, value in found.items():
            setattr(shot, name, value)
        shot.progress, shot.fault, shot.footage = "ready", "", "here"


def _put_off(factory: sessionmaker[Session], shot_id: int, fault: Offline | Replaced) -> None:
    """Leave a shot as it was measured before, if it was; it is measured when its footage is back or taken in again."""
    with factory.begin() as session:
        shot = session.get_one(Shot, shot_id)
        shot.footage = "offline" if isinstance(fault, Offline) else "replaced"
        if shot.measured:
            shot.progress, shot.measured = "ready", {**shot.measured, "outdated": True}
        else:
            shot.progress, shot.fault = "waiting", storable(str(fault), 1000)


def give_up(factory: sessionmaker[Session], shot_id: int, why: str, progress: str = "faulty") -> None:
    """Note with a shot why it is not measured."""
    with factory.begin() as session:
        shot = session.get_one(Shot, shot_id)
        shot.progress, shot.fault = progress, storable(why, 1000)


def _measured_under(shot: Shot) -> Under:
    percentiles = Percentiles(*shot.production.percentiles)
    return Under(shot.camera.encoding, shot.production.output, percentiles, Reading.of(shot.reading), shot.listed)


def _measured(path: Path, under: Under, data: Path, shot_id: int) -> dict:
    """A shot's columns as measuring its file finds them."""
    check_encoding(under.encoding)
    info = probe(path, under.reading)
    listed = under.listed.get("files", {})
    digest, sums = sums_of(files_of(path, info), {KEPT_SUM, *(kind for kind, _ in listed.values() if kind in KINDS)})
    differing = _differing(sums, listed)
    if differing:
        info = replace(info, warnings=(*info.warnings, _differs_told(differing, under.listed["list"])))
    proxy = data / "proxies" / f"{digest}{PROXY_SUFFIX}" if needs_proxy(info) else None
    to_write = proxy if proxy and not proxy.exists() else None
    found = look_through(path, info, under, to_write)
    source = Source(shot_id, path, found.info, under.encoding, under.output, digest=digest)
    write_thumbnail(found.picture, thumbnail_path(data, source, []))
    return {
        "clip": {
            **clip_record(found.info),
            "files": [
                {
                    "name": storable(one.name, 300),
                    "size": one.size,
                    "modified": one.modified,
                    KEPT_SUM: one.sums[KEPT_SUM],
                }
                for one in sums
            ],
            "first": first_frame_sum(path, found.info),
            "verified": storable(under.listed["list"], 200) if listed and not differing else "",
        },
        "checksum": digest,
        "proxy": str(proxy or ""),
        "measured": {"readings": found.readings, "clipped": found.clipped, "course": found.course},
        "drift": found.drift,
    }


def _differing(sums: list[FileSums], listed: dict) -> list[str]:
    """Names of files whose checksum is not the one that came with them."""
    return [
        one.name
        for one in sums
        if one.name in listed and one.sums.get(listed[one.name][0], listed[one.name][1]) != listed[one.name][1]
    ]


def _differs_told(names: list[str], listed_in: str) -> str:
    named = ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")
    return f"the checksum of {named} is not the one in {listed_in}: copied wrongly, or changed since"
