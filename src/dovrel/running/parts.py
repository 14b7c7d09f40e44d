"""The parts of a running Dovrel: watched, and started anew where they end by themselves, or hang."""

from __future__ import annotations

import signal
import subprocess
import time
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from dovrel.machine.alive import STOOD_STILL
from dovrel.machine.children import Watchable

SETTLED_AFTER = 20.0
"""Seconds after which a part that was started counts as well."""
HANGS_AFTER = 60.0
"""Seconds without a sign of life after which a part hangs, and is killed."""
LONGEST_PAUSE = 15.0
MOST_TRIES = 8
TOLD_FOR = 8.0
"""Seconds for which the page reports a part that was started anew."""


class GaveUp(RuntimeError):
    """A part ends again and again; the message names it and how it ended."""


@dataclass
class Part:
    """One process and how it is started. `start` raises :class:`OSError` if it cannot be; `sign` is its sign of life, if any."""

    name: str
    start: Callable[[], Watchable]
    sign: Path | None = None
    process: Watchable | None = None
    tries: int = 0
    started: float = 0.0
    again_at: float = 0.0
    ended: str = ""
    told_until: float = 0.0
    seen: int = 0
    seen_at: float = 0.0
    hangs: bool = False

    def begin(self, now: float) -> None:
        if self.sign:
            self.sign.unlink(missing_ok=True)
        self.seen, self.hangs = 0, False
        self.process = self.start()
        self.started = now

    def look(self, now: float) -> bool:
        """Whether the part has just ended by itself; it is then to be started after a pause."""
        if self.process is None:
            return False
        status = self.process.poll()
        if status is None:
            if self.tries and now - self.started > SETTLED_AFTER:
                self.tries = 0
            if self._is_still(now):
                self.hangs = True
                self.process.kill()
            return False
        self.process = None
        self.fail(now, "it hung" if self.hangs else how_it_ended(status))
        return True

    def _is_still(self, now: float) -> bool:
        """Whether it has given signs of life, and gives none any more."""
        try:
            seen = self.sign.stat().st_mtime_ns if self.sign else 0
        except OSError:
            return False
        if seen != self.seen:
            self.seen, self.seen_at = seen, now
        return seen > 0 and now - self.seen_at > HANGS_AFTER

    def fail(self, now: float, how: str) -> None:
        self.ended = how
        self.again_at = now + min(0.5 * 2**self.tries, LONGEST_PAUSE)
        self.tries += 1

    @property
    def trouble(self) -> str:
        """A sentence for the page while something is wrong, or was just now; else empty."""
        if self.process is None and self.ended:
            return f"The {self.name} ended ({self.ended}) and is being started anew."
        if time.monotonic() < self.told_until:
            return f"The {self.name} ended ({self.ended}) and was started anew."
        return ""


def how_it_ended(status: int) -> str:
    """An exit status in words."""
    if status == STOOD_STILL:
        return "its task stood still"
    if status >= 0:
        return f"exit code {status}"
    try:
        return f"signal {signal.Signals(-status).name}"
    except ValueError:
        return f"signal {-status}"


class Watch:
    """Starts parts in order, and each anew that ends; gives up on one that never settles."""

    def __init__(self, say: Callable[[str], None], tell: Callable[[list[str]], None]) -> None:
        self.parts: list[Part] = []
        self._say, self._tell = say, tell
        self._told: list[str] = []

    def add(self, part: Part) -> None:
        part.begin(time.monotonic())
        self.parts.append(part)

    def look(self, excused: Callable[[], bool] = lambda: False) -> list[Part]:
        """Look after every part once; returns those that were started anew.

        While `excused` says so, as for a full disc, nothing is given up.

        Raises
        ------
        GaveUp
        """
        now = time.monotonic()
        anew = []
        for part in self.parts:
            if part.look(now):
                self._say(f"The {part.name} ended ({part.ended}); it is started anew.")
            if part.process is None and now >= part.again_at:
                if part.tries > MOST_TRIES and not excused():
                    raise GaveUp(
                        f"The {part.name} ended {part.tries} times in a row ({part.ended}); Dovrel stops. "
                        "All that was saved is safe."
                    )
                try:
                    part.begin(now)
                except OSError as error:
                    part.fail(now, str(error))
                    self._say(f"The {part.name} does not start: {error}")
                    continue
                part.told_until = now + TOLD_FOR
                anew.append(part)
        troubles = [part.trouble for part in self.parts if part.trouble]
        if troubles != self._told:
            self._told = troubles
            self._tell(troubles)
        return anew

    def stop(self, patience: float) -> None:
        """Ask every part to end, the first started after all others; kill those that do not in time."""
        for group in (self.parts[1:], self.parts[:1]):
            processes = [part.process for part in reversed(group) if part.process]
            for process in processes:
                process.terminate()
            until = time.monotonic() + patience
            for process in processes:
                try:
                    process.wait(max(0.1, until - time.monotonic()))
                except subprocess.TimeoutExpired:
                    process.kill()
                    process.wait(patience)
        self.parts.clear()
