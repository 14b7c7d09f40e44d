"""Who may talk to the server: this machine's own pages, and only with the secret; and how much they may say."""

from __future__ import annotations

import html
import json
from http.cookies import CookieError, SimpleCookie
from urllib.parse import unquote, urlsplit

from starlette.requests import ClientDisconnect
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from dovrel.machine.secret import ENTRANCE, Secret

LOCAL_NAMES = frozenset({"127.0.0.1", "localhost", "[::1]", "::1"})
MAX_BODY = 1 << 20
LARGER_BODIES = {"/api/line-up": 12 << 20, "/api/looks": 64 << 20}
"""Where more may be sent: an edit list of thousands of events."""

POLICY = "; ".join(
    (
        "default-src 'none'",
        "script-src 'self'",
        "style-src 'self' 'unsafe-inline'",
        "font-src 'self'",
        "img-src 'self' blob: data:",
        "connect-src 'self'",
        "base-uri 'none'",
        "form-action 'self'",
        "frame-ancestors 'none'",
    )
)
HEADERS = {
    "content-security-policy": POLICY,
    "x-content-type-options": "nosniff",
    "x-frame-options": "DENY",
    "referrer-policy": "no-referrer",
    "cross-origin-opener-policy": "same-origin",
    "cross-origin-resource-policy": "same-origin",
}
_PAGE = """<!doctype html><html lang="en"><title>Dovrel</title>
<body style="background:#4b4b4b;color:#f4f4f4;font:16px/1.5 sans-serif;max-width:60ch;margin:20vh auto;padding:0 16px">
<h1 style="font-size:20px">Dovrel</h1><p>{sentence}</p></body></html>
"""
NOT_LET_IN = (
    "Dovrel does not know this browser. Open the address that Dovrel printed when it started. "
    "The command ./dovrel address prints it again."
)


class Guard:
    """Refuses whoever is not this machine's own page with the secret; bounds bodies; sets the answers' headers."""

    def __init__(self, app: ASGIApp, secret: Secret, port: int) -> None:
        self.app, self.secret = app, secret
        self.cookie = f"dovrel-{port}"

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] not in ("http", "websocket"):
            await self.app(scope, receive, send)
            return
        headers = {k.decode("latin1").lower(): v.decode("latin1") for k, v in scope["headers"]}
        refusal = _from_elsewhere(headers, live=scope["type"] == "websocket")
        path = scope["path"]
        if scope["type"] == "http":
            send = _with_headers(send)
            if not refusal and path.startswith(ENTRANCE):
                await self._enter(path.removeprefix(ENTRANCE), send)
                return
        if not refusal and not self._is_let_in(headers):
            refusal = (401, NOT_LET_IN)
        if scope["type"] == "websocket":
            if refusal:
                await receive()
                await send({"type": "websocket.close", "code": 4000 + refusal[0], "reason": refusal[1][:120]})
            else:
                await self.app(scope, receive, send)
        elif refusal:
            await _refuse(send, *refusal, as_page=not path.startswith("/api/"))
        else:
            await self._bounded(scope, headers, receive, send)

    def _is_let_in(self, headers: dict[str, str]) -> bool:
        kind, _, said = headers.get("authorization", "").partition(" ")
        if kind.lower() == "bearer":
            return self.secret.is_it(said.strip())
        try:
            kept = SimpleCookie(headers.get("cookie", "")).get(self.cookie)
        except CookieError:
            return False
        return kept is not None and self.secret.is_its_cookie(kept.value)

    async def _enter(self, said: str, send: Send) -> None:
        """Swap the secret for a cookie, and go on to the page."""
        if not self.secret.is_it(unquote(said)):
            await _refuse(send, 401, NOT_LET_IN, as_page=True)
            return
        cookie = f"{self.cookie}={self.secret.cookie}; Path=/; HttpOnly; SameSite=Strict; Max-Age=31536000"
        sent = [(b"location", b"/"), (b"set-cookie", cookie.encode()), (b"cache-control", b"no-store")]
        await send({"type": "http.response.start", "status": 303, "headers": sent})
        await send({"type": "http.response.body", "body": b""})

    async def _bounded(self, scope: Scope, headers: dict[str, str], receive: Receive, send: Send) -> None:
        """Go on with a body that is counted as it arrives."""
        most = LARGER_BODIES.get(scope["path"], MAX_BODY)
        refusal = 413, f"The request is larger than {most >> 20} MB; send less at once."
        length = headers.get("content-length", "0")
        if not length.isdigit() or int(length) > most:
            await _refuse(send, *refusal)
            return
        come, refused = 0, False

        async def counted() -> Message:
            nonlocal come
            message = await receive()
            come += len(message.get("body", b""))
            # The rest is not read: for whoever reads the body, the client is gone.
            return message if come <= most else {"type": "http.disconnect"}

        async def answered(message: Message) -> None:
            nonlocal refused
            if come <= most:
                await send(message)
            elif not refused:
                refused = True
                await _refuse(send, *refusal)

        try:
            await self.app(scope, counted, answered)
        except ClientDisconnect:
            if come <= most:
                raise
        if come > most and not refused:
            await _refuse(send, *refusal)


def _is_local(address: str) -> bool:
    try:
        name = urlsplit(f"//{address}").hostname
    except ValueError:
        return False
    return name in LOCAL_NAMES


def _host_of(origin: str) -> str | None:
    """The host and port of an origin; None if it is none."""
    try:
        return urlsplit(origin).netloc
    except ValueError:
        return None


def _from_elsewhere(headers: dict[str, str], *, live: bool) -> tuple[int, str] | None:
    """Why a request is not one of this server's own pages; None if it may be."""
    host, origin = headers.get("host", ""), headers.get("origin")
    if not _is_local(host):
        return 403, f"Dovrel answers only on this machine, not as '{host[:100]}'."
    if origin is not None and _host_of(origin) != host:
        return 403, f"A page from '{origin[:100]}' may not use Dovrel."
    if headers.get("sec-fetch-site", "none") not in ("same-origin", "none"):
        return 403, "Another site's page may not use Dovrel."
    if live and origin is None:
        return 403, "Dovrel's live channel needs an origin."
    return None


def _with_headers(send: Send) -> Send:
    async def sent(message: Message) -> None:
        if message["type"] == "http.response.start":
            there = {name.lower() for name, _ in message["headers"]}
            more = [(k.encode(), v.encode()) for k, v in HEADERS.items() if k.encode() not in there]
            message = {**message, "headers": [*message["headers"], *more]}
        await send(message)

    return sent


async def _refuse(send: Send, status: int, sentence: str, *, as_page: bool = False) -> None:
    kind, body = "application/json", json.dumps({"detail": sentence})
    if as_page:
        kind, body = "text/html; charset=utf-8", _PAGE.format(sentence=html.escape(sentence))
    start = {"type": "http.response.start", "status": status, "headers": [(b"content-type", kind.encode())]}
    await send(start)
    await send({"type": "http.response.body", "body": body.encode()})
