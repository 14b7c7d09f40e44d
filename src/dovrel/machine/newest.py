"""What was worked out last, kept for the next that asks for the same; shared by threads."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable, Hashable
from typing import Generic, TypeVar

Value = TypeVar("Value")


class Same:
    """A thing as part of a key: equal to itself alone. It is kept with the key, so no other can come to have its identity."""

    def __init__(self, thing: object) -> None:
        self._thing = thing

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Same) and other._thing is self._thing

    def __hash__(self) -> int:
        return id(self._thing)


class Newest(Generic[Value]):
    """The values that were asked for last, `most` of them at most."""

    def __init__(self, most: int) -> None:
        self._most = most
        self._kept: OrderedDict[Hashable, Value] = OrderedDict()
        self._lock = threading.Lock()

    def __contains__(self, key: Hashable) -> bool:
        with self._lock:
            return key in self._kept

    def get(self, key: Hashable) -> Value | None:
        """The value kept under a key; None if there is none."""
        with self._lock:
            if key not in self._kept:
                return None
            self._kept.move_to_end(key)
            return self._kept[key]

    def clear(self) -> None:
        """Keep nothing any more."""
        with self._lock:
            self._kept.clear()

    def keep(self, key: Hashable, value: Value) -> Value:
        """Keep a value in the place of the one that was asked for longest ago; gives it back."""
        with self._lock:
            self._kept[key] = value
            self._kept.move_to_end(key)
            while len(self._kept) > self._most:
                self._kept.popitem(last=False)
        return value


class SecondTime(Generic[Value]):
    """Values that are made when they are asked for a second time, and kept: what is asked for once is not worth making."""

    def __init__(self, most: int) -> None:
        self._made: Newest[Value] = Newest(most)
        self._asked: Newest[bool] = Newest(2 * most)
        self._making = threading.Lock()

    def get(self, key: Hashable, make: Callable[[], Value]) -> Value | None:
        """The value of a key; None the first time."""
        if (known := self._made.get(key)) is not None:
            return known
        if not self._asked.get(key):
            self._asked.keep(key, True)
            return None
        with self._making:
            known = self._made.get(key)
            return self._made.keep(key, make()) if known is None else known
