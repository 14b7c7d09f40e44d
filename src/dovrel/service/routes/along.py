"""A shot along time: its readings and changes of light, a subject held, a drift removed."""

from __future__ import annotations

from dataclasses import dataclass, replace

from fastapi import APIRouter

from dovrel.core.measure.meter import WHOLE
from dovrel.core.time.hold import Held
from dovrel.core.time.light import Light, light_along
from dovrel.core.time.run import Run
from dovrel.jobs import along
from dovrel.jobs.subject import Subject, subject_of
from dovrel.machine.newest import Newest
from dovrel.media.frames import Source
from dovrel.service.along_schemas import (
    AlongIn,
    AlongOut,
    CameraPathIn,
    CameraPathOut,
    HeldOut,
    HoldIn,
    SteadyIn,
    WorkOut,
)
from dovrel.service.context import Context, ContextDep, the_shot
from dovrel.service.fields import Id
from dovrel.service.schemas import CourseOut
from dovrel.service.views import shot_out
from dovrel.service.works import Work
from dovrel.store import corrections, tracks

router = APIRouter(prefix="/api", tags=["along"])


@dataclass(frozen=True)
class _Looked:
    """What is kept of a shot that was looked at along time: some of its frames, and its light."""

    some: Run
    light: Light
    course: CourseOut


_looked: Newest[_Looked] = Newest(3)


def _looked_at(source: Source, work: Work) -> _Looked:
    known = _looked.get(source)
    if known:
        return known
    run = along.run_of_shot(source, work.stage(0, 0.4))
    light = light_along(run, work.stage(0.4, 0.95))
    course = CourseOut.model_validate(along.course_of_run(run, light, source).as_record())
    step = max(1, len(run) // along.READINGS)
    some = Run([replace(frame) for frame in run.frames[::step]])
    return _looked.keep(source, _Looked(some, light, course))


@router.post("/shots/{shot_id}/along")
def read_along(shot_id: Id, order: AlongIn, context: ContextDep) -> AlongOut:
    """Readings along a shot, as recorded and under the levels that are on the desk, and what changes in its light."""
    with context.session() as session:
        subject = subject_of(the_shot(session, shot_id))
    looked = _looked_at(subject.source, context.works.begin(order.work))
    meter = order.meter.meter() if order.meter else WHOLE
    run = along.as_steadied(looked.some, order.levels)
    frames, recorded, corrected = along.readings_along(run, subject, order.levels, meter, order.frame)
    return AlongOut(frames=frames, recorded=recorded, corrected=corrected, course=looked.course)


@router.post("/shots/{shot_id}/hold")
def hold(shot_id: Id, order: HoldIn, context: ContextDep) -> HeldOut:
    """Keep what is metered, or all, as it looks at a frame; the keyframes go to one step of the shot."""
    work = context.works.begin(order.work)
    with context.session() as session:
        subject = subject_of(the_shot(session, shot_id))
    run = along.as_steadied(along.run_of_shot(subject.source, work.stage(0, 0.4)), subject.levels)
    meter = order.meter.meter() if order.meter else None
    drawn = order.frame if order.drawn is None else order.drawn
    again = tuple((one.frame, one.meter.meter()) for one in order.again)
    holding = along.Holding(order.frame, drawn, meter, again, order.tolerance)
    found = along.held(run, subject, order.step, holding, work.stage(0.4, 1))
    what = "all" if meter is None else meter.kind
    return _kept(context, shot_id, subject, order.step, order.base, found, f"hold {what} as at frame {order.frame + 1}")


@router.post("/shots/{shot_id}/steady")
def steady(shot_id: Id, order: SteadyIn, context: ContextDep) -> HeldOut:
    """Take a camera's slow wander of exposure and white off; the keyframes go to one step of the shot."""
    work = context.works.begin(order.work)
    with context.session() as session:
        subject = subject_of(the_shot(session, shot_id))
    run = along.run_of_shot(subject.source, work.stage(0, 0.4))
    found = along.light_steadied(run, light_along(run, work.stage(0.4, 1)), subject, order.step)
    return _kept(context, shot_id, subject, order.step, order.base, found, "steady light")


@router.post("/shots/{shot_id}/camera-path")
def find_camera_path(shot_id: Id, order: CameraPathIn, context: ContextDep) -> CameraPathOut:
    """Where the shot's camera looked on each frame, for its picture to be steadied; no version is made."""
    work = context.works.begin(order.work)
    with context.session() as session:
        subject = subject_of(the_shot(session, shot_id))
    path = along.path_of_camera(subject.source, work.stage(0, 1))
    with context.session() as session:
        tracks.keep(session, path)
    return CameraPathOut(path=path)


def _kept(
    context: Context, shot_id: int, subject: Subject, step: str, base: int | None, found: Held, change: str
) -> HeldOut:
    """Save a new version with the keyframes that were found, if there are any."""
    correction = along.with_held(subject.levels.shot, step, found)
    readings = context.readings_under(shot_id, correction) if found.keyframes else None
    with context.session() as session:
        shot = corrections.locked(session, shot_id)
        if found.keyframes:
            state = "balanced" if shot.state == "new" else shot.state
            report = shot.version.report if shot.version else None
            corrections.save(
                session, shot, correction, change, base=base, state=state, distance=shot.distance, readings=readings,
                report=report,
            )  # fmt: skip
        return HeldOut(
            shot=shot_out(shot),
            keyframes=len(found.keyframes),
            mean=found.mean,
            largest=found.largest,
            was=found.was,
            notes=list(found.notes),
        )


@router.get("/works/{name}")
def read_work(name: str, context: ContextDep) -> WorkOut:
    """How far a page's work is."""
    return WorkOut(part=context.works.part(name))


@router.delete("/works/{name}")
def cancel_work(name: str, context: ContextDep) -> WorkOut:
    """End a page's work; nothing of it is kept."""
    context.works.cancel(name)
    return WorkOut(part=context.works.part(name))
