"""The server as a process of its own, set up from the environment."""

import contextlib
import os
import sys
from pathlib import Path

import uvicorn

from dovrel.machine.logs import log_to
from dovrel.service.app import create_app
from dovrel.service.settings import Settings

GRACE = 5
"""Seconds that requests under way are given when the server is asked to end."""
NOT_STARTED = 3
"""Exit code of a server that could not begin to answer."""
MAX_FRAME = 1 << 20
"""Bytes of a live message that are read at all; what is longer than a request may be is answered, not cut off."""


def settings() -> Settings:
    page = Path(os.environ.get("DOVREL_PAGE", ""))
    return Settings(
        database=os.environ["DOVREL_DATABASE"],
        data=Path(os.environ["DOVREL_DATA"]),
        folders=tuple(Path(p) for p in os.environ.get("DOVREL_MEDIA", "").split(os.pathsep) if p),
        page=page if (page / "index.html").is_file() else None,
        port=int(os.environ["DOVREL_PORT"]),
    )


def server(with_what: Settings) -> uvicorn.Server:
    """The server that answers for one data folder, on loopback; not started yet."""
    config = uvicorn.Config(
        create_app(with_what),
        host="127.0.0.1",
        port=with_what.port,
        log_level="warning",
        ws_max_size=MAX_FRAME,
        ws_per_message_deflate=False,
        server_header=False,
        timeout_graceful_shutdown=GRACE,
    )
    return uvicorn.Server(config)


def main() -> None:
    given = settings()
    log_to(given.data, "server")
    running = server(given)
    with contextlib.suppress(KeyboardInterrupt):
        running.run()
    if not running.started:
        sys.exit(NOT_STARTED)


if __name__ == "__main__":
    main()
