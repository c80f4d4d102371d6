"""The database file: connections, migrations, transactions, backup and restore.

What is committed is in the file that bears the name, or it is not acknowledged (see `ownership`).

WAL, foreign keys on, one connection per thread, which ends with the thread. Reads never wait for a writer and never write; a
change is one `with store.change() as db` (BEGIN IMMEDIATE), committed whole or not at all, with its audit rows inside. A
change that another process holds up for longer than MOST_WAIT_S is refused as `Busy`.
"""

from __future__ import annotations

import json
import logging
import math
import os
import shutil
import sqlite3
import threading
import time
import weakref
from collections.abc import Callable, Hashable, Iterator, Mapping
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from importlib.resources import files
from importlib.resources.abc import Traversable
from pathlib import Path
from typing import Any, Literal, TypeVar

from oakbeam.core.errors import Allowed, Refusal
from oakbeam.store.audit_chain import BEGUN, begin, next_link
from oakbeam.store.ownership import FileMoved, InPlace, Owner

T = TypeVar("T")
MOST_PARSED = 50_000
MOST_WAIT_S = 1.5
"""How long a change waits for another process that writes."""
LOOKED_AGAIN_S = 1.0
"""Reading looks so often whether the file is still in its place; each change does."""
Older = Literal["bring up", "refuse", "read"]
"""What is done with a database of an earlier step: bring it up (a server's work, and `oakbeam migrate`'s), refuse it, or
read it as it is."""
_LOG = logging.getLogger("oakbeam")
FILE_MODE = 0o600
"""The database is its owner's alone: it holds password hashes."""


class NotFound(LookupError):
    """Something asked for by id that is not there."""


class Conflict(Refusal):
    """A change that the present state does not allow."""

    def __init__(self, title: str, detail: str, allowed: Allowed | None = None) -> None:
        super().__init__(title, detail, allowed)


class Busy(Refusal):
    """Another process is writing: try again. wait_s: after how long [s]."""

    wait_s = 1

    def __init__(self) -> None:
        super().__init__("Busy", "The database is being written to by another process; nothing was kept. Try again.")


class NoDatabase(Refusal):
    """The folder holds no database, and none was asked to be made."""

    def __init__(self, path: Path) -> None:
        super().__init__(
            "No database", f"There is no database '{path.name}' in '{path.parent.name or path.parent}'.", None, "data"
        )


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


class _OfThread:
    """What one thread holds of a store: its connection, and what it remembers of the database as of `seen`."""

    def __init__(self, connection: Connection) -> None:
        self.connection = connection
        self.memory: dict[Hashable, Any] = {}
        self.seen: int | None = None

    def __del__(self) -> None:
        # A thread's locals go with the thread; the connection must not stay behind it.
        self.connection.close()


class Store:
    """An open database. `path` is the file.

    new: make the file, and its folder, where there is none. Raises NoDatabase otherwise, so that a mistyped folder is never
    taken for an empty department. older: what is done with one of an earlier step; one of a later step is refused.
    """

    def __init__(self, path: Path, new: bool = True, older: Older = "bring up") -> None:
        if not path.is_file():
            if not new:
                raise NoDatabase(path)
            path.parent.mkdir(parents=True, exist_ok=True)
            os.close(os.open(path, os.O_CREAT | os.O_WRONLY, FILE_MODE))
        self.path = path
        self._local = threading.local()
        self._open: weakref.WeakSet[_OfThread] = weakref.WeakSet()
        self._parsed: dict[Hashable, Any] = {}
        self._waiting: dict[Hashable, tuple[str, tuple[object, ...]]] = {}
        self.last_asked: dict[str, str] = {}
        """When each session was last asked for (see `people.session_of`)."""
        self._lock = threading.Lock()
        self._anchor: Connection | None = None
        self._place, self._looked = InPlace(path), time.monotonic()
        with self._lock:
            self._hold()
        self._migrate(older)

    @property
    def db(self) -> Connection:
        """This thread's connection, for reading."""
        return self._of_thread().connection

    def _hold(self) -> None:
        """Open a connection that is never used: while it is open the write-ahead log stays the same file. Under the lock."""
        if self._anchor is None:
            self._anchor = self._connect()
            self._anchor.execute("SELECT 1 FROM sqlite_master").fetchall()
            self._place.take_log()

    def _of_thread(self) -> _OfThread:
        held: _OfThread | None = getattr(self._local, "held", None)
        if held is None:
            with self._lock:
                self._hold()  # where it was closed before, and is in use again
                held = self._local.held = _OfThread(self._connect())
                self._open.add(held)
        return held

    @property
    def connections(self) -> int:
        """How many connections are open: one for each living thread that asked."""
        with self._lock:
            return len(self._open)

    def remembered(self, key: Hashable, read: Callable[[], T]) -> T:
        """What read() gave for this key since the last change of the database by anyone; read() is called otherwise.

        SQLite's data_version tells this thread's connection of every commit made through another one; a commit through
        this one forgets by itself (see `change`).
        """
        if time.monotonic() - self._looked > LOOKED_AGAIN_S:
            self._looked = time.monotonic()
            self._in_place()
        held = self._of_thread()
        seen = held.connection.execute("PRAGMA data_version").fetchone()[0]
        if held.seen != seen:
            held.memory.clear()
            held.seen = seen
        if key not in held.memory:
            held.memory[key] = read()
        found: T = held.memory[key]
        return found

    def with_next_change(self, key: Hashable, statement: str, values: tuple[object, ...]) -> None:
        """Leave a statement to the next change, so that reading never writes. The newest of a key counts; what no change
        follows is lost with the process."""
        with self._lock:
            self._waiting[key] = (statement, values)

    @contextmanager
    def change(self) -> Iterator[Connection]:
        """One transaction: everything inside is committed together, or nothing is. Raises FileMoved where the file is not in
        its place before it, or after it."""
        held = self._of_thread()
        db = held.connection
        try:
            db.execute("BEGIN IMMEDIATE")
        except sqlite3.OperationalError as error:
            if error.sqlite_errorcode in (sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED):
                raise Busy from None
            raise
        try:
            self._in_place()
            with self._lock:
                waiting, self._waiting = self._waiting, {}
            for statement, values in waiting.values():
                db.execute(statement, values)
            yield db
        except BaseException:
            with suppress(sqlite3.Error):
                db.execute("ROLLBACK")
            raise
        db.execute("COMMIT")
        held.memory.clear()
        self._in_place()

    def _fault(self) -> str | None:
        """What happened to the file. The log of a store that is closed, and opened again by another thread, goes and comes
        back as another file; that is no fault, so one looks with the log held."""
        with self._lock:
            self._hold()
            return self._place.fault()

    def _in_place(self) -> None:
        if why := self._fault():
            moved = FileMoved(self.path, why)
            _LOG.critical("%s: %s", moved.title, moved.detail)
            raise moved

    def write_fault(self) -> str | None:
        """Why nothing could be changed now, in a sentence; None where it could. What is tried is taken back."""
        db = self.db
        if why := self._fault():
            return FileMoved(self.path, why).detail
        try:
            db.execute("BEGIN IMMEDIATE")
            try:
                # A file that may only be read takes the beginning of a change, and refuses the first write.
                step = int(db.execute("PRAGMA user_version").fetchone()[0])
                db.execute(f"PRAGMA user_version = {step}")
            finally:
                db.execute("ROLLBACK")
        except sqlite3.Error as error:
            return f"The database takes no change: {error}."
        return None

    def backup(self, target: Path) -> None:
        """Write a consistent copy of the database to target while it is in use. target must not exist."""
        if target.exists():
            raise Conflict("Backup target exists", f"{target.name} is already there; name a new file.")
        # Under a name of its own until it is whole: one that was cut off is never taken for a backup.
        part = target.with_name(f"{target.name}.part")
        part.unlink(missing_ok=True)
        os.close(os.open(part, os.O_CREAT | os.O_EXCL | os.O_WRONLY, FILE_MODE))
        try:
            self.db.execute("VACUUM INTO ?", (str(part),))
            to_disk(part)
            part.replace(target)
            to_disk(target.parent)
        except BaseException:
            part.unlink(missing_ok=True)
            raise

    def close(self) -> None:
        """Close every thread's connection."""
        with self._lock:
            for held in tuple(self._open):
                held.connection.close()
            if self._anchor is not None:
                self._anchor.close()
                self._anchor = None
        self._local = threading.local()

    def _connect(self) -> Connection:
        db = sqlite3.connect(
            self.path,
            isolation_level=None,
            check_same_thread=False,
            timeout=MOST_WAIT_S,
            cached_statements=256,
            factory=Connection,
        )
        db.parsed = self._parsed
        db.row_factory = sqlite3.Row
        # Not every SQLite was built with it, and the log's sums need it.
        db.create_function("log10", 1, math.log10, deterministic=True)
        db.execute("PRAGMA journal_mode = WAL")
        db.execute("PRAGMA synchronous = FULL")
        db.execute("PRAGMA foreign_keys = ON")
        return db

    @property
    def step(self) -> int:
        """The last migration that the database has."""
        return int(self.db.execute("PRAGMA user_version").fetchone()[0])

    def _migrate(self, older: Older) -> None:
        """Apply the pending scripts in one transaction, after a backup beside the file. Foreign keys rest meanwhile, so that
        a table can be made anew, and are checked before the commit; a renamed table leaves the texts of triggers alone."""
        at, scripts = self.step, _scripts()
        if at > len(scripts):
            raise Conflict("Newer database", f"The database is at step {at}; this Oakbeam knows {len(scripts)}.")
        if at == len(scripts) or older == "read":
            return
        if older == "refuse":
            says = f"The database is at step {at}, this Oakbeam works at {len(scripts)}. Start the server, or run"
            raise Conflict("Older database", f"{says} `oakbeam migrate`: both keep a backup beside it first.")
        if at:
            self.backup(self.path.with_name(f"{self.path.stem}.step-{at}.{datetime.now(UTC):%Y%m%dT%H%M%S.%f}Z.db"))
        self.db.execute("PRAGMA foreign_keys = OFF")
        self.db.execute("PRAGMA legacy_alter_table = ON")
        with self.change() as db:
            at = int(db.execute("PRAGMA user_version").fetchone()[0])
            for number, script in enumerate(scripts[at:], at + 1):
                for statement in _statements(script.read_text(encoding="utf-8")):
                    db.execute(statement)
                if script.name.startswith("0029_"):
                    audit(db, "migration", BEGUN, "audit", begin(db))
                db.execute(f"PRAGMA user_version = {number}")
            if broken := db.execute("PRAGMA foreign_key_check").fetchall():
                raise Conflict("Migration failed", f"{len(broken)} rows would lose what they refer to; nothing was changed.")
        self.db.execute("PRAGMA legacy_alter_table = OFF")
        self.db.execute("PRAGMA foreign_keys = ON")


def restore(backup: Path, target: Path, replace_existing: bool = False) -> None:
    """Put a backup in a database's place, once it is seen to be whole and of a known step; nothing is touched otherwise.

    replace_existing: an existing database is kept beside it as `.before`. Raises Owned while a server has the target open.
    """
    if not backup.is_file():
        raise NoDatabase(backup)
    if target.exists() and not replace_existing:
        raise Conflict("A database is there", f"'{target.name}' exists; say --replace to put the backup in its place.")
    verify(backup)
    with Owner(target):
        _put_in_place(backup, target)


def _put_in_place(backup: Path, target: Path) -> None:
    fresh = target.with_suffix(".restoring")
    fresh.unlink(missing_ok=True)
    os.close(os.open(fresh, os.O_CREAT | os.O_EXCL | os.O_WRONLY, FILE_MODE))
    shutil.copyfile(backup, fresh)
    to_disk(fresh)
    verify(fresh)
    old = _kept_as_before(target) if target.exists() else None
    try:
        # The log of the old one belongs to it, and must not be taken for the new one's.
        for left in (target.with_name(target.name + "-wal"), target.with_name(target.name + "-shm")):
            left.unlink(missing_ok=True)
        fresh.replace(target)
        to_disk(target.parent)
    finally:
        if old is not None:
            old.close()


def _kept_as_before(target: Path) -> sqlite3.Connection | None:
    """Copy a database to `.before`, with what its log still holds, so that there is one at every moment. Its write lock is
    held by the connection that comes back, so that nothing more is acknowledged by a process that is no server (a listener
    say); None where it cannot be read as one and was copied as it is."""
    before = target.with_suffix(".before")
    before.unlink(missing_ok=True)
    os.close(os.open(before, os.O_CREAT | os.O_EXCL | os.O_WRONLY, FILE_MODE))
    old = sqlite3.connect(target, isolation_level=None, timeout=MOST_WAIT_S)
    try:
        old.execute("BEGIN IMMEDIATE")
        with sqlite3.connect(target) as reading, sqlite3.connect(before) as copy:
            reading.backup(copy)
        reading.close()
        copy.close()
    except sqlite3.OperationalError as error:
        old.close()
        if error.sqlite_errorcode in (sqlite3.SQLITE_BUSY, sqlite3.SQLITE_LOCKED):
            raise Busy from None
        raise
    except sqlite3.DatabaseError:
        old.close()
        shutil.copyfile(target, before)
        return None
    to_disk(before)
    return old


def to_disk(path: Path) -> None:
    """Have the system write a file, or a folder's entries, to the disk now."""
    number = os.open(path, os.O_RDONLY)
    try:
        os.fsync(number)
    finally:
        os.close(number)


def verify(path: Path) -> None:
    """Raise Conflict where a file is not a whole Oakbeam database of a step this version knows."""
    db = sqlite3.connect(f"file:{path}?mode=ro&immutable=1", uri=True)
    try:
        step = int(db.execute("PRAGMA user_version").fetchone()[0])
        whole = db.execute("PRAGMA integrity_check(1)").fetchone()[0] == "ok"
        loose = db.execute("PRAGMA foreign_key_check").fetchone()
        tables = {row[0] for row in db.execute("SELECT name FROM sqlite_master WHERE type = 'table'")}
    except sqlite3.DatabaseError:
        raise Conflict("Not a database", f"'{path.name}' cannot be read as a database.") from None
    finally:
        db.close()
    if not {"room", "chart", "audit"} <= tables:
        raise Conflict("Not Oakbeam's", f"'{path.name}' is a database, but not one of Oakbeam.")
    if not whole or loose is not None:
        raise Conflict("Damaged", f"'{path.name}' is damaged; take another backup.")
    if step > len(_scripts()):
        raise Conflict("Newer database", f"'{path.name}' is at step {step}; this Oakbeam knows {len(_scripts())}.")


def newest_step() -> int:
    """The step that this version brings a database to."""
    return len(_scripts())


def _scripts() -> list[Traversable]:
    """The migrations in their order."""
    found = (file for file in (files("oakbeam.store") / "migrations").iterdir() if file.name.endswith(".sql"))
    return sorted(found, key=lambda file: file.name)


def _statements(script: str) -> Iterator[str]:
    """The statements of a script one by one, so that they run inside the migration's own transaction."""
    pending = ""
    for line in script.splitlines(keepends=True):
        pending += line
        if sqlite3.complete_statement(pending):
            yield pending
            pending = ""


_PAST: list[datetime] = []


@contextmanager
def in_the_past(moment: datetime) -> Iterator[None]:
    """What is kept inside is kept as of a moment; for the demo, whose clinic has a past, and for nothing else."""
    _PAST.append(moment)
    try:
        yield
    finally:
        _PAST.pop()


def now() -> str:
    """This moment as ISO 8601 in UTC, to the millisecond."""
    moment = _PAST[-1] if _PAST else datetime.now(UTC)
    return moment.isoformat(timespec="milliseconds")


def audit(db: sqlite3.Connection, actor: str, action: str, subject: str, detail: Mapping[str, object]) -> None:
    """Add the audit row of a change, linked to the one before, inside the change's own transaction."""
    row = (now(), actor, action, subject, json.dumps(detail, ensure_ascii=False))
    link = next_link(db, *row)
    db.execute("INSERT INTO audit (at, actor, action, subject, detail, link) VALUES (?, ?, ?, ?, ?, ?)", (*row, link))
