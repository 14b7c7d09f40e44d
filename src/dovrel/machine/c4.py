"""C4 identifiers (SMPTE ST 2114)."""

from __future__ import annotations

_DIGITS = "123456789ABCDEFGHJKLMNPQRSTUVWXYZabcdefghijkmnopqrstuvwxyz"


def c4_of(sha512: bytes) -> str:
    """A C4 identifier (SMPTE ST 2114): SHA-512 in base 58."""
    number, digits = int.from_bytes(sha512, "big"), ""
    while number:
        number, digit = divmod(number, 58)
        digits = _DIGITS[digit] + digits
    return "c4" + digits.rjust(88, _DIGITS[0])
