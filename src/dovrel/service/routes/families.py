"""Families: made, named, merged, proposed."""

from __future__ import annotations

from fastapi import APIRouter
from sqlalchemy.orm import Session

from dovrel.core import sorting
from dovrel.errors import NotFound, Refused
from dovrel.jobs import families, queue
from dovrel.service.context import ContextDep, the_shot
from dovrel.service.fields import Id
from dovrel.service.schemas import (
    ArrangeIn,
    FamilyChange,
    FamilyIn,
    FamilyOut,
    ProposedFamily,
    RelativeOut,
    SharedIn,
    SharedLink,
    SharedOut,
)
from dovrel.store import operations
from dovrel.store.models import Family, Production, Shot
from dovrel.store.production import the_production

router = APIRouter(prefix="/api/families", tags=["families"])


def _add(session: Session, production: Production, name: str) -> Family:
    """A family of a name: the one there is, or a new one behind the others."""
    found = next((f for f in production.families if f.name == name and not f.retired), None)
    if found is None:
        position = max((f.position for f in production.families), default=-1) + 1
        found = Family(
            production_id=production.id, name=name, position=position, correction=production.template["family"]
        )
        session.add(found)
        session.flush()
        session.expire(production, ["families"])
    return found


def _the_family(session: Session, family_id: Id) -> Family:
    family = session.get(Family, family_id)
    if family is None or family.retired:
        raise NotFound(f"there is no family {family_id}")
    return family


@router.post("")
def make_family(order: FamilyIn, context: ContextDep) -> FamilyOut:
    """Make a family of some shots: so a family is split."""
    with context.session() as session:
        production = the_production(session)
        if any(f.name == order.name and not f.retired for f in production.families):
            raise Refused(f"there is a family named {order.name} already; choose another name")
        family = _add(session, production, order.name)
        operation = operations.begin(session, production, "sort", f"family {order.name}")
        for shot_id in order.shots:
            operations.change(session, operation, the_shot(session, shot_id), family_id=family.id)
        return FamilyOut.model_validate(family)


@router.patch("/{family_id}")
def change_family(family_id: Id, change: FamilyChange, context: ContextDep) -> FamilyOut:
    """Give a family another name or framing, or merge it into another."""
    with context.session() as session:
        production, family = the_production(session), _the_family(session, family_id)
        if change.into is None:
            if change.name and change.name != family.name:
                operation = operations.begin(session, production, "sort", f"{family.name} is now {change.name}")
                operations.change(session, operation, family, name=change.name)
            if change.framing and change.framing != family.framing:
                how = "cut to the reference's frame" if change.framing == "reference" else "shown whole"
                operation = operations.begin(session, production, "sort", f"{family.name} {how}")
                operations.change(session, operation, family, framing=change.framing)
                queue.defer_measure_again(session, [shot.id for shot in operations.shots_under(session, family)])
            return FamilyOut.model_validate(family)
        into = _the_family(session, change.into)
        if into is family:
            raise Refused(f"{family.name} cannot be merged into itself")
        operation = operations.begin(session, production, "sort", f"{family.name} merged into {into.name}")
        for shot in [s for s in production.shots if s.family_id == family.id]:
            operations.change(session, operation, shot, family_id=into.id)
        operations.change(session, operation, family, retired=True)
        if into.reference_id is None and family.reference_id is not None:
            operations.change(session, operation, into, reference_id=family.reference_id)
        session.flush()
        session.refresh(into)
        return FamilyOut.model_validate(into)


def _taken(shot: Shot) -> sorting.Taken:
    tags = shot.clip.get("tags", {})
    readings = shot.measured.get("readings")
    return sorting.Taken(
        shot.id,
        tags.get("scene", ""),
        tags.get("place", ""),
        shot.camera.letter,
        tuple(readings) if readings else None,
    )


@router.get("/proposed")
def propose(context: ContextDep) -> list[ProposedFamily]:
    """Families by scene, place and measured light, to be looked at before they are made."""
    with context.session() as session:
        production = the_production(session)
        by_name = {f.name: f.id for f in production.families if not f.retired}
        return [
            ProposedFamily(name=one.name, family_id=by_name.get(one.name), shots=list(one.shots), reason=one.reason)
            for one in sorting.propose([_taken(s) for s in production.shots if s.progress == "ready"])
        ]


@router.post("/arrange")
def arrange(order: ArrangeIn, context: ContextDep) -> list[FamilyOut]:
    """Sort shots into families by name, as one operation."""
    with context.session() as session:
        production = the_production(session)
        operation = operations.begin(session, production, "sort", f"{len(order.families)} families arranged")
        for wanted in order.families:
            family = _add(session, production, wanted.name)
            for shot_id in wanted.shots:
                operations.change(session, operation, the_shot(session, shot_id), family_id=family.id)
        session.flush()
        return [FamilyOut.model_validate(f) for f in production.families if not f.retired]


@router.post("/{family_id}/shared")
def read_shared(family_id: Id, order: SharedIn, context: ContextDep) -> SharedOut:
    """What the shots of a family share with one another, and each one's link path to the reference."""
    work = context.works.begin(order.work)
    with context.session() as session:
        relatives = families.relatives_of(session, _the_family(session, family_id))
    found = families.solution_of(relatives, context.frames, context.settings.data, work.told)
    shots = [
        RelativeOut(
            shot_id=one.shot_id,
            name=one.name,
            chain=list(placed.chain),
            confidence=placed.confidence,
            notes=list(placed.notes),
        )
        for one, placed in zip(found.relatives, found.solved.shots, strict=True)
    ]
    links = [
        SharedLink(one=one, other=other, points=points, trust=trust, contrary=(one, other) in found.solved.contrary)
        for (one, other), (points, trust) in sorted(found.shared.items())
    ]
    return SharedOut(shots=shots, links=links)
