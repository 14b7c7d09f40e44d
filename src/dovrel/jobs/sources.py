"""Where a shot's frames come from, by its row."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from dovrel.core.measure.readings import Percentiles
from dovrel.errors import Refused
from dovrel.media.clip import ClipInfo
from dovrel.media.faults import MediaFault, Offline
from dovrel.media.frames import Source
from dovrel.media.identity import known_files
from dovrel.media.opening import allowed
from dovrel.media.proxy import PROXY_SUFFIX
from dovrel.store.models import Production, Shot


def source_of(shot: Shot) -> Source:
    """The source of a measured shot.

    Raises
    ------
    Refused
        If the shot is not ready: faulty, or not measured yet.
    """
    if shot.progress != "ready":
        reason = shot.fault or "it has not been measured yet; wait for Intake to finish"
        raise Refused(f"{shot.name} cannot be shown: {reason}")
    info = _framed(ClipInfo.of(shot.clip), shot)
    # Proxies of an earlier Dovrel are of other code values; such a clip is read itself until it is measured anew.
    proxy = Path(shot.proxy) if shot.proxy.endswith(PROXY_SUFFIX) and Path(shot.proxy).is_file() else None
    check_encoding(shot.camera.encoding)
    return Source(
        shot.id,
        Path(shot.path),
        info,
        shot.camera.encoding,
        shot.production.output,
        proxy,
        shot.checksum,
        known_files(shot.clip),
    )


ALIKE = 0.005
"""How far, in parts, two ratios of width to height may differ and be one."""


def _framed(info: ClipInfo, shot: Shot) -> ClipInfo:
    """A clip cut to its reference's ratio of width to height, if its family is framed so."""
    family = shot.family
    if family is None or family.framing != "reference" or family.reference is None:
        return info
    if family.reference.shot_id == shot.id or not family.reference.shot.clip:
        return info
    width, height = ClipInfo.of(family.reference.shot.clip).size
    if abs(info.width * height / (info.height * width) - 1) <= ALIKE:
        return info
    return replace(info, geometry=info.geometry.cut_to(width / height))


def check_encoding(encoding: str) -> None:
    """Refuse an encoding's file that does not lie, or not any more, where this process may read.

    Raises
    ------
    MediaFault
    """
    if encoding.startswith("file:"):
        try:
            allowed(Path(encoding[5:]))
        except Offline as fault:
            # The footage is where it was: this is for whoever chose the encoding.
            raise MediaFault(fault.file, fault.fault) from None


def percentiles_of(production: Production) -> Percentiles:
    return Percentiles(*production.percentiles)
