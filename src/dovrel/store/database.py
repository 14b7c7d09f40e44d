"""Connecting, migrating, and telling of changes."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine, event, text
from sqlalchemy.exc import InterfaceError, InternalError, OperationalError
from sqlalchemy.orm import ORMExecuteState, Session, sessionmaker

CHANGES = "dovrel_changes"
"""The channel on which the database tells all listeners that something of the day was changed."""
AWAY = (OperationalError, InterfaceError, InternalError)
"""Faults of a database that is away, has no room, or has ended a silent transaction: the same may go well later."""
SILENT = 15
"""Seconds that a transaction with locks may say nothing to the database, which then ends it: a process that hangs, or a
machine that is cut off, keeps no shot from the others."""
_CONNECT = {"connect_timeout": 5}


def engine_for(url: str) -> Engine:
    """An engine for a ``postgresql://`` address."""
    address = url.replace("postgresql://", "postgresql+psycopg://", 1)
    return create_engine(address, pool_pre_ping=True, pool_size=10, max_overflow=10, connect_args=_CONNECT)


def sessions(engine: Engine) -> sessionmaker[Session]:
    """Sessions whose commits are announced on :data:`CHANGES`."""
    return sessionmaker(engine, class_=_Telling, expire_on_commit=False)


class _Telling(Session):
    """A session that tells of its changes when, and only if, they are committed."""


@event.listens_for(_Telling, "after_flush")
def _tell(session: Session, _: object = None) -> None:
    hold_no_longer(session)
    session.connection().execute(text(f"NOTIFY {CHANGES}"))


@event.listens_for(_Telling, "do_orm_execute")
def _tell_of_statement(execution: ORMExecuteState) -> None:
    if execution.is_insert or execution.is_update or execution.is_delete:
        _tell(execution.session)


def hold_no_longer(session: Session) -> None:
    """Have the database end this transaction if it is silent for :data:`SILENT` seconds."""
    session.connection().execute(text(f"SET LOCAL idle_in_transaction_session_timeout = {int(SILENT * 1000)}"))


def migrate(url: str) -> None:
    """Bring the database to the newest form."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    address = url.replace("postgresql://", "postgresql+psycopg://", 1)
    config.set_main_option("sqlalchemy.url", address.replace("%", "%%"))
    command.upgrade(config, "head")
