"""How workers on one machine share its cores; imports nothing heavy, for the start command asks it."""

import os


def threads_each(workers: int) -> int:
    """Threads for each of so many workers on this machine, so that together they have a core a thread."""
    return max(1, (os.cpu_count() or 1) // workers)
