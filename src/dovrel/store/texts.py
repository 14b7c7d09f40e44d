"""Texts as the database can hold them."""

from __future__ import annotations


def storable(text: str, most: int) -> str:
    """A text without what PostgreSQL cannot hold, cut to so many characters.

    NUL and other control characters become blanks; what is no Unicode, as in the file names of
    an old card, is shown by its bytes.
    """
    whole = text.encode("utf-8", "surrogateescape").decode("utf-8", "backslashreplace")
    clean = "".join(" " if ord(c) < 32 or ord(c) == 127 else c for c in whole)
    return clean if len(clean) <= most else clean[: most - 1] + "…"
