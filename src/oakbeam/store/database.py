"""The database file: connections, migrations, transactions, backup.

WAL, foreign keys on, one connection per thread. Reads never wait for a writer; a change is one
`with store.change() as db` (BEGIN IMMEDIATE), committed whole or not at all, with its audit rows inside.
"""

from __future__ import annotations

import json
import sqlite3
import threading
from collections.abc import Callable, Hashable, Iterator, Mapping
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from importlib.resources import files
from pathlib import Path
from typing import Any, TypeVar

from oakbeam.core.errors import Allowed, Refusal

T = TypeVar("T")
MOST_PARSED = 50_000


class NotFound(LookupError):
    """Something asked for by id that is not there."""


class Conflict(Refusal):
    """A change that the present state does not allow."""

    def __init__(self, title: str, detail: str, allowed: Allowed | None = None) -> None:
        super().__init__(title, detail, allowed)


class Connection(sqlite3.Connection):
    """A connection that shares what rows were parsed into with the store's other connections.

    parsed: by a key that a change of the rows changes too, such as (line, revision). It is filled outside of changes only:
    what is rolled back must never be remembered.
    """

    parsed: dict[Hashable, Any]

    def parse(self, key: Hashable, make: Callable[[], T]) -> T:
        """What make() gives for this key, kept where nothing is being changed."""
        if key in self.parsed:
            found: T = self.parsed[key]
            return found
        made = make()
        if not self.in_transaction:
            if len(self.parsed) > MOST_PARSED:
                self.parsed.clear()
            self.parsed[key] = made
        return made


class Store:
    """An open database. `path` is the file; its folder is made where missing, and pending migrations are applied."""

    def __init__(self, path: Path) -> None:
        path.parent.mkdir(parents=True, exist_ok=True)
        self.path = path
        self._local = threading.local()
        self._open: list[Connection] = []
        self._parsed: dict[Hashable, Any] = {}
        self._lock = threading.Lock()
        self._migrate()

    @property
    def db(self) -> Connection:
        """This thread's connection, for reading."""
        connection: Connection | None = getattr(self._local, "connection", None)
        if connection is None:
            connection = self._connect()
            self._local.connection = connection
        return connection

    def remembered(self, key: Hashable, read: Callable[[], T]) -> T:
        """What read() gave for this key since the last change of the database by anyone; read() is called otherwise.

        SQLite's data_version tells this thread's connection of every commit made through another one; a commit through
        this one forgets by itself (see `change`).
        """
        seen = self.db.execute("PRAGMA data_version").fetchone()[0]
        memory: dict[Hashable, Any] = self._local.__dict__.setdefault("memory", {})
        if self._local.__dict__.get("seen") != seen:
            memory.clear()
            self._local.seen = seen
        if key not in memory:
            memory[key] = read()
        found: T = memory[key]
        return found

    @contextmanager
    def change(self) -> Iterator[Connection]:
        """One transaction: everything inside is committed together, or nothing is."""
        db = self.db
        db.execute("BEGIN IMMEDIATE")
        try:
            yield db
        except BaseException:
            with suppress(sqlite3.Error):
                db.execute("ROLLBACK")
            raise
        db.execute("COMMIT")
        self._local.__dict__.pop("memory", None)

    def backup(self, target: Path) -> None:
        """Write a consistent copy of the database to target while it is in use. target must not exist."""
        if target.exists():
            raise Conflict("Backup target exists", f"{target.name} is already there; name a new file.")
        self.db.execute("VACUUM INTO ?", (str(target),))

    def close(self) -> None:
        """Close every thread's connection."""
        with self._lock:
            for connection in self._open:
                connection.close()
            self._open.clear()
        self._local = threading.local()

    def _connect(self) -> Connection:
        db = sqlite3.connect(
            self.path,
            isolation_level=None,
            check_same_thread=False,
            timeout=10,
            cached_statements=256,
            factory=Connection,
        )
        db.parsed = self._parsed
        db.row_factory = sqlite3.Row
        db.execute("PRAGMA journal_mode = WAL")
        db.execute("PRAGMA synchronous = FULL")
        db.execute("PRAGMA foreign_keys = ON")
        with self._lock:
            self._open.append(db)
        return db

    def _migrate(self) -> None:
        """Apply the pending scripts in one transaction. Foreign keys rest meanwhile, so that a table can be made anew, and
        are checked before the commit; a renamed table leaves the texts of triggers alone."""
        self.db.execute("PRAGMA foreign_keys = OFF")
        self.db.execute("PRAGMA legacy_alter_table = ON")
        with self.change() as db:
            at = int(db.execute("PRAGMA user_version").fetchone()[0])
            scripts = sorted(
                (file for file in (files("oakbeam.store") / "migrations").iterdir() if file.name.endswith(".sql")),
                key=lambda file: file.name,
            )
            if at > len(scripts):
                raise Conflict("Newer database", f"The database is at step {at}; this Oakbeam knows {len(scripts)}.")
            for number, script in enumerate(scripts[at:], at + 1):
                for statement in _statements(script.read_text(encoding="utf-8")):
                    db.execute(statement)
                db.execute(f"PRAGMA user_version = {number}")
            if broken := db.execute("PRAGMA foreign_key_check").fetchall():
                raise Conflict("Migration failed", f"{len(broken)} rows would lose what they refer to; nothing was changed.")
        self.db.execute("PRAGMA legacy_alter_table = OFF")
        self.db.execute("PRAGMA foreign_keys = ON")


def _statements(script: str) -> Iterator[str]:
    """The statements of a script one by one, so that they run inside the migration's own transaction."""
    pending = ""
    for line in script.splitlines(keepends=True):
        pending += line
        if sqlite3.complete_statement(pending):
            yield pending
            pending = ""


def now() -> str:
    """This moment as ISO 8601 in UTC, to the millisecond."""
    return datetime.now(UTC).isoformat(timespec="milliseconds")


def audit(db: sqlite3.Connection, actor: str, action: str, subject: str, detail: Mapping[str, object]) -> None:
    """Add the audit row of a change, inside the change's own transaction."""
    db.execute(
        "INSERT INTO audit (at, actor, action, subject, detail) VALUES (:at, :actor, :action, :subject, :detail)",
        {
            "at": now(),
            "actor": actor,
            "action": action,
            "subject": subject,
            "detail": json.dumps(detail, ensure_ascii=False),
        },
    )
