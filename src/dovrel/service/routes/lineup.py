"""The line-up: shots in story order."""

from __future__ import annotations

from fractions import Fraction

from fastapi import APIRouter

from dovrel.formats import edit_list
from dovrel.service.context import ContextDep, the_production
from dovrel.service.schemas import LineUpIn, LineUpOut
from dovrel.store import operations
from dovrel.store.models import Shot

router = APIRouter(prefix="/api/line-up", tags=["line-up"])


@router.put("")
def arrange(order: LineUpIn, context: ContextDep) -> LineUpOut:
    """Put shots in story order: by hand, or by an edit list, whose cuts are kept with them."""
    with context.session() as session:
        production = the_production(session)
        shots = {shot.id: shot for shot in production.shots}
        unknown: list[str] = []
        if order.edit_list is not None:
            placed, unknown = _by_edit_list(order.edit_list, order.format, list(shots.values()))
            what = "line-up from an edit list"
        else:
            placed = {shots[i]: None for i in dict.fromkeys(order.shots or []) if i in shots}
            what = "line-up by hand"
        if not placed:
            raise ValueError("the edit list names none of the day's shots; it goes by their names or files")
        operation = operations.begin(session, production, "line-up", what)
        for position, (shot, span) in enumerate(placed.items()):
            after = {"position": position} | ({"span": span} if order.edit_list is not None else {})
            operations.change(session, operation, shot, **after)
        absent = [shot for shot in shots.values() if shot not in placed]
        for shot in absent:
            operations.change(session, operation, shot, position=None)
        return LineUpOut(placed=len(placed), unknown=unknown, absent=[shot.name for shot in absent])


def _by_edit_list(
    text: str, kind: edit_list.Format, shots: list[Shot]
) -> tuple[dict[Shot, list[int] | None], list[str]]:
    """Shots in the order of their first use, with the frames used; and names that are not the day's."""
    rate = next((Fraction(*s.clip["rate"]) for s in shots if s.clip.get("rate")), Fraction(24))
    by_name: dict[str, Shot] = {}
    for shot in shots:
        by_name.setdefault(shot.name.lower(), shot)
        by_name.setdefault(shot.path.rsplit("/", 1)[-1].lower(), shot)
        by_name.setdefault(shot.path.rsplit("/", 1)[-1].rsplit(".", 1)[0].lower(), shot)
    placed: dict[Shot, list[int] | None] = {}
    unknown = []
    for event in edit_list.read(text, kind, rate):
        shot = by_name.get(event.name.lower())
        if shot is None:
            unknown.append(event.name)
        elif shot not in placed:
            placed[shot] = _span(shot, event, rate)
    return placed, unknown


def _span(shot: Shot, event: edit_list.Event, rate: Fraction) -> list[int] | None:
    """First and last frame used, counted in the clip; None where the timecodes do not meet."""
    frames = shot.clip.get("frames", 0)
    first = event.first - edit_list.frames_of_timecode(shot.clip.get("timecode", ""), rate)
    if not 0 <= first < frames:
        return None
    return [first, min(first + event.frames, frames) - 1]
