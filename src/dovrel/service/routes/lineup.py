"""The line-up: uses of shots in story order."""

from __future__ import annotations

from fractions import Fraction

from fastapi import APIRouter

from dovrel.formats import edit_list
from dovrel.service.context import ContextDep, the_production
from dovrel.service.schemas import LineUpIn, LineUpOut, Use
from dovrel.service.views import line_up_stamp
from dovrel.store import operations
from dovrel.store.corrections import Overtaken
from dovrel.store.models import Shot

router = APIRouter(prefix="/api/line-up", tags=["line-up"])


@router.put("")
def arrange(order: LineUpIn, context: ContextDep) -> LineUpOut:
    """Put shots in story order: by hand, or by an edit list, where a shot may be used more than once."""
    with context.session() as session:
        production = the_production(session)
        session.refresh(production, with_for_update=True)
        shots = {shot.id: shot for shot in production.shots}
        unknown: list[str] = []
        if order.edit_list is not None:
            uses, unknown = _by_edit_list(order.edit_list, order.format, list(shots.values()))
            what = "line-up from an edit list"
        else:
            uses = [use for use in order.uses if use.shot in shots]
            what = "line-up by hand"
        if not uses:
            raise ValueError("the edit list names none of the day's shots; it goes by their names or files")
        if line_up_stamp(production) != order.base:
            raise Overtaken("the line-up was changed in another window; look at it and do this again")
        operation = operations.begin(session, production, "line-up", what)
        operations.change(session, operation, production, line_up=[use.model_dump(mode="json") for use in uses])
        used = {use.shot for use in uses}
        absent = [shot.name for shot in shots.values() if shot.id not in used]
        return LineUpOut(placed=len(uses), unknown=unknown, absent=absent)


def _by_edit_list(text: str, kind: edit_list.Format, shots: list[Shot]) -> tuple[list[Use], list[str]]:
    """The uses of the day's shots, in order; and the names that are not the day's."""
    rate = next((Fraction(*s.clip["rate"]) for s in shots if s.clip.get("rate")), Fraction(24))
    by_name: dict[str, Shot] = {}
    for shot in shots:
        by_name.setdefault(shot.name.lower(), shot)
        by_name.setdefault(shot.path.rsplit("/", 1)[-1].lower(), shot)
        by_name.setdefault(shot.path.rsplit("/", 1)[-1].rsplit(".", 1)[0].lower(), shot)
    uses = []
    unknown: dict[str, None] = {}
    for event in edit_list.read(text, kind, rate):
        shot = by_name.get(event.name.lower())
        if shot is None:
            unknown[event.name] = None
        else:
            uses.append(Use(shot=shot.id, span=_span(shot, event, rate)))
    return uses, list(unknown)


def _span(shot: Shot, event: edit_list.Event, rate: Fraction) -> tuple[int, int] | None:
    """First and last frame used, counted in the clip; None where the timecodes do not meet."""
    frames = shot.clip.get("frames", 0)
    first = event.first - edit_list.frames_of_timecode(shot.clip.get("timecode", ""), rate)
    if not 0 <= first < frames:
        return None
    return first, min(first + event.frames, frames) - 1
