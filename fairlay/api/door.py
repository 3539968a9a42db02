"""The door: who a request is from, and whether it comes from a page of ours; nobody else goes on to a room.

The demo, as long as nobody can sign in, is open on this machine alone.
"""

from __future__ import annotations

import ipaddress
import json
import logging
from collections.abc import Mapping
from http.cookies import CookieError, SimpleCookie
from typing import Any, Final

import anyio
from anyio import to_thread
from fastapi import Request
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from fairlay.api.may import BY_CALL, PRACTISED, SAYS, SUBJECTS
from fairlay.core.errors import FairLayError, NotAllowed, NotSignedIn
from fairlay.store import deeds, people, practice, sessions
from fairlay.store.acting import acting_as
from fairlay.store.sessions import Session

COOKIE: Final = "fairlay_session"
BENCH_COOKIE: Final = "fairlay_bench"
OURS: Final = b"fair-lay"
"""A header that only a page of our own can send: a form or a picture on another's page cannot."""
SAFE: Final = ("GET", "HEAD", "OPTIONS")
PUBLIC: Final = frozenset(
    {
        "/api/health",
        "/api/me",
        "/api/sign-in",
        "/api/sign-in/bench",
        "/api/sign-in/code",
    }
)
"""What is answered before anybody signed in."""
LOOK_AGAIN_S: Final = 2.0
"""A stream of someone who is signed out ends within this."""

log = logging.getLogger("fairlay.door")


class Door:
    """Finds whose request it is; refuses what comes from nobody, or from another's page."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or not is_call(scope["path"]):
            await self.app(scope, receive, send)
            return
        headers = dict(scope["headers"])
        changes = scope["method"] not in SAFE
        try:
            if changes and not _from_our_page(headers):
                raise NotAllowed(
                    "this came from another page", expected="a page of Fair Lay; nothing was done"
                )
            session = await to_thread.run_sync(_who, scope, headers)
            scope["fairlay.session"] = session
            if session is None and scope["path"] not in PUBLIC:
                raise NotSignedIn("nobody is signed in", expected="to sign in first; nothing was done")
        except FairLayError as error:
            await _refuse(send, error)
            return
        done = 0

        async def watched(message: Message) -> None:
            nonlocal done
            if message["type"] == "http.response.start":
                done = message["status"]
            await send(message)

        with acting_as(None if session is None else session.person.id):
            if scope["path"].endswith("/events") and session is not None and session.token:
                await self._as_long_as(scope, receive, send)
            else:
                await self.app(scope, receive, watched)
        if changes and 200 <= done < 300:
            await _write_down(scope, session)

    async def _as_long_as(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Send a stream for as long as its session lasts."""
        async with anyio.create_task_group() as both:

            async def serve() -> None:
                await self.app(scope, receive, send)
                both.cancel_scope.cancel()

            both.start_soon(serve)
            while await to_thread.run_sync(_lasts, scope):
                await anyio.sleep(LOOK_AGAIN_S)
            both.cancel_scope.cancel()


def is_call(path: str) -> bool:
    """Whether an address is the rooms' own, and not the page itself, which shows nothing of the shop."""
    return path.startswith("/api/") or path == "/openapi.json"


async def allowed(request: Request) -> None:
    """Hold a call against the table of who may do what. Raises NotAllowed."""
    if not is_call(request.url.path):
        return
    call = request.scope["route"].name
    row, session = BY_CALL.get(call), request.scope.get("fairlay.session")
    if row is None:
        raise NotAllowed(f"{call} is allowed to nobody", expected="a call that the shop's table knows")
    if row.anyone:
        return
    if session is None:
        raise NotSignedIn("nobody is signed in", expected="to sign in first; nothing was done")
    if session.person.role not in row.roles and not await _practises(request, call, session.person.id):
        raise NotAllowed(
            f"{session.person.name} is {_a(session.person.role)}, who may not {row.what}",
            value=call,
            expected=" or ".join(sorted(row.roles)) + "; nothing was done",
        )
    if session.bench and not row.at_bench:
        raise NotAllowed(
            f"this tablet is the bench's: it may not {row.what}",
            value=call,
            expected="to sign in at a desk, by password; nothing was done",
        )


async def _practises(request: Request, call: str, person_id: int) -> bool:
    """Whether a call is about a lay that this person practises on: there anybody has hands."""
    if call not in PRACTISED:
        return False
    lay_id = request.path_params.get("lay_id", "")
    return str(lay_id).isdigit() and await to_thread.run_sync(practice.is_own, int(lay_id), person_id)


def _a(role: str) -> str:
    return f"an {role}" if role[0] in "ao" else f"a {role}"


def cookies_of(headers: Mapping[bytes, bytes]) -> dict[str, str]:
    """Return the cookies that a request brings; none where they cannot be read."""
    try:
        found: SimpleCookie = SimpleCookie(headers.get(b"cookie", b"").decode("latin-1"))
    except CookieError:
        return {}
    return {name: morsel.value for name, morsel in found.items()}


def _who(scope: Scope, headers: Mapping[bytes, bytes]) -> Session | None:
    token = cookies_of(headers).get(COOKIE, "")
    if token:
        found = sessions.of_token(token)
        if found is not None:
            return found
    if is_this_machine(scope, headers):
        owner = people.demo_owner()
        if owner is not None:
            return Session("", owner, "")
    return None


def _lasts(scope: Scope) -> bool:
    try:
        return _who(scope, dict(scope["headers"])) is not None
    except FairLayError:
        return True  # the store is away for a moment: nobody was signed out


def is_this_machine(scope: Scope, headers: Mapping[bytes, bytes]) -> bool:
    """Whether a request comes from this machine itself, under its own name, through nobody."""
    client = scope.get("client")
    host = headers.get(b"host", b"").decode("latin-1").rsplit(":", 1)[0].strip("[]")
    through = any(name in headers for name in (b"forwarded", b"x-forwarded-for", b"x-real-ip", b"via"))
    return client is not None and not through and is_loopback(client[0]) and is_loopback(host)


def is_loopback(host: str) -> bool:
    """Whether an address is this machine's own."""
    if host == "localhost":
        return True
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return False


def _from_our_page(headers: Mapping[bytes, bytes]) -> bool:
    """Whether a change was asked for by a page of ours: it says so in a header that another's page may not
    send, and its origin, where the browser says one, is ours.
    """
    if OURS not in headers:
        return False
    if headers.get(b"sec-fetch-site", b"same-origin") not in (b"same-origin", b"none"):
        return False
    origin = headers.get(b"origin")
    return origin is None or origin.split(b"://", 1)[-1] == headers.get(b"host", b"")


async def _write_down(scope: Scope, session: Session | None) -> None:
    call = getattr(scope.get("route"), "name", "")
    if call not in SAYS:
        return
    params: dict[str, Any] = scope.get("path_params", {})
    name = next((n for n in SUBJECTS if n in params), None)
    subject_id = int(params[name]) if name is not None else None
    try:
        await to_thread.run_sync(
            deeds.note,
            None if session is None else session.person.id,
            call,
            "" if name is None else SUBJECTS[name],
            subject_id,
        )
    except FairLayError:
        log.exception("%s was done, and could not be written down", call)


async def _refuse(send: Send, error: FairLayError) -> None:
    status = 401 if isinstance(error, NotSignedIn) else 403 if isinstance(error, NotAllowed) else 503
    body = json.dumps({"problem": str(error), "newer": None}).encode()
    headers = [(b"content-type", b"application/json"), (b"cache-control", b"no-store")]
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": body})
