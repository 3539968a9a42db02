"""Signing in and out, the shop's people, its benches, and who did what."""

from __future__ import annotations

import datetime
import os
import shutil
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Annotated

from fastapi import APIRouter, Query, Request, Response
from fastapi.responses import FileResponse
from pydantic import BaseModel, Field
from starlette.background import BackgroundTask

from fairlay.api.door import BENCH_COOKIE, COOKIE, cookies_of, is_this_machine
from fairlay.api.may import SAYS, TABLE
from fairlay.core.errors import NotAllowed, NotSignedIn
from fairlay.store import deeds, keeping, moving, people, sessions
from fairlay.store.clock import now
from fairlay.store.copies import Rule, copies_in
from fairlay.store.people import Person, Role
from fairlay.store.sessions import DESK_IDLE, Session

router = APIRouter(prefix="/api", tags=["people"])
BENCH_FOR = datetime.timedelta(days=400)
TOO_OLD = datetime.timedelta(days=3)
"""Copies are made every day; one that is older says that they are not made any more."""
COPIES_VARIABLE = "FAIRLAY_COPIES"

Name = Annotated[str, Field(max_length=200)]
Secret = Annotated[str, Field(max_length=400)]


class PersonOut(BaseModel):
    """Somebody of the shop."""

    id: int
    name: str
    role: Role
    active: bool
    has_password: bool
    has_pin: bool


class Me(BaseModel):
    """Whose page this is: nobody's (``person`` null), a person's, or the demo's. ``may`` are the calls that
    change something or are asked by few, and that this person may make; ``bench`` is the bench that this
    tablet is tied to; ``first`` says that the shop has no owner yet.
    """

    person: PersonOut | None
    demo: bool
    first: bool
    bench: str
    at_bench: bool
    may: list[str]


class SignIn(BaseModel):
    """A name and its password."""

    name: Name
    password: Secret


class SignInAtBench(BaseModel):
    """Who signs in at a bench, and the PIN."""

    person: int
    pin: Secret


class WithCode(BaseModel):
    """A code, the name it was made for (or the first owner's), and the password from now on."""

    code: Name
    name: Name
    password: Secret


class NewPassword(BaseModel):
    """A password of one's own, and the one before."""

    before: Secret
    password: Secret


class NewPerson(BaseModel):
    """An account to be made."""

    name: Name
    role: Role


class ChangedPerson(BaseModel):
    """What somebody is from now on."""

    role: Role
    active: bool


class NewPin(BaseModel):
    """A PIN for the benches; empty takes it away."""

    pin: Secret


class NewBench(BaseModel):
    """The bench that this tablet is tied to."""

    name: Name


class CodeOut(BaseModel):
    """A code, to be told to whoever it is for: it is shown once."""

    code: str


class BenchOut(BaseModel):
    """A bench with a tablet, and who is signed in at it."""

    id: int
    name: str
    created_at: datetime.datetime
    signed_in: str


class BenchName(BaseModel):
    """Somebody who may sign in at a bench."""

    id: int
    name: str


class ThisBench(BaseModel):
    """The bench that a tablet is tied to, and who may sign in at it."""

    bench: str
    names: list[BenchName]


class InRoom(BaseModel):
    """The page that is open."""

    room: Annotated[str, Field(max_length=300)]


class OthersHere(BaseModel):
    """Who else has the page open."""

    names: list[str]


class CopiesOut(BaseModel):
    """The copies that are made by themselves: the newest, how many there are, and whether that is too old."""

    folder: str
    newest: datetime.datetime | None
    count: int
    bytes: int
    too_old: bool


class KeepingIO(BaseModel):
    """Copies are kept of so many days, weeks and months; files that nothing refers to for so many days (0:
    for ever).
    """

    days: int
    weeks: int
    months: int
    files_days: int


class DeedOut(BaseModel):
    """A change: whose, what, of what, and when."""

    id: int
    person: str
    words: str
    subject: str
    subject_id: int | None
    at: datetime.datetime


def _out(p: Person) -> PersonOut:
    return PersonOut.model_validate(p, from_attributes=True)


def _session(request: Request) -> Session | None:
    found: Session | None = request.scope.get("fairlay.session")
    return found


def signed_in(request: Request) -> Session:
    """Return whose request it is. Raises NotSignedIn."""
    found = _session(request)
    if found is None:
        raise NotSignedIn("nobody is signed in", expected="to sign in first; nothing was done")
    return found


def _bench(request: Request) -> tuple[int, str] | None:
    token = cookies_of(dict(request.scope["headers"])).get(BENCH_COOKIE, "")
    return sessions.bench_of(token) if token else None


def _address(request: Request) -> str:
    return request.client.host if request.client else "?"


def _keep(request: Request, response: Response, name: str, token: str, seconds: float) -> None:
    """Give a browser a token that no script can read and no other site's page sends along."""
    here = is_this_machine(request.scope, dict(request.scope["headers"]))
    secure = request.url.scheme == "https"
    if not secure and not here:
        raise NotAllowed(
            "this page came by plain http: a password would be readable on the way",
            expected="https:// (the handbook says how); nobody was signed in",
        )
    response.set_cookie(
        name, token, max_age=int(seconds), httponly=True, secure=secure, samesite="strict", path="/api"
    )


def _tried(request: Request, guessed: str, look: Callable[[], Person]) -> Person:
    """Look at a secret that was given, if it is not too soon for that."""
    address = _address(request)
    sessions.begin_try(address, [guessed])
    found = look()
    sessions.worked(address, [guessed])
    return found


def _sign_in(request: Request, response: Response, who: Person, bench: int | None = None) -> None:
    before = _session(request)
    _keep(request, response, COOKIE, "", 0)
    if before is not None and before.token:
        sessions.end(before.token)
    _keep(request, response, COOKIE, sessions.begin(who.id, bench), DESK_IDLE.total_seconds())


@router.get("/me")
def me(request: Request) -> Me:
    """Who is signed in here, what they may do, and whether somebody can be."""
    session, bench = _session(request), _bench(request)
    at_bench = session is not None and bool(session.bench)
    may: list[str] = []
    if session is not None:
        rows = [r for r in TABLE if session.person.role in r.roles and (r.at_bench or not at_bench)]
        may = sorted(call for r in rows if not r.anyone for call in (*r.asks, *r.changes))
    return Me(
        person=None if session is None else _out(session.person),
        demo=session is not None and not session.token,
        first=session is None and not people.somebody_can_sign_in(),
        bench="" if bench is None else bench[1],
        at_bench=at_bench,
        may=may,
    )


@router.post("/sign-in", status_code=204)
def sign_in(asked: SignIn, request: Request, response: Response) -> None:
    """Sign in by name and password."""
    name = f"name {' '.join(asked.name.split()).casefold()}"
    _sign_in(request, response, _tried(request, name, lambda: people.by_password(asked.name, asked.password)))


@router.get("/sign-in/bench")
def at_this_bench(request: Request) -> ThisBench:
    """The names of those who may sign in at the bench that this tablet is tied to; none at any other."""
    bench = _bench(request)
    if bench is None:
        return ThisBench(bench="", names=[])
    names = [BenchName(id=p.id, name=p.name) for p in people.people() if p.active and p.has_pin]
    return ThisBench(bench=bench[1], names=names)


@router.post("/sign-in/bench", status_code=204)
def sign_in_at_bench(asked: SignInAtBench, request: Request, response: Response) -> None:
    """Sign in at a bench by PIN, in the place of whoever was signed in at it."""
    bench = _bench(request)
    if bench is None:
        raise NotAllowed(
            "this is no bench's tablet", expected="a tablet that an owner tied to a bench, or a password"
        )
    found = _tried(request, f"pin {asked.person}", lambda: people.by_pin(asked.person, asked.pin))
    _sign_in(request, response, found, bench[0])


@router.post("/sign-in/code", status_code=204)
def make_password(asked: WithCode, request: Request, response: Response) -> None:
    """Make the first owner, or a new password, with a code; and sign in."""
    found = _tried(request, "code", lambda: people.use_code(asked.code, asked.name, asked.password))
    _sign_in(request, response, found)


@router.post("/sign-out", status_code=204)
def sign_out(request: Request, response: Response) -> None:
    """Sign out here."""
    session = signed_in(request)
    if session.token:
        sessions.end(session.token)
    response.delete_cookie(COOKIE, path="/api")


@router.post("/sign-out-everywhere", status_code=204)
def sign_out_everywhere(request: Request, response: Response) -> None:
    """Sign out here and wherever else this person is signed in."""
    sessions.end_all(signed_in(request).person.id)
    response.delete_cookie(COOKIE, path="/api")


@router.put("/me/password", status_code=204)
def change_own_password(asked: NewPassword, request: Request, response: Response) -> None:
    """Change one's own password; every other session of this person ends."""
    person = signed_in(request).person
    if person.has_password:
        name = f"name {person.name.casefold()}"
        _tried(request, name, lambda: people.by_password(person.name, asked.before))
    people.set_password(person.id, asked.password)
    _sign_in(request, response, person)


@router.put("/here")
def here(asked: InRoom, request: Request) -> OthersHere:
    """Say which page is open; hear who else has it open."""
    session = signed_in(request)
    return OthersHere(names=sessions.here(session.token, asked.room) if session.token else [])


@router.get("/people")
def all_people() -> list[PersonOut]:
    """Everybody who has, or had, an account."""
    return [_out(p) for p in people.people()]


@router.post("/people", status_code=201)
def add_person(asked: NewPerson) -> PersonOut:
    """Make an account; a code or a PIN lets its person in."""
    return _out(people.add(asked.name, asked.role))


@router.put("/people/{person_id}")
def change_person(person_id: int, asked: ChangedPerson) -> PersonOut:
    """Give somebody another role, close an account, or open it again."""
    return _out(people.change(person_id, asked.role, asked.active))


@router.post("/people/{person_id}/code", status_code=201)
def new_code(person_id: int) -> CodeOut:
    """Make a code with which somebody makes a password, once, within a day."""
    return CodeOut(code=people.make_code(person_id))


@router.put("/people/{person_id}/pin", status_code=204)
def set_pin(person_id: int, asked: NewPin) -> None:
    """Give somebody a PIN for the benches, or take it away."""
    people.set_pin(person_id, asked.pin)


@router.post("/people/{person_id}/sign-out", status_code=204)
def end_sessions(person_id: int) -> None:
    """Sign somebody out everywhere."""
    people.person(person_id)
    sessions.end_all(person_id)


@router.get("/benches")
def all_benches() -> list[BenchOut]:
    """The benches with a tablet."""
    return [BenchOut.model_validate(b, from_attributes=True) for b in sessions.benches()]


@router.post("/benches", status_code=204)
def tie_bench(asked: NewBench, request: Request, response: Response) -> None:
    """Tie the tablet that asks to a bench."""
    _keep(request, response, BENCH_COOKIE, "", 0)
    token = sessions.tie_bench(asked.name)
    _keep(request, response, BENCH_COOKIE, token, BENCH_FOR.total_seconds())


@router.delete("/benches/{bench_id}", status_code=204)
def untie_bench(bench_id: int) -> None:
    """Tie a bench's tablet no longer."""
    sessions.untie_bench(bench_id)


@router.get("/copies")
def all_copies() -> CopiesOut:
    """The copies of everything that are made by themselves, and how old the newest is."""
    folder = os.environ.get(COPIES_VARIABLE, "")
    there = copies_in(Path(folder)) if folder else []
    newest = there[0][0] if there else None
    return CopiesOut(
        folder=folder,
        newest=newest,
        count=len(there),
        bytes=sum(path.stat().st_size for _, path in there),
        too_old=newest is not None and now() - newest > TOO_OLD,
    )


@router.get("/keeping")
def get_keeping() -> KeepingIO:
    """Which copies stay, and how long files that nothing refers to any more."""
    chosen = keeping.keeping()
    rule = chosen.copies
    return KeepingIO(days=rule.days, weeks=rule.weeks, months=rule.months, files_days=chosen.files_days)


@router.put("/keeping", status_code=204)
def put_keeping(asked: KeepingIO) -> None:
    """Choose which copies stay, and how long files that nothing refers to any more."""
    keeping.set_keeping(keeping.Keeping(Rule(asked.days, asked.weeks, asked.months), asked.files_days))


@router.get("/workshop.zip")
def whole_workshop() -> FileResponse:
    """The whole workshop in open formats, to read elsewhere or to bring into another store."""
    folder = Path(tempfile.mkdtemp(prefix="fairlay-"))
    try:
        moving.take_out(folder / "workshop.zip")
    except BaseException:
        shutil.rmtree(folder, ignore_errors=True)
        raise
    name = f"workshop-{now():%Y-%m-%d}.zip"
    after = BackgroundTask(shutil.rmtree, folder, ignore_errors=True)
    return FileResponse(
        folder / "workshop.zip", media_type="application/zip", filename=name, background=after
    )


@router.get("/deeds")
def all_deeds(before: int | None = None) -> list[DeedOut]:
    """Who did what, the newest first; ``before`` goes on from one of them."""
    return [_deed(d) for d in deeds.deeds(before=before)]


@router.get("/deeds/of")
def deeds_of(subject: Annotated[str, Query(max_length=32)], subject_id: int) -> list[DeedOut]:
    """Who did what with one thing, the newest first."""
    return [_deed(d) for d in deeds.deeds(subject=subject, subject_id=subject_id)]


def _deed(d: deeds.Deed) -> DeedOut:
    return DeedOut(
        id=d.id,
        person=d.person,
        words=SAYS.get(d.act, d.act),
        subject=d.subject,
        subject_id=d.subject_id,
        at=d.at,
    )
