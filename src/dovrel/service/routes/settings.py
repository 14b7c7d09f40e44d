"""The production's settings: name, day, output, percentiles, tolerance, encodings that are assumed, templates."""

from __future__ import annotations

from typing import Literal

from fastapi import APIRouter

from dovrel.core.colour import outputs
from dovrel.core.steps import documents
from dovrel.core.steps.correction import checked
from dovrel.errors import InConflict
from dovrel.jobs.anew import measure_anew
from dovrel.service.context import ContextDep
from dovrel.service.intake_schemas import OutputOut, SettingsIn
from dovrel.service.routes.cameras import check_encoding
from dovrel.service.schemas import LevelChange, ProductionOut
from dovrel.service.views import production_out
from dovrel.store import operations
from dovrel.store.production import the_production

router = APIRouter(prefix="/api", tags=["settings"])
_MEASURED_BY = ("output", "percentiles")


@router.get("/outputs")
def read_outputs() -> list[OutputOut]:
    """The outputs to choose from."""
    return [OutputOut.model_validate(output) for output in outputs.OUTPUTS.values()]


@router.patch("/production")
def change_settings(change: SettingsIn, context: ContextDep) -> ProductionOut:
    """Change settings as one operation; every shot is measured anew if the output or the percentiles are others."""
    after = change.model_dump(exclude={"base"}, exclude_unset=True, exclude_none=True)
    if change.output is not None:
        outputs.find(change.output)
    for encoding in [after.get("assumed_encoding"), *(one["encoding"] for one in after.get("encodings", ()))]:
        if encoding is not None:
            check_encoding(context, encoding)
    with context.session() as session:
        production = the_production(session)
        session.refresh(production, with_for_update=True)
        now = {name: getattr(production, name) for name in after}
        if any(now[name] not in (change.base.get(name, now[name]), after[name]) for name in after):
            raise InConflict("the settings were changed in another window; look at them and try again")
        after = {name: value for name, value in after.items() if value != now[name]}
        if after:
            words = ", ".join(name.replace("_", " ") for name in after)
            operation = operations.begin(session, production, "settings", f"settings: {words}")
            operations.change(session, operation, production, **after)
            if set(after) & set(_MEASURED_BY):
                measure_anew(session, production.shots)
        session.flush()
        return production_out(production)


@router.put("/template/{level}")
def change_template(level: Literal["shot", "family"], change: LevelChange, context: ContextDep) -> ProductionOut:
    """What new shots, or new families, start with, made from `base`; those that are there stay as they are."""
    correction = checked(level, change.correction)
    with context.session() as session:
        production = the_production(session)
        session.refresh(production, with_for_update=True)
        now = documents.read(production.template[level])
        if change.base not in (None, now) and now != correction:
            raise InConflict("the template was changed in another window; look at it and try again")
        what = {"shot": "new shots", "family": "new families"}[level]
        operation = operations.begin(session, production, "settings", f"settings: what {what} start with")
        template = {**production.template, level: documents.written(correction)}
        operations.change(session, operation, production, template=template)
        session.flush()
        return production_out(production)
