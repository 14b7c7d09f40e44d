"""A running Dovrel as a client sees it: for benchmarks and tests, wherever it runs."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from pathlib import Path

import httpx
from websockets.sync.client import ClientConnection, connect

from dovrel.machine.secret import Secret

POLL = 0.1
"""Seconds between two looks at what is waited for."""
STILL_SECONDS = 300.0
"""Seconds without a shot more being measured after which something is wrong."""


class Visit:
    """The Dovrel that runs on a data folder at a port of this machine; its secret is the folder's."""

    def __init__(self, data: Path, port: int) -> None:
        self.data, self.port = data, port
        self.secret = Secret(data)

    @property
    def address(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    @property
    def entrance(self) -> str:
        """Where a browser comes in."""
        return self.secret.address(self.address)

    def client(self, timeout: float = 60) -> httpx.Client:
        """A client of the service that is let in."""
        return httpx.Client(base_url=f"{self.address}/api", headers=self.secret.headers, timeout=timeout, verify=False)

    def live(self, path: str = "/api/live") -> ClientConnection:
        """A desk's live channel."""
        address = f"ws://127.0.0.1:{self.port}{path}"
        return connect(address, origin=self.address, additional_headers=self.secret.headers, max_size=2**25)  # type: ignore[arg-type]

    def day(self) -> dict:
        with self.client() as client:
            return client.get("/day").raise_for_status().json()

    def shot(self, name: str) -> dict:
        """A shot of the day by its name."""
        return next(one for one in self.day()["shots"] if one["name"] == name)

    def check_alive(self) -> None:
        """Raise if it ended by itself; it is asked only where the server does not answer."""

    def wait(self, reached: Callable[[], bool], seconds: float) -> None:
        """Until `reached`; a server that does not answer meanwhile is waited for.

        Raises
        ------
        TimeoutError
            If that takes longer.
        """
        until = time.monotonic() + seconds
        while time.monotonic() < until:
            try:
                if reached():
                    return
            except (OSError, httpx.HTTPError, json.JSONDecodeError):
                self.check_alive()
            time.sleep(POLL)
        raise TimeoutError("not reached in time")

    def wait_measured(self) -> None:
        """Until every shot is measured, for as long as the number of those that are not goes down.

        Raises
        ------
        TimeoutError
            If it does not change for :data:`STILL_SECONDS`.
        """
        left = -1

        def changed() -> bool:
            nonlocal left
            before, left = left, sum(one["progress"] not in ("ready", "faulty") for one in self.day()["shots"])
            return left != before

        while left != 0:
            self.wait(changed, STILL_SECONDS)
