"""Only this machine's own pages may talk to the server: host and origin are checked."""

from __future__ import annotations

import json
from urllib.parse import urlsplit

from starlette.types import ASGIApp, Receive, Scope, Send

LOCAL_NAMES = frozenset({"127.0.0.1", "localhost", "[::1]", "::1"})
MAX_BODY = 1 << 20


def _is_local(address: str) -> bool:
    try:
        name = urlsplit(f"//{address}").hostname
    except ValueError:
        return False
    return name in LOCAL_NAMES


class LocalOnly:
    """Refuses requests, and live channels, whose host or origin is not this machine's own server."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self.app(scope, receive, send)
            return
        headers = {k.decode("latin1").lower(): v.decode("latin1") for k, v in scope["headers"]}
        host = headers.get("host", "")
        origin = headers.get("origin")
        refusal = ""
        if not _is_local(host):
            refusal = f"Dovrel answers only on this machine, not as '{host}'"
        elif origin is not None and urlsplit(origin).netloc != host:
            refusal = f"a page from '{origin}' may not use this server"
        elif scope["type"] == "websocket" and origin is None:
            refusal = "the live channel needs an origin"
        elif int(headers.get("content-length") or 0) > MAX_BODY:
            refusal = "the request is too large"
        if not refusal:
            await self.app(scope, receive, send)
        elif scope["type"] == "websocket":
            await receive()
            await send({"type": "websocket.close", "code": 4403, "reason": refusal[:120]})
        else:
            body = json.dumps({"detail": refusal}).encode()
            await send(
                {
                    "type": "http.response.start",
                    "status": 403,
                    "headers": [(b"content-type", b"application/json")],
                }
            )
            await send({"type": "http.response.body", "body": body})
