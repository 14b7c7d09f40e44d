"""What went wrong, as a sentence for the page, and the status it goes with."""

from __future__ import annotations

import logging
import secrets

from sqlalchemy.exc import DataError, DBAPIError, InterfaceError, OperationalError, TimeoutError

from dovrel.machine.files import NoRoom, says_no_room
from dovrel.media.faults import MediaFault
from dovrel.store.corrections import Overtaken
from dovrel.store.database import AWAY

_log = logging.getLogger(__name__)
DATABASE_AWAY = "the database does not answer; Dovrel is starting it anew, and nothing that was saved is lost"
FULL = "there is no room left on the disc; make room, and what is not saved yet will be"

STATUSES: dict[type[Exception], int] = {
    KeyError: 500,
    IndexError: 500,
    LookupError: 404,
    ValueError: 400,
    MediaFault: 400,
    Overtaken: 409,
    DataError: 422,
    InterfaceError: 503,
    OperationalError: 503,
    TimeoutError: 503,
    NoRoom: 507,
    Exception: 500,
}


_SENTENCES = (ValueError, LookupError, Overtaken)
"""Faults whose first argument is a sentence of Dovrel's own."""
_MISTAKES = (KeyError, IndexError)
"""Of those, faults that only the language raises: a mistake in the program."""


def is_mistake(error: BaseException) -> bool:
    """Whether an error is a mistake of the program, and not of what it was asked."""
    if isinstance(error, _MISTAKES):
        return True
    return not (says_no_room(error) or isinstance(error, (DBAPIError, TimeoutError, *_SENTENCES)))


def is_for_now(error: BaseException) -> bool:
    """Whether the same may go well in a while: the database is away, or the disc is full."""
    return says_no_room(error) or isinstance(error, (*AWAY, TimeoutError))


def said_of(error: BaseException) -> str:
    """One sentence that says what happened and, where it is known, what to do.

    A mistake of the program is logged with its trace under the number that the sentence names.
    """
    if says_no_room(error):
        return str(error) if isinstance(error, NoRoom) else FULL
    if isinstance(error, DataError):
        return "a number or a text of the request is beyond what can be kept"
    if isinstance(error, DBAPIError | TimeoutError):
        return DATABASE_AWAY
    if is_mistake(error):
        number = secrets.token_hex(3)
        _log.error("fault %s", number, exc_info=error)
        return f"this failed by a mistake in Dovrel (fault {number}); nothing saved is lost, and the terminal says more"
    return str(error.args[0]) if error.args else type(error).__name__
