"""Who is signed in: sessions that can be ended, tablets tied to benches, and slowing of those who guess."""

from __future__ import annotations

import datetime
import secrets
from collections.abc import Sequence
from contextlib import nullcontext
from dataclasses import dataclass
from typing import Any, Final

from peewee import InterfaceError, OperationalError

from fairlay.core.errors import NotFound, Refused, TooSoon, Unavailable
from fairlay.store.acting import who
from fairlay.store.clock import now
from fairlay.store.database import connected, database
from fairlay.store.people import Person, hashed
from fairlay.store.people_rows import BenchRow, SessionRow, TryRow
from fairlay.store.tables import PersonRow

DESK_IDLE: Final = datetime.timedelta(days=14)
BENCH_IDLE: Final = datetime.timedelta(hours=10)
"""A session ends by itself where nobody used it for so long."""
LONGEST: Final = datetime.timedelta(days=90)
SEEN_EVERY: Final = datetime.timedelta(minutes=1)
FREE_TRIES: Final = 4
FREE_TRIES_OF_AN_ADDRESS: Final = 20
LONGEST_WAIT_S: Final = 900.0
FORGOTTEN_AFTER: Final = datetime.timedelta(hours=2)
HERE_FOR: Final = datetime.timedelta(seconds=25)


@dataclass(frozen=True)
class Session:
    """Who is signed in; ``bench`` is the bench of a tablet that was signed in at by PIN."""

    token: str
    person: Person
    bench: str


@dataclass(frozen=True)
class Bench:
    """A tablet tied to a bench."""

    id: int
    name: str
    created_at: datetime.datetime
    signed_in: str


@connected
def begin(person_id: int, bench_id: int | None = None) -> str:
    """Sign somebody in; return the token that the cookie keeps. One tablet has one session at a time."""
    token = secrets.token_urlsafe(32)
    if bench_id is not None:
        SessionRow.delete().where(SessionRow.bench == bench_id).execute()
    SessionRow.delete().where(SessionRow.ends_at < now()).execute()
    SessionRow.create(
        token=hashed(token),
        person=person_id,
        bench=bench_id,
        created_at=now(),
        seen_at=now(),
        ends_at=now() + (DESK_IDLE if bench_id is None else BENCH_IDLE),
    )
    return token


LOOK_UP: Final = """SELECT s.token, s.created_at, s.seen_at, s.ends_at, s.bench_id, b.name,
    p.id, p.name, p.role, p.active, p.password <> '', p.pin <> ''
    FROM session s JOIN person p ON p.id = s.person_id LEFT JOIN bench b ON b.id = s.bench_id
    WHERE s.token = %s"""


def of_token(token: str) -> Session | None:
    """Return whose session a token is; None for one that is not known, over, or of a closed account.

    Every call asks this: one statement, no transaction. Raises Unavailable as ``connected`` does.
    """
    row = _look_up(hashed(token))
    at = now()
    if row is None:
        return None
    kept, created, seen, ends, bench_id, bench, person_id, name, role, active, has_password, has_pin = row
    if ends < at or created + LONGEST < at or not active:
        return None
    if seen + SEEN_EVERY < at:
        _seen(kept, at + (DESK_IDLE if bench_id is None else BENCH_IDLE))
    person = Person(person_id, name, role, True, bool(has_password), bool(has_pin))
    return Session(kept, person, bench or "")


def _look_up(token: str) -> Any:
    try:
        with nullcontext() if not database.is_closed() else database.connection_context():
            return database.execute_sql(LOOK_UP, (token,)).fetchone()
    except (OperationalError, InterfaceError) as cause:
        raise Unavailable(
            f"the database did not answer: {cause.args[-1] if cause.args else cause}",
            expected="a running MariaDB; nothing was saved",
        ) from cause


@connected
def _seen(token: str, ends_at: datetime.datetime) -> None:
    SessionRow.update(seen_at=now(), ends_at=ends_at).where(SessionRow.token == token).execute()


@connected
def end(session: str) -> None:
    """End a session, by its hash."""
    SessionRow.delete().where(SessionRow.token == session).execute()


@connected
def end_all(person_id: int) -> int:
    """End every session of somebody, wherever it is; return how many there were."""
    return int(SessionRow.delete().where(SessionRow.person == person_id).execute())


@connected
def tie_bench(name: str) -> str:
    """Tie a tablet to a bench; return the token that it keeps. One that was tied to it before is not any
    more.
    """
    known = " ".join(name.split())
    if not 0 < len(known) <= 64:
        raise Refused("a bench without a name", value=name, expected="a name of 1 to 64 letters")
    token = secrets.token_urlsafe(32)
    BenchRow.delete().where(BenchRow.name == known).execute()
    BenchRow.create(name=known, token=hashed(token), by=who(), created_at=now())
    return token


@connected
def untie_bench(bench_id: int) -> None:
    """Tie a bench's tablet no longer; whoever is signed in at it is not any more. Raises NotFound."""
    if not BenchRow.delete().where(BenchRow.id == bench_id).execute():
        raise NotFound(f"there is no bench {bench_id}", value=bench_id)


@connected
def benches() -> list[Bench]:
    """Return the benches with a tablet, and who is signed in at each."""
    there = {
        row.bench_id: row.person.name
        for row in SessionRow.select(SessionRow, PersonRow)
        .join(PersonRow)
        .where(SessionRow.bench.is_null(False))
    }
    return [
        Bench(row.id, row.name, row.created_at, there.get(row.id, ""))
        for row in BenchRow.select().order_by(BenchRow.name)
    ]


@connected
def bench_of(token: str) -> tuple[int, str] | None:
    """Return the bench that a tablet is tied to: its id and name."""
    row = BenchRow.get_or_none(BenchRow.token == hashed(token))
    return None if row is None else (int(row.id), str(row.name))


def wait_s(failures: int, free: int) -> float:
    """Return how long the next try has to wait: nothing at first, then twice as long each time, to a quarter
    of an hour.
    """
    return 0.0 if failures <= free else min(LONGEST_WAIT_S, 2.0 ** min(20, failures - free))


@connected
def begin_try(address: str, names: Sequence[str]) -> None:
    """Count a try to sign in before it is looked at, for the address and for what is guessed.

    Raises TooSoon, with the seconds to wait, where either failed too often; then it is not looked at.
    """
    at = now()
    TryRow.delete().where(TryRow.last_at < at - FORGOTTEN_AFTER).execute()
    asked = [(f"from {address}"[:160], FREE_TRIES_OF_AN_ADDRESS), *((n[:160], FREE_TRIES) for n in names)]
    for name, free in sorted(asked):
        # Locked first: many at once are counted one after the other.
        TryRow.insert(name=name, failures=0, last_at=at).on_conflict_ignore().execute()
        row = TryRow.select().where(TryRow.name == name).for_update().get()
        left = wait_s(int(row.failures), free) - (at - row.last_at).total_seconds()
        if left > 0:
            raise TooSoon(f"too many tries; wait {left:.0f} s", value=left)
        TryRow.update(failures=TryRow.failures + 1, last_at=at).where(TryRow.name == name).execute()


@connected
def worked(address: str, names: Sequence[str]) -> None:
    """Forget the tries of what was guessed right; the address is one try better off."""
    TryRow.delete().where(TryRow.name.in_([n[:160] for n in names])).execute()
    TryRow.update(failures=TryRow.failures - 1).where(
        TryRow.name == f"from {address}"[:160], TryRow.failures > 0
    ).execute()


@connected
def here(session: str, room: str) -> list[str]:
    """Say that somebody is in a room; return the names of the others who are there."""
    at = now()
    SessionRow.update(room=room[:128], room_at=at).where(SessionRow.token == session).execute()
    me = SessionRow.get_or_none(SessionRow.token == session)
    rows = (
        SessionRow.select(SessionRow, PersonRow)
        .join(PersonRow)
        .where(SessionRow.room == room[:128], SessionRow.room_at > at - HERE_FOR, SessionRow.token != session)
    )
    return sorted({row.person.name for row in rows if me is None or row.person_id != me.person_id})
