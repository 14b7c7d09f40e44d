"""A generated day of many shots, measured first and then balanced, by one worker and by two."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
from dataclasses import asdict, dataclass
from pathlib import Path

from rich.console import Console
from rich.table import Table as RichTable
from sqlalchemy import Engine, func, select

from dovrel.demo import cards
from dovrel.errors import Refused
from dovrel.jobs import queue
from dovrel.jobs.cores import threads_each
from dovrel.jobs.finding import find_below
from dovrel.jobs.intake import list_clips
from dovrel.store import operations
from dovrel.store.cluster import Cluster
from dovrel.store.database import engine_for, migrate, sessions
from dovrel.store.models import Camera, OperationItem, Production, Shot

SECONDS_A_SHOT = 10
SIZE = "1920:1080"
KEY_PICTURES = "24"
"""Frames from one key picture to the next, a second as in a camera's own recording."""
SOURCES = ("12A-1", "12B-1", "12C-2", "21A-1", "21C-1")


@dataclass(frozen=True)
class DayResult:
    """What a day took, in seconds a shot."""

    workers: int
    shots: int
    measured: float
    balanced: float


def generate(folder: Path, shots: int) -> None:
    """Clips of ten seconds in 1080p under as many names as there are shots; each source is encoded once."""
    folder.mkdir(parents=True)
    made = []
    for name in SOURCES:
        clip = cards.find(name)
        path = folder / f"source-{name}{clip.path.suffix}"
        codec = [
            "-map",
            "0:v:0",
            "-c:v",
            "libx264",
            "-preset",
            "veryfast",
            "-crf",
            "18",
            "-g",
            KEY_PICTURES,
            "-pix_fmt",
            "yuv420p",
        ]
        command = ["ffmpeg", "-hide_banner", "-loglevel", "error", "-stream_loop", "-1", "-i", str(clip.path),
                   "-t", str(SECONDS_A_SHOT), "-vf", f"scale={SIZE}", *codec, "-map_metadata", "0",
                   "-movflags", "use_metadata_tags", str(path)]  # fmt: skip
        subprocess.run(command, check=True, stdin=subprocess.DEVNULL)
        made.append(path)
    for number in range(shots):
        source = made[number % len(made)]
        letter = source.stem.split("-")[1][2]
        os.link(source, folder / f"{number:03d}{letter}{source.suffix}")
    for path in made:
        path.unlink()


def _wait(engine: Engine, done, total: int) -> float:
    """Seconds until `done` counts to `total`."""
    started = time.perf_counter()
    while True:
        with engine.connect() as connection:
            if connection.execute(done).scalar_one() >= total:
                return time.perf_counter() - started
        time.sleep(0.1)


def run(shots: int, workers: int) -> DayResult:
    """Take a day in with so many worker processes on a database of its own, and balance all of it."""
    folder = Path(tempfile.mkdtemp(prefix="dovrel-bench-day-"))
    cluster = Cluster(folder / "data" / "postgres")
    processes: list[subprocess.Popen[bytes]] = []
    try:
        generate(folder / "cards", shots)
        (folder / "data").mkdir(exist_ok=True)
        url = cluster.start()
        migrate(url)
        queue.prepare(url)
        engine = engine_for(url)
        with sessions(engine).begin() as session:
            production = Production(name="bench")
            session.add(production)
            session.flush()
            for letter, encoding in cards.CAMERA_ENCODINGS.items():
                session.add(Camera(production_id=production.id, letter=letter, encoding=encoding))
            session.flush()
            ids = [shot.id for shot in list_clips(session, production, find_below(folder / "cards").clips)]
        environment = {**os.environ, "MALLOC_ARENA_MAX": "2", "DOVREL_DATABASE": url}
        command = [sys.executable, "-m", "dovrel.cli", "worker", "--data", str(folder / "data"),
                   "--media", str(folder / "cards"), "--threads", str(threads_each(workers))]  # fmt: skip
        processes += [subprocess.Popen(command, env=environment) for _ in range(workers)]
        # A first shot each, so that starting and compiling are not counted.
        with sessions(engine).begin() as session:
            queue.defer_measures(session, ids[:workers])
        ready = select(func.count()).select_from(Shot).where(Shot.progress.in_(("ready", "faulty")))
        _wait(engine, ready, workers)
        with sessions(engine).begin() as session:
            queue.defer_measures(session, ids[workers:])
        measured = _wait(engine, ready, shots)
        with sessions(engine).begin() as session:
            faults = session.scalars(select(Shot.fault).where(Shot.progress == "faulty")).all()
        if faults:
            raise Refused(f"{len(faults)} generated clips could not be measured; the first: {faults[0]}")
        with sessions(engine).begin() as session:
            operation = operations.begin(session, session.get_one(Production, 1), "balance", "all", total=shots)
            number = operation.id
            queue.defer_batch(session, number, [session.get_one(Shot, one) for one in ids])
        items = select(func.count()).select_from(OperationItem).where(OperationItem.operation_id == number)
        balanced = _wait(engine, items, shots)
        engine.dispose()
        return DayResult(workers, shots, measured / max(shots - workers, 1), balanced / shots)
    finally:
        for process in processes:
            process.terminate()
        for process in processes:
            process.wait(30)
        cluster.stop()
        shutil.rmtree(folder, ignore_errors=True)


def summary(results: list[DayResult]) -> dict:
    """The runs as data, with what each further worker adds, in parts of one."""
    one = next((r for r in results if r.workers == 1), None)
    added = {r.workers: (one.measured / r.measured - 1) / (r.workers - 1) for r in results if one and r.workers > 1}
    return {"runs": [asdict(r) for r in results], "added_by_each_worker": added}


def print_table(console: Console, results: list[DayResult]) -> None:
    table = RichTable(title=f"A day of {results[0].shots} shots, {SECONDS_A_SHOT} s in 1080p each")
    for heading in ("workers", "first measurement, s a shot", "balance, s a shot"):
        table.add_column(heading, justify="right")
    for r in results:
        table.add_row(str(r.workers), f"{r.measured:.2f}", f"{r.balanced:.2f}")
    console.print(table)
    for workers, part in summary(results)["added_by_each_worker"].items():
        console.print(f"{workers} workers: each further one adds {part:.2f} of the first")
