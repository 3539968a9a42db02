"""The shop's people: their names, roles, passwords and PINs. Secrets are kept as argon2 hashes only."""

from __future__ import annotations

import datetime
import hashlib
import secrets
from dataclasses import dataclass
from functools import cache
from typing import Final, Literal, cast, get_args

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

from fairlay.core.errors import NotFound, NotSignedIn, Refused
from fairlay.store.clock import now
from fairlay.store.database import connected
from fairlay.store.locks import ACCOUNTS, lock_named
from fairlay.store.people_rows import CodeRow, SessionRow
from fairlay.store.tables import PersonRow

Role = Literal["owner", "planner", "cutter", "apprentice"]
ROLES: Final[tuple[Role, ...]] = get_args(Role)
LEAST_PASSWORD, MOST_PASSWORD = 10, 200
LEAST_PIN, MOST_PIN = 4, 8
FIRST_CODE_HOURS: Final = 24 * 7
NEW_CODE_HOURS: Final = 24
DEMO_OWNER: Final = "Demo owner"
WRONG_NAME = "the name or the password is not right"

_hasher = PasswordHasher()


@dataclass(frozen=True)
class Person:
    """Somebody of the shop; ``active`` is False once the account is closed."""

    id: int
    name: str
    role: Role
    active: bool
    has_password: bool
    has_pin: bool


def person_of(row: PersonRow) -> Person:
    """Return the person of a row."""
    return Person(row.id, row.name, cast(Role, row.role), bool(row.active), bool(row.password), bool(row.pin))


def hashed(token: str) -> str:
    """Return how a token of 32 random bytes is kept: whoever reads the store cannot use it."""
    return hashlib.sha256(token.encode()).hexdigest()


@cache
def _nobodys() -> str:
    """What a password is held against where there is no such name, so that it takes as long."""
    return _hasher.hash(secrets.token_hex(16))


def matches(kept: str, given: str) -> bool:
    """Whether a secret is the one that is kept, in the same time whether one is kept or not."""
    try:
        return _hasher.verify(kept or _nobodys(), given) and bool(kept)
    except (VerificationError, InvalidHashError):
        return False


@connected
def people() -> list[Person]:
    """Return everybody, the active first, by name."""
    return [person_of(row) for row in PersonRow.select().order_by(PersonRow.active.desc(), PersonRow.name)]


@connected
def names_of_people() -> dict[int | None, str]:
    """Return everybody's name, by id."""
    return {row.id: row.name for row in PersonRow.select(PersonRow.id, PersonRow.name)}


@connected
def person(person_id: int) -> Person:
    """Return somebody. Raises NotFound."""
    return person_of(_row(person_id))


def _row(person_id: int) -> PersonRow:
    row = PersonRow.get_or_none(PersonRow.id == person_id)
    if row is None:
        raise NotFound(f"there is no person {person_id}", value=person_id)
    return row


def _name(name: str) -> str:
    found = " ".join(name.split())
    if not 0 < len(found) <= 64 or not found.isprintable():
        raise Refused(f"a name {found[:20]!r}", value=name, expected="a name of 1 to 64 letters")
    return found


def _password(password: str) -> str:
    if not LEAST_PASSWORD <= len(password) <= MOST_PASSWORD:
        raise Refused(
            f"a password of {len(password)} letters",
            value=len(password),
            expected=f"{LEAST_PASSWORD} to {MOST_PASSWORD}; nothing was changed",
        )
    return _hasher.hash(password)


def _pin(pin: str) -> str:
    if not (pin.isascii() and pin.isdigit() and LEAST_PIN <= len(pin) <= MOST_PIN and len(set(pin)) > 1):
        raise Refused(
            "this cannot be a PIN",
            value=len(pin),
            expected=f"{LEAST_PIN} to {MOST_PIN} digits, not all the same; nothing was changed",
        )
    return _hasher.hash(pin)


def _role(role: str) -> str:
    if role not in ROLES:
        raise Refused(f"a role {role!r}", value=role, expected="one of " + ", ".join(ROLES))
    return role


@connected
def add(name: str, role: str, password: str = "", pin: str = "") -> Person:
    """Make an account. Raises Refused for a name that somebody has, or a secret that is too short."""
    known = _name(name)
    if PersonRow.select().where(PersonRow.name == known).exists():
        raise Refused(
            f"somebody is called {known} already",
            value=known,
            expected="a name of their own; nothing was made",
        )
    row = PersonRow.create(
        name=known,
        role=_role(role),
        password=_password(password) if password else "",
        pin=_pin(pin) if pin else "",
        created_at=now(),
    )
    return person_of(row)


@connected
def change(person_id: int, role: str, active: bool) -> Person:
    """Give somebody another role, or close or open the account; every session of a closed one ends.

    Raises Refused where no owner would be left who can sign in.
    """
    lock_named(ACCOUNTS)
    row = _row(person_id)
    others = PersonRow.select().where(
        PersonRow.role == "owner", PersonRow.active, PersonRow.password != "", PersonRow.id != person_id
    )
    if row.role == "owner" and row.active and (role != "owner" or not active) and not others.exists():
        raise Refused(
            f"{row.name} is the only owner who can sign in",
            value=person_id,
            expected="another owner first; nothing was changed",
        )
    PersonRow.update(role=_role(role), active=active).where(PersonRow.id == person_id).execute()
    if not active:
        SessionRow.delete().where(SessionRow.person == person_id).execute()
    return person(person_id)


@connected
def set_pin(person_id: int, pin: str) -> None:
    """Give somebody a PIN for the benches; an empty one takes it away."""
    _row(person_id)
    PersonRow.update(pin=_pin(pin) if pin else "").where(PersonRow.id == person_id).execute()


@connected
def set_password(person_id: int, password: str) -> None:
    """Give somebody a password; every session they have ends, and every code to make one."""
    _row(person_id)
    PersonRow.update(password=_password(password)).where(PersonRow.id == person_id).execute()
    SessionRow.delete().where(SessionRow.person == person_id).execute()
    CodeRow.delete().where(CodeRow.person == person_id).execute()


def by_password(name: str, password: str) -> Person:
    """Return who has a name and password.

    Raises NotSignedIn, in the same words and time whether there is such a name or not.
    """
    row = connected(lambda: PersonRow.get_or_none(PersonRow.name == " ".join(name.split())))()
    right = matches("" if row is None else row.password, password[: MOST_PASSWORD + 1])
    if row is None or not right or not row.active:
        raise NotSignedIn(WRONG_NAME, expected="a name and its password")
    return person_of(row)


def by_pin(person_id: int, pin: str) -> Person:
    """Return who has a PIN. Raises NotSignedIn."""
    row = connected(lambda: PersonRow.get_or_none(PersonRow.id == person_id))()
    right = matches("" if row is None else row.pin, pin[: MOST_PIN + 1])
    if row is None or not right or not row.active:
        raise NotSignedIn("the PIN is not right", expected="the name's own PIN")
    return person_of(row)


@connected
def somebody_can_sign_in() -> bool:
    """Whether an owner with a password is there; until then the first one is to be made."""
    owners = PersonRow.select().where(PersonRow.role == "owner", PersonRow.active, PersonRow.password != "")
    return bool(owners.exists())


@connected
def make_code(person_id: int | None) -> str:
    """Return a code with which somebody makes a password of their own, once; None: the first owner.

    An earlier one of the same person is of no use any more.
    """
    code = "-".join(secrets.token_hex(2) for _ in range(5))
    if person_id is None:
        if somebody_can_sign_in():
            raise Refused("the shop has an owner", expected="a code for somebody who is known")
        CodeRow.delete().where(CodeRow.person.is_null()).execute()
    else:
        _row(person_id)
        CodeRow.delete().where(CodeRow.person == person_id).execute()
    hours = FIRST_CODE_HOURS if person_id is None else NEW_CODE_HOURS
    CodeRow.create(token=hashed(code), person=person_id, ends_at=now() + datetime.timedelta(hours=hours))
    return code


@connected
def use_code(code: str, name: str, password: str) -> Person:
    """Make the first owner, or a new password of somebody, with a code; it is of no use afterwards.

    Raises NotSignedIn for a code that is not known, used or too old, or another's name.
    """
    lock_named(ACCOUNTS)
    row = CodeRow.get_or_none(CodeRow.token == hashed(code.strip().lower()))
    wrong = NotSignedIn(
        "this code is not right, was used, or is too old", expected="a code that was made for this name"
    )
    if row is None or row.ends_at < now():
        raise wrong
    if row.person_id is None:
        if somebody_can_sign_in():
            raise wrong
        found = add(name, "owner", password)
    else:
        known = _row(row.person_id)
        if known.name.casefold() != _name(name).casefold() or not known.active:
            raise wrong
        set_password(known.id, password)
        found = person(known.id)
    CodeRow.delete().where(CodeRow.token == row.token).execute()
    return found


@connected
def demo_owner() -> Person | None:
    """Return the owner whom the demo is signed in as, as long as nobody else can sign in."""
    if somebody_can_sign_in():
        return None
    row = PersonRow.get_or_none(PersonRow.name == DEMO_OWNER, PersonRow.role == "owner", PersonRow.active)
    return None if row is None else person_of(row)
