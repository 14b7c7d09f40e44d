"""Texts as the database can hold them."""

from __future__ import annotations

import unicodedata

_BREAKS = ("Cc", "Zl", "Zp")
"""Unicode's categories of control characters and of what ends a line or a paragraph."""


def one_line(text: str) -> str:
    """A text with a blank for every character that would end a line or is none."""
    return "".join(" " if unicodedata.category(c) in _BREAKS else c for c in text)


def storable(text: str, most: int) -> str:
    """A text without what PostgreSQL cannot hold, cut to so many characters.

    NUL, line ends and other control characters become blanks; what is no Unicode, as in the file names of
    an old card, is shown by its bytes.
    """
    whole = text.encode("utf-8", "surrogateescape").decode("utf-8", "backslashreplace")
    clean = one_line(whole)
    return clean if len(clean) <= most else clean[: most - 1] + "…"
