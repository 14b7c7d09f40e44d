"""All parts of Dovrel on one machine: the data folder held, database, workers and server started and watched."""

from __future__ import annotations

import contextlib
import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Callable
from pathlib import Path
from types import TracebackType

import psycopg

from dovrel.errors import Refused
from dovrel.machine.alive import SIGN
from dovrel.machine.children import ends_with_us
from dovrel.machine.files import sweep, write_private
from dovrel.machine.folder import TROUBLE, DataFolder
from dovrel.machine.secret import Secret
from dovrel.machine.starting import StartNote
from dovrel.running import readiness
from dovrel.running.parts import Part, Watch
from dovrel.store.cluster import Cluster
from dovrel.store.database import engine_for, migrate, sessions

PAGE = Path(__file__).resolve().parents[3] / "frontend" / "dist"
FREED_AFTER = 20.0
"""Seconds that an earlier server on the same data folder is given to let go of the port."""
PATIENCE = 10.0
LITTLE_ROOM = 48 << 20
"""Bytes left on the disc below which a part that ends is waited for, not given up."""
ALIVE = "alive"
"""The folder in the data folder that holds the parts' signs of life."""
ADDRESS = "address"
"""The file in the data folder that says where a browser comes in."""


class Running:
    """The database, the workers and the server; all that was started here is stopped on leaving."""

    def __init__(
        self,
        data: Path,
        port: int,
        media: list[Path],
        workers: int = 1,
        *,
        with_demo: bool,
        say: Callable[[str], None] = lambda sentence: print(sentence, file=sys.stderr, flush=True),
    ) -> None:
        self.workers = workers
        self.data = data
        self.port = port
        self.media = [folder.resolve() for folder in media]
        self.with_demo = with_demo
        self.folder = DataFolder(data)
        self.cluster = Cluster(data / "postgres")
        self.secret = Secret(data)
        self.watch = Watch(say, self._tell)
        self._say = say
        self._note = StartNote(data)
        self._url = ""

    @property
    def address(self) -> str:
        """The server's address, without the secret."""
        return f"http://127.0.0.1:{self.port}"

    @property
    def entrance(self) -> str:
        """Where a browser comes in."""
        return self.secret.address(self.address)

    def __enter__(self) -> Running:
        for folder in self.media:
            if not folder.is_dir():
                raise Refused(f"{folder}: there is no such folder")
        os.umask(0o077)
        before = self.folder.hold(self.address)
        try:
            self._wait_for_port(same_as_before=before == self.address)
            self._start()
        except BaseException:
            self.__exit__(None, None, None)
            raise
        return self

    def _start(self) -> None:
        from dovrel.jobs import queue

        sweep(self.data)
        self._note.clear()
        self._tell([])
        self.watch.add(Part("database", self._start_database))
        migrate(self._url)
        queue.prepare(self._url)
        if self.with_demo:
            self._load_demo()
        self._add("server", "-m", "dovrel.service.main")
        for number in range(self.workers):
            self._add("worker" if self.workers == 1 else f"worker {number + 1}", "-m", "dovrel.cli", "worker")
        write_private(self.data / ADDRESS, self.entrance + "\n")

    def _start_database(self) -> Cluster:
        self._url = self.cluster.start()
        return self.cluster

    def _add(self, name: str, *arguments: str) -> None:
        sign = self.data / ALIVE / name.replace(" ", "-")
        sign.parent.mkdir(mode=0o700, exist_ok=True)
        self.watch.add(Part(name, lambda: self._python(sign, *arguments), sign))

    def _python(self, sign: Path, *arguments: str) -> subprocess.Popen[bytes]:
        from dovrel.jobs.cores import threads_each

        folders = list(self.media)
        if self.with_demo:
            from dovrel.demo.cards import ENCODINGS, cards_folder

            folders += [cards_folder(), ENCODINGS]
        environment = {
            **os.environ,
            # Large blocks go back to the system when freed, and threads share two heaps.
            "MALLOC_MMAP_THRESHOLD_": str(1 << 20),
            "MALLOC_ARENA_MAX": "2",
            SIGN: str(sign),
            "DOVREL_DATABASE": self._url,
            "DOVREL_DATA": str(self.data),
            "DOVREL_MEDIA": os.pathsep.join(map(str, folders)),
            "DOVREL_PAGE": str(PAGE),
            "DOVREL_PORT": str(self.port),
            "DOVREL_THREADS": str(threads_each(self.workers)),
        }
        return subprocess.Popen(
            [sys.executable, *arguments],
            env=environment,
            start_new_session=True,
            preexec_fn=ends_with_us(signal.SIGKILL),
        )

    def _load_demo(self) -> None:
        """List the demo's clips, if this database has no production yet."""
        with psycopg.connect(self._url) as connection:
            if connection.execute("SELECT FROM production LIMIT 1").fetchone():
                return
        # Only a first start waits for what reads clips to be loaded.
        from dovrel.demo.load import load_demo
        from dovrel.demo.looks import keep_looks

        engine = engine_for(self._url)
        load_demo(sessions(engine))
        engine.dispose()
        keep_looks(self.data / "looks")

    def _wait_for_port(self, *, same_as_before: bool) -> None:
        """Until the port is free, where a server that was left behind is just letting go of it.

        Raises
        ------
        Refused
            If something else listens there; the message says what to do.
        """
        until = time.monotonic() + (FREED_AFTER if same_as_before else 0)
        while not _is_free(self.port):
            if time.monotonic() > until:
                who = "Dovrel already runs" if _is_dovrel(self.address) else "another program listens"
                raise Refused(f"{who} at {self.address}; stop it first, or choose another port with --port")
            time.sleep(0.2)

    def wait_until_ready(self) -> None:
        """Wait until the server answers, parts that end meanwhile started anew, and say what it does.

        Raises
        ------
        Refused
            If it has stood still for minutes.
        GaveUp
            If a part ends again and again.
        """
        readiness.wait_until_ready(self._answers, self._note.read, self._look, self._say)
        self._note.clear()

    def _answers(self) -> bool:
        question = urllib.request.Request(f"{self.address}/api/folders", headers=self.secret.headers)
        try:
            with urllib.request.urlopen(question, timeout=2):
                return True
        except (urllib.error.URLError, OSError):
            return False

    def wait(self) -> None:
        """Watch over the parts until the caller is interrupted.

        Raises
        ------
        GaveUp
            If a part ends again and again.
        """
        while True:
            self._look()
            time.sleep(0.3)

    def _look(self) -> None:
        url = self._url
        anew = self.watch.look(excused=lambda: shutil.disk_usage(self.data).free < LITTLE_ROOM)
        if any(part.name == "database" for part in anew):
            # A worker's task may have ended unheard; the server finds its way back unless the address changed.
            for part in self.watch.parts:
                if part.process and (part.name.startswith("worker") or (part.name == "server" and self._url != url)):
                    part.process.kill()

    def _tell(self, troubles: list[str]) -> None:
        with contextlib.suppress(OSError):
            write_private(self.data / TROUBLE, json.dumps(troubles))

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.watch.stop(PATIENCE)
        self.cluster.stop()
        with contextlib.suppress(OSError):
            (self.data / ADDRESS).unlink(missing_ok=True)
        self.folder.leave()


def _is_free(port: int) -> bool:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            return False
        return True


def _is_dovrel(address: str) -> bool:
    try:
        with urllib.request.urlopen(f"{address}/api/folders", timeout=2):
            return False
    except urllib.error.HTTPError as error:
        return "Dovrel" in error.read(1000).decode(errors="replace")
    except OSError:
        return False
