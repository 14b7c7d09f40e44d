"""Dovrel started with its demo as a user starts it, on a folder and port of its own: for benchmarks and tests."""

from __future__ import annotations

import shutil
import signal
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from dovrel.bench.visiting import Visit
from dovrel.store.ports import free_port


class DemoRun(Visit):
    """`./dovrel demo`, or another command that starts all parts, on `data`; clips may be taken in from `media`."""

    def __init__(
        self, data: Path, media: Path, command: str = "demo", *, names_media: bool = True, workers: int = 1
    ) -> None:
        super().__init__(data, free_port())
        self.command, self.names_media, self.workers = command, names_media, workers
        self.media = media
        self.process: subprocess.Popen[bytes] | None = None

    def start(self, **options) -> None:
        """Start, and wait until it answers; `options` are those of :class:`subprocess.Popen`."""
        media = ["--media", str(self.media)] if self.names_media else []
        command = [sys.executable, "-m", "dovrel.cli", self.command, "--no-browser", "--port", str(self.port),
                   "--data", str(self.data), "--workers", str(self.workers), *media]  # fmt: skip
        self.process = subprocess.Popen(command, start_new_session=True, preexec_fn=_heed_interrupts, **options)
        self.wait_until_answering()

    def wait_until_answering(self, seconds: float = float("inf")) -> None:
        """Wait, by default for as long as the process is there; it ends by itself if its start stands still."""
        self.wait(lambda: bool(self.day()), seconds)

    def check_alive(self) -> None:
        if self.process and self.process.poll() is not None:
            raise RuntimeError(f"Dovrel ended with exit code {self.process.returncode}")

    def stop(self) -> int | None:
        """Stop as Ctrl-C does; the exit code."""
        if self.process is None:
            return None
        self.process.send_signal(signal.SIGINT)
        try:
            return self.process.wait(60)
        except subprocess.TimeoutExpired:
            self.process.kill()
            raise


def _heed_interrupts() -> None:
    """What is started in the background of a shell ignores Ctrl-C, and so would Dovrel."""
    signal.signal(signal.SIGINT, signal.SIG_DFL)


@contextmanager
def demo_run(measured: Path | None = None, workers: int = 1) -> Iterator[DemoRun]:
    """A demo on a folder of its own, measured; gone afterwards. `measured` is a data folder to begin with a copy of."""
    folder = Path(tempfile.mkdtemp(prefix="dovrel-run-"))
    (folder / "media").mkdir()
    run = DemoRun(folder / "data", folder / "media", workers=workers)
    try:
        if measured:
            # With owners, so that the database's account finds its own.
            subprocess.run(["cp", "-a", str(measured), str(run.data)], check=True)
        run.start()
        run.wait_measured()
        yield run
    finally:
        run.stop()
        shutil.rmtree(folder, ignore_errors=True)
