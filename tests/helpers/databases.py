"""A PostgreSQL server for the tests of one process, and databases made on it as copies of others."""

from __future__ import annotations

import itertools
import subprocess
from collections.abc import Sequence
from pathlib import Path
from typing import LiteralString

import psycopg
from psycopg import sql

from dovrel.store.cluster import Cluster

MEASURED = "dovrel"
"""The database of the kept day; nobody connects to it."""
_QUICK = "fsync = off\nsynchronous_commit = off\nfull_page_writes = off\nautovacuum = off\n"
"""Settings of a server whose data need not outlive a crash."""


class Databases:
    """A copy of the kept day's cluster, running; every database on it goes with it."""

    def __init__(self, kept: Path, folder: Path) -> None:
        subprocess.run(["cp", "-a", str(kept / "postgres"), str(folder / "postgres")], check=True)
        with (folder / "postgres" / "cluster" / "postgresql.conf").open("a") as settings:
            settings.write(_QUICK)
        self._cluster = Cluster(folder / "postgres")
        self._names = (f"copy_{number}" for number in itertools.count(1))
        self._cluster.start()

    def url(self, name: str) -> str:
        return f"{self._cluster.url.rsplit('/', 1)[0]}/{name}"

    def empty(self) -> str:
        """A new database without tables; its name."""
        name = next(self._names)
        self._tell("CREATE DATABASE {}", name)
        return name

    def copy_of(self, template: str, shots: Sequence[str] = ()) -> str:
        """A new database that holds what another one does, with only these shots if some are named; its name."""
        name = next(self._names)
        self._tell("CREATE DATABASE {} TEMPLATE {} STRATEGY FILE_COPY", name, template)
        if shots:
            with psycopg.connect(self.url(name)) as connection:
                connection.execute("DELETE FROM shot WHERE NOT name = ANY(%s)", [list(shots)])
                connection.execute("DELETE FROM family WHERE id NOT IN (SELECT family_id FROM shot)")
        return name

    def drop(self, name: str) -> None:
        self._tell("DROP DATABASE {} WITH (FORCE)", name)

    def stop(self) -> None:
        self._cluster.stop()

    def _tell(self, statement: LiteralString, *names: str) -> None:
        with psycopg.connect(self.url("postgres"), autocommit=True) as connection:
            connection.execute(sql.SQL(statement).format(*map(sql.Identifier, names)))
