"""The secret that lets a browser, or a script, in: kept in the data folder, read by its owner alone."""

from __future__ import annotations

import hashlib
import hmac
import secrets
from pathlib import Path

from dovrel.machine.files import write_private

NAME = "secret"
ENTRANCE = "/enter/"
"""The path that swaps the secret behind it for a cookie."""


class Secret:
    """The secret of one data folder; made when first asked for, and lasting until it is renewed."""

    def __init__(self, data: Path) -> None:
        self.path = Path(data) / NAME
        self._read: tuple[tuple[int, int], str] | None = None

    @property
    def value(self) -> str:
        """The secret as it is in the folder now."""
        try:
            stat = self.path.stat()
        except FileNotFoundError:
            return self.renew()
        stamp = (stat.st_ino, stat.st_mtime_ns)
        if self._read is None or self._read[0] != stamp:
            self._read = stamp, self.path.read_text().strip()
        return self._read[1]

    def renew(self) -> str:
        """Make a new secret; who came in by the old one is out."""
        value = secrets.token_urlsafe(24)
        write_private(self.path, value + "\n")
        return value

    @property
    def cookie(self) -> str:
        """What a browser keeps in the secret's place: the secret cannot be told from it."""
        return hmac.new(self.value.encode(), b"cookie", hashlib.sha256).hexdigest()

    def is_it(self, said: str) -> bool:
        return hmac.compare_digest(said.encode(), self.value.encode())

    def is_its_cookie(self, said: str) -> bool:
        return hmac.compare_digest(said.encode(), self.cookie.encode())

    @property
    def headers(self) -> dict[str, str]:
        """What a script sends to be let in."""
        return {"Authorization": f"Bearer {self.value}"}

    def address(self, server: str) -> str:
        """Where a browser comes in, `server` being the server's address without a path."""
        return f"{server}{ENTRANCE}{self.value}"
