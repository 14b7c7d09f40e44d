"""Waiting for a server that is starting: as long as it gets on, however slow the machine is."""

from __future__ import annotations

import time
from collections.abc import Callable

from dovrel.errors import Refused

STILL_AFTER = 300.0
"""Seconds without any progress after which a start has failed."""
PAUSE = 0.1


def wait_until_ready(
    answers: Callable[[], bool],
    doing: Callable[[], str],
    look: Callable[[], None],
    say: Callable[[str], None],
) -> None:
    """Wait until a server answers.

    Parameters
    ----------
    answers : whether it answers now
    doing : what it does now, as it writes it down; a change is progress
    look : looks after the parts; raises where one ended for good
    say : is reported each new thing that is done

    Raises
    ------
    Refused
        If nothing has changed for :data:`STILL_AFTER` seconds.
    """
    said, moved = "", time.monotonic()
    while True:
        look()
        if answers():
            return
        now, note = time.monotonic(), doing()
        if note != said:
            said, moved = note, now
            if note:
                say(f"Starting: {note}")
        if now - moved > STILL_AFTER:
            at = f" at {said}" if said else ""
            raise Refused(
                f"the server has stood still{at} for {STILL_AFTER / 60:.0f} minutes; stop it and start it again"
            )
        time.sleep(PAUSE)
