"""Files that are there whole or not at all, for their owner only, and what a full disc is called."""

from __future__ import annotations

import contextlib
import errno
import os
import secrets
import shutil
from collections.abc import Iterator
from pathlib import Path

from dovrel.errors import NoRoom

PARTIAL = ".partial"
"""In the name of everything that is not finished; swept away when nobody can be writing it."""
_NO_ROOM = (errno.ENOSPC, errno.EDQUOT)


def says_no_room(error: BaseException) -> bool:
    """Whether a fault, or what caused it, is a full disc."""
    seen: BaseException | None = error
    while seen is not None:
        if getattr(seen, "errno", None) in _NO_ROOM or getattr(seen, "sqlstate", None) == "53100":
            return True
        seen = seen.__cause__ or seen.__context__
    return False


@contextlib.contextmanager
def room_told(path: Path | str) -> Iterator[None]:
    """A full disc, however it is said within, is reported as :class:`NoRoom`."""
    try:
        yield
    except NoRoom:
        raise
    except Exception as error:
        if says_no_room(error):
            raise NoRoom(path) from error
        raise


@contextlib.contextmanager
def written_aside(target: Path) -> Iterator[Path]:
    """A path to write to, which becomes `target` if all goes well and is gone if not.

    The path has `target`'s suffix and lies beside it. What was at `target` stays until the new file is whole.

    Raises
    ------
    NoRoom
        If the disc is full.
    """
    target = Path(target)
    aside = target.with_name(f".{secrets.token_hex(8)}{PARTIAL}{target.suffix}")
    try:
        with room_told(target):
            yield aside
            with aside.open("rb+") as file:
                os.fsync(file.fileno())
            aside.replace(target)
    finally:
        aside.unlink(missing_ok=True)


@contextlib.contextmanager
def _filled_aside(within: Path, target: Path) -> Iterator[Path]:
    """A new folder, gone at the end unless it was moved away; a full disc is reported of `target`."""
    aside = within / f".{secrets.token_hex(8)}{PARTIAL}"
    try:
        with room_told(target):
            aside.mkdir(parents=True)
            yield aside
    finally:
        shutil.rmtree(aside, ignore_errors=True)


@contextlib.contextmanager
def folder_aside(target: Path) -> Iterator[Path]:
    """A folder to fill, which becomes `target` if all goes well and is gone if not.

    Raises
    ------
    NoRoom
        If the disc is full.
    """
    target = Path(target)
    with _filled_aside(target.parent, target) as aside:
        yield aside
        aside.replace(target)


@contextlib.contextmanager
def files_aside(folder: Path) -> Iterator[Path]:
    """A folder to fill, whose files come into `folder` if all goes well, in the place of those called so, and are gone if not.

    Raises
    ------
    NoRoom
        If the disc is full.
    """
    folder = Path(folder)
    with _filled_aside(folder, folder) as aside:
        yield aside
        for path in sorted(aside.iterdir()):
            path.replace(folder / path.name)


def write_private(target: Path, text: str) -> None:
    """Write a text that only its owner may read, whole or not at all."""
    with written_aside(target) as aside:
        aside.touch(mode=0o600)
        aside.write_text(text)


def sweep(folder: Path) -> int:
    """Take away what writers that were killed left below `folder`; how many things that were."""
    left = [path for path in Path(folder).rglob(f"*{PARTIAL}*") if PARTIAL in path.suffixes]
    for path in left:
        if path.is_dir() and not path.is_symlink():
            shutil.rmtree(path, ignore_errors=True)
        else:
            with contextlib.suppress(OSError):
                path.unlink(missing_ok=True)
    return len(left)
