"""Connecting, migrating."""

from __future__ import annotations

from pathlib import Path

from alembic import command
from alembic.config import Config
from sqlalchemy import Engine, create_engine
from sqlalchemy.orm import Session, sessionmaker


def engine_for(url: str) -> Engine:
    """An engine for a ``postgresql://`` address."""
    return create_engine(url.replace("postgresql://", "postgresql+psycopg://", 1), pool_pre_ping=True)


def sessions(engine: Engine) -> sessionmaker[Session]:
    return sessionmaker(engine, expire_on_commit=False)


def migrate(url: str) -> None:
    """Bring the database to the newest form."""
    config = Config()
    config.set_main_option("script_location", str(Path(__file__).parent / "migrations"))
    address = url.replace("postgresql://", "postgresql+psycopg://", 1)
    config.set_main_option("sqlalchemy.url", address.replace("%", "%%"))
    command.upgrade(config, "head")
