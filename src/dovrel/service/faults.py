"""What went wrong, as a sentence for the page, and the status it goes with."""

from __future__ import annotations

from sqlalchemy.exc import DataError, DBAPIError, InterfaceError, OperationalError, TimeoutError

from dovrel.machine.files import NoRoom, says_no_room
from dovrel.media.faults import MediaFault
from dovrel.store.corrections import Overtaken
from dovrel.store.database import AWAY

DATABASE_AWAY = "the database does not answer; Dovrel is starting it anew, and nothing that was saved is lost"
FULL = "there is no room left on the disc; make room, and what is not saved yet will be"

STATUSES: dict[type[Exception], int] = {
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


def is_for_now(error: BaseException) -> bool:
    """Whether the same may go well in a while: the database is away, or the disc is full."""
    return says_no_room(error) or isinstance(error, (*AWAY, TimeoutError))


def said_of(error: BaseException) -> str:
    """One sentence that says what happened and, where it is known, what to do."""
    if says_no_room(error):
        return str(error) if isinstance(error, NoRoom) else FULL
    if isinstance(error, DataError):
        return "a number or a text of the request is beyond what can be kept"
    if isinstance(error, DBAPIError | TimeoutError):
        return DATABASE_AWAY
    if isinstance(error, ValueError | LookupError | Overtaken) and error.args:
        return str(error.args[0])
    return f"this failed in a way that was not foreseen ({type(error).__name__}); the terminal says more"
