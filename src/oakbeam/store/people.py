"""People: who may sign in, their roles, their sessions, and how often somebody tried.

Passwords are kept as argon2id hashes, sessions as hashes of their tokens. Nothing here knows of the web.
"""

from __future__ import annotations

import hashlib
import json
import re
import secrets
import sqlite3
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from datetime import UTC, datetime, timedelta
from typing import Literal, get_args

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

from oakbeam.core.errors import Refusal, one_of, within
from oakbeam.store import passwords, settings
from oakbeam.store.database import Conflict, NotFound, Store, audit, now

Role = Literal["technologist", "keeper", "physicist", "trainee", "admin"]
ROLES: tuple[Role, ...] = get_args(Role)
LEAST_PASSWORD, MOST_PASSWORD = 10, 200
SETUP_CODE = "setup code"
CODE_LETTERS = "abcdefghjkmnpqrstuvwxyz23456789"
"""Letters and digits that are not taken for one another."""
CODE_PARTS, CODE_PART = 4, 5
GENERATED_BYTES = 12
"""Of randomness in a generated password."""
SESSION_HOURS = 12
"""A session ends after a shift, however busy it was."""
FREE_ATTEMPTS = 5
"""So many wrong passwords in a row cost nothing; then each one more doubles the wait."""
FIRST_WAIT_S, MOST_WAIT_S = 30, 900
ADDRESS_ATTEMPTS = 30
"""Wrong passwords from one address within MOST_WAIT_S, whoever was named."""
KEPT_DAYS = 90
"""How long attempts to sign in are kept."""
# Second of the parameter sets that RFC 9106 names, less memory: a shared console must not wait for half a second.
_HASHER = PasswordHasher(time_cost=2, memory_cost=19_456, parallelism=1)
_NOBODY = _HASHER.hash(secrets.token_hex(8))
"""What a password is checked against where nobody has the name: it takes as long."""


@dataclass(frozen=True, slots=True)
class Person:
    """Somebody who may sign in. id: the short name they type and that audit rows carry. must_change: their password was
    generated, and they have to set their own before anything is kept in their name."""

    id: str
    name: str
    roles: tuple[Role, ...]
    active: bool = True
    created_at: str = ""
    revision: int = 1
    must_change: bool = False


@dataclass(frozen=True, slots=True)
class Session:
    """A session in use: who, the token that guards against forged requests, and when it ends if nothing happens. by_proxy:
    a proxy vouched for the person, and has to name them with every request."""

    person: Person
    csrf: str
    seen_at: str
    idle_minutes: int
    by_proxy: bool = False


class TooManyAttempts(Refusal):
    """Signing in has to wait. wait_s: how long [s]."""

    def __init__(self, wait_s: int) -> None:
        super().__init__("Too many attempts", f"Wait {wait_s} seconds, then try again.", {"min": float(wait_s), "unit": "s"})
        self.wait_s = wait_s


class WrongPassword(Refusal):
    """Name and password do not belong together; which of the two is wrong is not told."""

    def __init__(self) -> None:
        super().__init__("Not signed in", "Name and password do not belong together.", None, "password")


class WrongSetupCode(Refusal):
    """The code is not that of the file on the server."""

    def __init__(self) -> None:
        super().__init__("Not the code", "This is not the code in the file on the server.", None, "code")


def everybody(store: Store) -> list[Person]:
    """All people, by id."""
    return [_person(row) for row in store.db.execute("SELECT * FROM person ORDER BY id")]


def get(store: Store, person_id: str) -> Person:
    """The person of that id; NotFound otherwise."""
    row = store.db.execute("SELECT * FROM person WHERE id = ?", (person_id,)).fetchone()
    if row is None:
        raise NotFound(f"There is nobody '{person_id[:40]}'.")
    return _person(row)


def add(
    store: Store, person_id: str, name: str, roles: Sequence[Role], password: str, actor: str, must_change: bool = False
) -> Person:
    """Add a person; Conflict where the id is taken."""
    _check(person_id, name, roles, password)
    with store.change() as db:
        if db.execute("SELECT 1 FROM person WHERE id = ?", (person_id,)).fetchone():
            raise Conflict("Name in use", f"'{person_id}' is taken.")
        _insert(db, person_id, name, roles, password, actor, must_change)
    return get(store, person_id)


def _insert(
    db: sqlite3.Connection,
    person_id: str,
    name: str,
    roles: Sequence[Role],
    password: str,
    actor: str,
    must_change: bool = False,
) -> None:
    db.execute(
        "INSERT INTO person (id, name, roles, password_hash, created_at, must_change)"
        " VALUES (:id, :name, :roles, :hash, :at, :must_change)",
        {
            "id": person_id,
            "name": name,
            "roles": json.dumps(roles),
            "hash": _HASHER.hash(password),
            "at": now(),
            "must_change": must_change,
        },
    )
    audit(db, actor, "person.add", f"person:{person_id}", {"name": name, "roles": list(roles)})


RECORDS_AS: tuple[Role, ...] = ("trainee", "physicist", "keeper", "technologist")
"""As what somebody of several roles records an exposure: the first they have."""


def role_of(store: Store, person_id: str) -> Role | Literal[""]:
    """As what a person records an exposure; "" for what is no person here, an import say."""
    row = store.db.execute("SELECT roles FROM person WHERE id = ?", (person_id,)).fetchone()
    roles = json.loads(row["roles"]) if row else ()
    return next((role for role in RECORDS_AS if role in roles), "")


def nobody_yet(store: Store) -> bool:
    """Nobody may sign in: the department is still to be set up."""
    return store.db.execute("SELECT 1 FROM person LIMIT 1").fetchone() is None


def new_setup_code(store: Store) -> str | None:
    """A code for whoever sets the department up, in the place of an earlier one; None where somebody may sign in already."""
    if not nobody_yet(store):
        return None
    parts = ("".join(secrets.choice(CODE_LETTERS) for _ in range(CODE_PART)) for _ in range(CODE_PARTS))
    code = "-".join(parts)
    settings.save(store, SETUP_CODE, _HASHER.hash(_plain(code)), "first start")
    return code


def add_first(
    store: Store, code: str, person_id: str, name: str, roles: Sequence[Role], password: str, address: str
) -> Person:
    """The first person, an admin, by the setup code. Conflict where somebody may sign in already; WrongSetupCode and
    TooManyAttempts, both counted, for a wrong one."""
    _check(person_id, name, roles, password)
    if "admin" not in roles:
        raise Refusal("An admin first", "The first person looks after the others: an admin.", ["admin"], "roles")
    attempt = _count_attempt(store, SETUP_CODE, address)
    try:
        _HASHER.verify(settings.read(store, SETUP_CODE) or _NOBODY, _plain(code))
    except (VerificationError, InvalidHashError):
        raise WrongSetupCode from None
    with store.change() as db:
        if not nobody_yet(store):
            raise Conflict("Set up already", "Somebody may sign in already: they add the others.")
        _insert(db, person_id, name, roles, password, "first start")
        db.execute("DELETE FROM setting WHERE key = ?", (SETUP_CODE,))
        db.execute("UPDATE sign_in SET passed = 1 WHERE id = ?", (attempt,))
    return get(store, person_id)


def _plain(code: str) -> str:
    """A code as it is compared: dashes, blanks and case are how people write it."""
    return re.sub(r"[\s-]", "", code).lower()[:MOST_PASSWORD]


def reset(store: Store, person_id: str, actor: str) -> str:
    """A generated password in the place of a person's, which they must change; it is returned once and kept nowhere."""
    person, password = get(store, person_id), secrets.token_urlsafe(GENERATED_BYTES)
    change(store, person_id, actor, person.name, person.roles, person.active, password, must_change=True)
    return password


def unlock(store: Store, person_id: str, actor: str) -> None:
    """Forget a person's wrong passwords, so that they need not wait."""
    get(store, person_id)
    with store.change() as db:
        gone = db.execute("DELETE FROM sign_in WHERE person = ? AND passed = 0", (person_id,)).rowcount
        audit(db, actor, "person.unlock", f"person:{person_id}", {"attempts": gone})


def change(
    store: Store,
    person_id: str,
    actor: str,
    name: str,
    roles: Sequence[Role],
    active: bool,
    password: str | None = None,
    expected: int | None = None,
    must_change: bool = False,
) -> Person:
    """Change a person; their sessions end where roles, password or leave to sign in changed. One admin always stays."""
    before = get(store, person_id)
    _check(person_id, name, roles, password)
    with store.change() as db:
        if expected is not None and before.revision != expected:
            raise Conflict("Changed meanwhile", f"{person_id} is at revision {before.revision}, not {expected}: read again.")
        db.execute(
            "UPDATE person SET name = :name, roles = :roles, active = :active, revision = revision + 1 WHERE id = :id",
            {"name": name, "roles": json.dumps(roles), "active": active, "id": person_id},
        )
        if password is not None:
            db.execute(
                "UPDATE person SET password_hash = ?, must_change = ? WHERE id = ?",
                (_HASHER.hash(password), must_change, person_id),
            )
        left = [_person(row) for row in db.execute("SELECT * FROM person WHERE active = 1")]
        if not any("admin" in person.roles for person in left):
            raise Conflict("The last admin", "Somebody has to look after the people: make another admin first.")
        if password is not None or not active or set(roles) != set(before.roles):
            db.execute("DELETE FROM session WHERE person = ?", (person_id,))
        detail = {"name": name, "roles": list(roles), "active": active, "password_changed": password is not None}
        audit(db, actor, "person.change", f"person:{person_id}", detail)
    return get(store, person_id)


def sign_in(store: Store, person_id: str, password: str, address: str) -> tuple[str, Session]:
    """A new session's token, and the session. Raises WrongPassword or TooManyAttempts; both are counted.

    The token is new at each sign-in, so that one planted before it is worth nothing. The attempt is counted as failed before
    the password is looked at, so that many at once do not slip past the count.
    """
    attempt = _count_attempt(store, person_id, address)
    row = store.db.execute("SELECT * FROM person WHERE id = ? AND active = 1", (person_id,)).fetchone()
    try:
        _HASHER.verify(row["password_hash"] if row else _NOBODY, password[:MOST_PASSWORD])
        passed = row is not None
    except (VerificationError, InvalidHashError):
        passed = False
    if not passed:
        raise WrongPassword
    with store.change() as db:
        db.execute("UPDATE sign_in SET passed = 1 WHERE id = ?", (attempt,))
    return _opened(store, person_id)


def sign_in_known(store: Store, person_id: str, address: str) -> tuple[str, Session]:
    """A new session for somebody whom another system vouches for. A generated password that was never changed ends with it:
    whoever signs in so needs none, and who made it shall not have it."""
    person = get(store, person_id)
    with store.change() as db:
        db.execute("INSERT INTO sign_in (at, person, address, passed) VALUES (?, ?, ?, 1)", (now(), person.id, address[:60]))
        if person.must_change:
            ended = _HASHER.hash(secrets.token_urlsafe(32))
            db.execute("UPDATE person SET password_hash = ?, must_change = 0 WHERE id = ?", (ended, person.id))
            audit(db, person.id, "person.password", f"person:{person.id}", {"generated": "ended"})
    return _opened(store, person_id, by_proxy=True)


def _opened(store: Store, person_id: str, by_proxy: bool = False) -> tuple[str, Session]:
    token, at = secrets.token_urlsafe(32), now()
    with store.change() as db:
        db.execute("DELETE FROM session WHERE seen_at < ?", (_ago(hours=SESSION_HOURS),))
        db.execute(
            "INSERT INTO session (token_hash, person, csrf, created_at, seen_at, by_proxy) VALUES (?, ?, ?, ?, ?, ?)",
            (_hashed(token), person_id, secrets.token_urlsafe(24), at, at, by_proxy),
        )
    session = session_of(store, token)
    assert session is not None
    return token, session


def _count_attempt(store: Store, name: str, address: str) -> int:
    """Count an attempt of a name from an address as failed, until it passed; TooManyAttempts where it has to wait."""
    with store.change() as db:
        _wait_enough(db, name, address)
        db.execute("DELETE FROM sign_in WHERE at < ?", (_ago(days=KEPT_DAYS),))
        counted = db.execute(
            "INSERT INTO sign_in (at, person, address, passed) VALUES (?, ?, ?, 0) RETURNING id",
            (now(), name[:40], address[:60]),
        ).fetchone()
    return int(counted["id"])


def session_of(store: Store, token: str) -> Session | None:
    """The session of a token; None where it is unknown, idle too long, or a shift old. Being asked for keeps it awake."""
    row = store.db.execute(
        "SELECT s.csrf, s.seen_at, s.by_proxy, s.created_at AS began, p.* FROM session s JOIN person p ON p.id = s.person"
        " WHERE s.token_hash = ? AND p.active = 1",
        (_hashed(token),),
    ).fetchone()
    if row is None:
        return None
    minutes = agreement(store).idle_minutes
    hashed, at = _hashed(token), now()
    seen_at = max(row["seen_at"], store.last_asked.get(hashed, ""))
    if seen_at < _ago(minutes=minutes) or row["began"] < _ago(hours=SESSION_HOURS):
        return None
    # Seen in time to come: the clock was put back. Nobody's session lasts the longer for it.
    if seen_at > _ago(minutes=-1):
        return None
    # Being asked for keeps it awake; that is written with the next change, as reading must not wait for a writer.
    store.last_asked[hashed] = at
    store.with_next_change(("session", hashed), "UPDATE session SET seen_at = ? WHERE token_hash = ?", (at, hashed))
    return Session(_person(row), row["csrf"], seen_at, minutes, bool(row["by_proxy"]))


@dataclass(frozen=True, slots=True)
class OpenSession:
    """One of a person's sessions that has not ended: since when, last used when, and whether it is the one that asks."""

    began_at: str
    used_at: str
    this: bool


def sessions_of(store: Store, person_id: str, token: str) -> list[OpenSession]:
    """A person's sessions that have not ended, the newest first. token: that of the session that asks."""
    minutes, own = agreement(store).idle_minutes, _hashed(token)
    rows = store.db.execute("SELECT * FROM session WHERE person = ? ORDER BY created_at DESC", (person_id,))
    found = []
    for row in rows:
        used = max(row["seen_at"], store.last_asked.get(row["token_hash"], ""))
        if used >= _ago(minutes=minutes) and row["created_at"] >= _ago(hours=SESSION_HOURS):
            found.append(OpenSession(row["created_at"], used, row["token_hash"] == own))
    return found


def sign_out_elsewhere(store: Store, person_id: str, token: str) -> None:
    """End a person's sessions but the one that asks."""
    with store.change() as db:
        db.execute("DELETE FROM session WHERE person = ? AND token_hash <> ?", (person_id, _hashed(token)))
        audit(db, person_id, "session.end_others", f"person:{person_id}", {})


def sign_out(store: Store, token: str) -> None:
    """End a session."""
    with store.change() as db:
        db.execute("DELETE FROM session WHERE token_hash = ?", (_hashed(token),))


@dataclass(frozen=True, slots=True)
class Agreement:
    """What the department agreed on. another_approves: a chart is approved by another person than its author.
    idle_minutes: after so long without a request a session ends; a shared console wants it short. open_records: the log,
    comments, clearances and histories may be read without signing in; techniques, charts and the Guide always may."""

    another_approves: bool = True
    idle_minutes: int = 15
    open_records: bool = False


def agreement(store: Store) -> Agreement:
    """The department's agreement."""

    def read() -> Agreement:
        return Agreement(**(settings.read(store, "agreement") or {}))

    return store.remembered("agreement", read)


def agree(store: Store, wanted: Agreement, actor: str) -> Agreement:
    """Change the agreement."""
    within("idle_minutes", wanted.idle_minutes, 1, 240, "min")
    settings.save(store, "agreement", asdict(wanted), actor)
    return wanted


def _wait_enough(db: sqlite3.Connection, person_id: str, address: str) -> None:
    """Raise TooManyAttempts while a name, or an address, has failed too often too lately.

    An address from which the person signed in before counts by itself, so that nobody can lock a person out of their own
    console by guessing from elsewhere; all other addresses count together. Nor does it matter there what others tried from
    it: a hospital is one address, and a guesser in it must not hold everybody up.
    """
    name, place = person_id[:40], address[:60]
    known = [
        row["address"]
        for row in db.execute("SELECT DISTINCT address FROM sign_in WHERE person = ? AND passed = 1", (name,)).fetchall()
    ]
    where = "address = ?" if place in known else f"address NOT IN ({', '.join('?' * len(known))})"
    tried = db.execute(
        f"SELECT at, passed FROM sign_in WHERE person = ? AND {where} ORDER BY id DESC LIMIT 40",
        (name, *([place] if place in known else known)),
    ).fetchall()
    failed = 0
    for row in tried:
        if row["passed"]:
            break
        failed += 1
    if failed >= FREE_ATTEMPTS:
        wait = min(MOST_WAIT_S, FIRST_WAIT_S * 2 ** min(failed - FREE_ATTEMPTS, 10))
        # A clock that was ahead, and was put back, holds nobody longer than the wait itself.
        _hold(min(wait, wait - _seconds_since(tried[0]["at"])))
    if place in known:
        return
    lately = db.execute(
        "SELECT count(*) AS n, min(at) AS first FROM sign_in WHERE address = ? AND passed = 0 AND at > ? AND at <= ?",
        (address[:60], _ago(seconds=MOST_WAIT_S), now()),
    ).fetchone()
    if lately["n"] >= ADDRESS_ATTEMPTS:
        _hold(MOST_WAIT_S - _seconds_since(lately["first"]))


def _hold(left_s: float) -> None:
    if left_s > 0:
        raise TooManyAttempts(int(left_s) + 1)


def _check(person_id: str, name: str, roles: Sequence[Role], password: str | None) -> None:
    for role in roles:
        one_of("roles", role, ROLES)
    if not roles:
        raise Refusal("No role", "A person needs a role at least.", [*map(str, ROLES)], "roles")
    if password is not None and not LEAST_PASSWORD <= len(password) <= MOST_PASSWORD:
        raise Refusal(
            "Password length",
            f"A password has {LEAST_PASSWORD} to {MOST_PASSWORD} characters.",
            {"min": LEAST_PASSWORD, "max": MOST_PASSWORD, "unit": "characters"},
            "password",
        )
    if password is not None and (why := passwords.weakness(password, person_id, name)):
        raise Refusal("Password too easy", f"{why} Take a few words that do not belong together.", None, "password")


def _person(row: sqlite3.Row) -> Person:
    return Person(
        row["id"],
        row["name"],
        tuple(json.loads(row["roles"])),
        bool(row["active"]),
        row["created_at"],
        row["revision"],
        bool(row["must_change"]),
    )


def _hashed(token: str) -> str:
    return hashlib.sha256(token.encode()).hexdigest()


def _ago(**span: float) -> str:
    return (datetime.now(UTC) - timedelta(**span)).isoformat(timespec="milliseconds")


def _seconds_since(at: str) -> float:
    return (datetime.now(UTC) - datetime.fromisoformat(at)).total_seconds()
