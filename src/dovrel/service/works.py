"""Work that takes seconds, asked for by one page: how far it is, and that it is no longer wanted."""

from __future__ import annotations

import threading
from collections import OrderedDict

from dovrel.errors import Cancelled

MOST = 64


class Work:
    """One piece of work; :meth:`told` is its progress, and ends it once it is cancelled."""

    def __init__(self) -> None:
        self.part = 0.0
        self.cancelled = False

    def told(self, part: float) -> None:
        self.part = part
        if self.cancelled:
            raise Cancelled

    def stage(self, first: float, last: float):
        """Progress of a stage that goes from one part of the whole to another."""
        return lambda part: self.told(first + (last - first) * part)


class Works:
    """Work under way and just done, by the names that pages gave it. Safe to use from several threads."""

    def __init__(self) -> None:
        self._works: OrderedDict[str, Work] = OrderedDict()
        self._lock = threading.Lock()

    def begin(self, name: str) -> Work:
        work = Work()
        with self._lock:
            if name:
                # Cancelled before it was begun: the two requests went different ways.
                known = self._works.pop(name, None)
                work.cancelled = known is not None and known.cancelled
                self._works[name] = work
            while len(self._works) > MOST:
                self._works.popitem(last=False)
        return work

    def part(self, name: str) -> float:
        """How much is done, 0..1; 0 of what is not begun."""
        with self._lock:
            work = self._works.get(name)
        return work.part if work else 0.0

    def cancel(self, name: str) -> None:
        with self._lock:
            work = self._works.setdefault(name, Work())
        work.cancelled = True
