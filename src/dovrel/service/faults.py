"""What went wrong, as a sentence for the page, and the status it goes with."""

from __future__ import annotations

from sqlalchemy.exc import DataError, DBAPIError, InterfaceError, OperationalError, TimeoutError

from dovrel.errors import Cancelled, InConflict, NoRoom, NotFound, Refused
from dovrel.machine.files import says_no_room
from dovrel.machine.logs import report_mistake
from dovrel.store.database import AWAY

DATABASE_AWAY = "the database does not answer; Dovrel is starting it anew, and nothing that was saved is lost"
FULL = "there is no room left on the disc; make room, and what is not saved yet will be"

STATUSES: dict[type[Exception], int] = {
    NotFound: 404,
    InConflict: 409,
    Refused: 400,
    Cancelled: 400,
    DataError: 422,
    InterfaceError: 503,
    OperationalError: 503,
    TimeoutError: 503,
    NoRoom: 507,
    ValueError: 500,
    LookupError: 500,
    Exception: 500,
}
"""Of errors that are neither ours, the database's nor the disc's, the user sees a number: they are mistakes of the program."""


def is_mistake(error: BaseException) -> bool:
    """Whether an error is a mistake of the program, and not of what it was asked."""
    return not (says_no_room(error) or isinstance(error, (DBAPIError, TimeoutError, Refused, Cancelled)))


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
        return report_mistake(error)
    return str(error.args[0]) if error.args else type(error).__name__
