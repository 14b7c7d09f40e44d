"""Connecting, migrating, and telling of changes."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, event, text
from sqlalchemy.exc import InterfaceError, OperationalError
from sqlalchemy.orm import ORMExecuteState, Session, sessionmaker

CHANGES = "dovrel_changes"
"""The channel on which the database tells all listeners that something of the day was changed."""
AWAY = (OperationalError, InterfaceError)
"""Faults of a database that is away, or has no room: the same may go well later."""
_CONNECT = {"connect_timeout": 5}


def engine_for(url: str) -> Engine:
    """An engine for a ``postgresql://`` address."""
    address = url.replace("postgresql://", "postgresql+psycopg://", 1)
    return create_engine(address, pool_pre_ping=True, pool_size=10, max_overflow=10, connect_args=_CONNECT)


def sessions(engine: Engine) -> sessionmaker[Session]:
    """Sessions whose commits are told of on :data:`CHANGES`."""
    return sessionmaker(engine, class_=_Telling, expire_on_commit=False)


class _Telling(Session):
    """A session that tells of its changes when, and only if, they are committed."""


@event.listens_for(_Telling, "after_flush")
def _tell(session: Session, _: object = None) -> None:
    session.connection().execute(text(f"NOTIFY {CHANGES}"))


@event.listens_for(_Telling, "do_orm_execute")
def _tell_of_statement(execution: ORMExecuteState) -> None:
    if execution.is_insert or execution.is_update or execution.is_delete:
        _tell(execution.session)


def migrate(url: str) -> None:
    """Bring the database to the newest form."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    address = url.replace("postgresql://", "postgresql+psycopg://", 1)
    config.set_main_option("sqlalchemy.url", address.replace("%", "%%"))
    command.upgrade(config, "head")
