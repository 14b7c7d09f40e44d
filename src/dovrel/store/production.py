"""The production that a database holds."""

from __future__ import annotations

from sqlalchemy import select
from sqlalchemy.orm import Session

from dovrel.store.models import Production


def the_production(session: Session) -> Production:
    """The production that this database holds, made when first asked for."""
    production = session.scalars(select(Production).order_by(Production.id).limit(1)).first()
    if production is None:
        production = Production(name="Untitled production")
        session.add(production)
        session.flush()
    return production
