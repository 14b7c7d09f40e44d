"""Alembic's way in."""

from alembic import context
from sqlalchemy import create_engine

from dovrel.store.models import Base

address = context.config.get_main_option("sqlalchemy.url")
assert address is not None
with create_engine(address).connect() as connection:
    context.configure(connection=connection, target_metadata=Base.metadata)
    with context.begin_transaction():
        context.run_migrations()
