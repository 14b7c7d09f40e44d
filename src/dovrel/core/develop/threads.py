"""Two halves of a picture on two threads; the kernels release the interpreter lock."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

THREADS = 2
_pool = ThreadPoolExecutor(THREADS, thread_name_prefix="measure")


def in_parts(length: int, work: Callable[[int, int], None]) -> None:
    """Call ``work(first, last)`` on parts of 0..length at the same time; returns when all are done.

    A part that no other thread has begun by then is done here: nobody waits behind somebody
    else's picture.
    """
    edges = [length * part // THREADS for part in range(THREADS + 1)]
    others = [(part, _pool.submit(work, edges[part], edges[part + 1])) for part in range(1, THREADS)]
    work(edges[0], edges[1])
    for part, other in others:
        if other.cancel():
            work(edges[part], edges[part + 1])
        else:
            other.result()


def part_number(first: int, length: int) -> int:
    """Which of the parts of :func:`in_parts` begins at `first`."""
    return -(-first * THREADS // max(length, 1))
