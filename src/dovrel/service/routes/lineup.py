"""The line-up: uses of shots in story order."""

from __future__ import annotations

from collections import Counter
from fractions import Fraction

from fastapi import APIRouter

from dovrel.core.placing import Placed, Placing, Recorded
from dovrel.errors import InConflict, Refused
from dovrel.formats import edit_list
from dovrel.service.context import ContextDep
from dovrel.service.schemas import LineUpIn, LineUpOut, UnplacedOut, Use
from dovrel.service.views import line_up_stamp
from dovrel.store import operations
from dovrel.store.models import Shot
from dovrel.store.production import the_production

router = APIRouter(prefix="/api/line-up", tags=["line-up"])
_ROLLS = ("roll", "reel_name", "reel", "com.apple.quicktime.reelname")
"""Tags that name a clip's reel."""


@router.put("")
def arrange(order: LineUpIn, context: ContextDep) -> LineUpOut:
    """Put shots in story order: by hand, or by an edit list, where a shot may be used more than once.

    What of a list cannot be placed is given back, event by event, with the reason; `answers` say
    which shots are meant where several may be.
    """
    with context.session() as session:
        production = the_production(session)
        session.refresh(production, with_for_update=True)
        shots = {shot.id: shot for shot in production.shots if not shot.off}
        unplaced: list[UnplacedOut] = []
        if order.edit_list is not None:
            uses, unplaced = _by_edit_list(order, list(shots.values()))
            what = "line-up from an edit list"
        else:
            uses = [use for use in order.uses if use.shot in shots]
            what = "line-up by hand"
        if not uses and not any(one.candidates for one in unplaced):
            why = f": {unplaced[0].reason}" if unplaced else ""
            raise Refused(f"the edit list names none of the day's shots{why}")
        if line_up_stamp(production) != order.base:
            raise InConflict("the line-up was changed in another window; look at it and try again")
        operation = operations.begin(session, production, "line-up", what)
        operations.change(session, operation, production, line_up=[use.model_dump(mode="json") for use in uses])
        used = {use.shot for use in uses}
        absent = [shot.name for shot in shots.values() if shot.id not in used]
        return LineUpOut(placed=len(uses), unplaced=unplaced, absent=absent)


def _by_edit_list(order: LineUpIn, shots: list[Shot]) -> tuple[list[Use], list[UnplacedOut]]:
    """The uses of the day's shots, in order; and the events that cannot be placed."""
    assert order.edit_list is not None
    rates = Counter(Fraction(*shot.clip["rate"]) for shot in shots if shot.clip.get("rate"))
    rate = rates.most_common(1)[0][0] if rates else Fraction(24)
    placing = Placing(_recorded(shot) for shot in shots)
    uses, unplaced = [], []
    for event in edit_list.read(order.edit_list, order.format, rate):
        found = placing.place(event, order.answers.get(event.number))
        if isinstance(found, Placed):
            uses.append(Use(shot=found.shot, span=found.span, backwards=found.backwards, told=found.told[:200]))
        else:
            called = event.name or event.file or event.reel
            unplaced.append(
                UnplacedOut(
                    event=event.number, at=event.at, name=called, reason=found.reason, candidates=list(found.candidates)
                )
            )
    return uses, unplaced


def _recorded(shot: Shot) -> Recorded:
    clip = shot.clip
    rate = Fraction(*clip["rate"]) if clip.get("rate") else Fraction(24)
    start = edit_list.frames_of_timecode(clip["timecode"], rate) if clip.get("timecode") else None
    file = shot.path.rsplit("/", 1)[-1]
    tags = clip.get("tags", {})
    roll = next((tags[key] for key in _ROLLS if tags.get(key)), "")
    return Recorded(shot.id, shot.name, file, roll, rate, clip.get("frames", 0), start)
