"""A shot as work sees it: where its frames come from, and what is in force on it."""

from __future__ import annotations

from dataclasses import dataclass, replace

from dovrel.core.match.match import TOLERANCE
from dovrel.core.measure.meter import Meter
from dovrel.core.measure.readings import Percentiles
from dovrel.core.steps.levels import AtFrame, FourLevels
from dovrel.errors import Refused
from dovrel.jobs.sources import percentiles_of, source_of
from dovrel.media.frames import Source
from dovrel.store import corrections
from dovrel.store.models import KeptFrame, Shot


@dataclass(frozen=True)
class Subject:
    """A shot as the work sees it: where its frames come from, and what is in force on it."""

    source: Source
    levels: FourLevels
    percentiles: Percentiles

    @property
    def middle(self) -> int:
        return self.source.info.frames // 2

    @property
    def last(self) -> int:
        return self.source.info.frames - 1

    @property
    def in_middle(self) -> AtFrame:
        """What is in force on the middle frame, which shows and measures the shot as a whole."""
        return self.levels.at(self.middle)


def subject_of(shot: Shot) -> Subject:
    """A measured shot's subject.

    Raises
    ------
    Refused
        If the shot is not ready.
    """
    return Subject(source_of(shot), corrections.levels_of(shot), percentiles_of(shot.production))


def kept_subject(kept: KeptFrame) -> Subject:
    """A kept frame's: its camera's trim and its own steps as kept, look and finish as they are now.

    What is compared with it is seen under today's look and finish, and so must it be.
    """
    then, now = corrections.kept_levels(kept), subject_of(kept.shot)
    return replace(now, levels=replace(now.levels, camera=then.camera, shot=then.shot))


@dataclass(frozen=True)
class Reference:
    """A kept frame as shots are matched to it: all that is needed once its row is read."""

    kept_id: int
    name: str
    frame: int
    subject: Subject


def reference_of(kept: KeptFrame) -> Reference:
    return Reference(kept.id, kept.shot.name, kept.frame, kept_subject(kept))


def reference_for(shot: Shot) -> KeptFrame:
    """The kept frame that a shot is to be matched to.

    Raises
    ------
    Refused
        If its family has none, or it is the shot's own.
    """
    kept = shot.family.reference if shot.family else None
    if kept is None:
        raise Refused(f"{shot.name}: its family has no reference yet; choose one on the Wall or Desk")
    if kept.shot_id == shot.id:
        raise Refused(f"{shot.name} is its family's reference; match the other shots to it")
    return kept


def seen_under(meter: Meter, levels: AtFrame) -> Meter:
    """A meter that judges skin and neutrals under the camera's trim and then as it says itself."""
    return replace(meter, under=(*levels.camera.chain, *meter.under))


def tolerance_of(shot: Shot) -> float:
    """The production's tolerance; seen from another angle, wider in the measure that matching says."""
    report = shot.version.report if shot.version else None
    seen = report["tolerance"] / TOLERANCE if report else 1.0
    return seen * shot.production.tolerance
