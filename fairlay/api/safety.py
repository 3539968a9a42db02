"""What stands before every room: how much a request may bring, and headers that keep a page to itself."""

from __future__ import annotations

import json
from contextlib import suppress

from starlette.datastructures import MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from fairlay.store.uploads import MOST_BYTES

MOST_REQUEST_BYTES = MOST_BYTES + 1_000_000
"""The largest file that is kept, and what a browser wraps round it."""
PAGE_POLICY = (
    "default-src 'self'; img-src 'self' data: blob:; style-src 'self' 'unsafe-inline'; object-src 'none'; "
    "base-uri 'none'; frame-ancestors 'none'; form-action 'self'"
)
FILE_POLICY = "default-src 'none'; style-src 'unsafe-inline'; sandbox"
"""For what is served out of a file or made for one: it draws, and runs nothing."""


class Safety:
    """Refuses a request that brings too much before it is read, and puts headers on every answer."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        if _states(scope) > MOST_REQUEST_BYTES:
            await _too_large(send)
            return
        brought, answered, refused = 0, False, False

        async def counted() -> Message:
            nonlocal brought, refused
            message = await receive()
            brought += len(message.get("body", b""))
            if brought > MOST_REQUEST_BYTES:
                refused = True
                raise _TooLarge
            return message

        async def with_headers(message: Message) -> None:
            nonlocal answered
            if refused and not answered:
                return  # what the room made of a request that broke off
            if message["type"] == "http.response.start":
                answered = True
                _put_headers(scope["path"], MutableHeaders(scope=message))
            await send(message)

        with suppress(_TooLarge):
            await self.app(scope, counted, with_headers)
        if refused and not answered:
            await _too_large(send)


class _TooLarge(Exception):
    """More came than a request may bring."""


def _states(scope: Scope) -> int:
    """How many bytes a request says it brings."""
    found = dict(scope["headers"]).get(b"content-length", b"0")
    return int(found) if found.isdigit() else 0


def _put_headers(path: str, headers: MutableHeaders) -> None:
    headers["X-Content-Type-Options"] = "nosniff"
    headers["Referrer-Policy"] = "same-origin"
    headers["Cross-Origin-Opener-Policy"] = headers["Cross-Origin-Resource-Policy"] = "same-origin"
    headers["Permissions-Policy"] = "camera=(self), geolocation=(), microphone=()"
    if headers.get("content-type", "").startswith("application/json") or "set-cookie" in headers:
        headers.setdefault("Cache-Control", "no-store")
    is_file = path.startswith("/api/") and not headers.get("content-type", "").startswith("application/json")
    headers["Content-Security-Policy"] = FILE_POLICY if is_file else PAGE_POLICY


async def _too_large(send: Send) -> None:
    most = MOST_BYTES // 1_000_000
    words = f"the request brings more than {most} MB (expected {most} MB at most; nothing was kept)"
    body = json.dumps({"problem": words, "newer": None}).encode()
    headers = [(b"content-type", b"application/json"), (b"connection", b"close")]
    await send({"type": "http.response.start", "status": 413, "headers": headers})
    await send({"type": "http.response.body", "body": body})
