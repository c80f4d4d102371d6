"""Which file the database is, and which process serves it.

A database file can be moved or replaced while it is open: whoever has it open then writes into a file that nobody will look
for. So one process at a time owns a data folder (a lock beside the file, which ends with the process), restore and migration
refuse while it does, and every change looks whether the file that bears the name is still the one that was opened.
"""

from __future__ import annotations

import fcntl
import json
import os
import socket
from datetime import UTC, datetime
from pathlib import Path
from types import TracebackType

from oakbeam.core.errors import Refusal

Mark = tuple[int, int]
"""Device and inode of a file: its own as long as it is open, whatever it is called."""


class Owned(Refusal):
    """Another process serves this data folder."""

    def __init__(self, path: Path, who: str) -> None:
        says = f"'{path.name}' is being served{who}. Stop that first: what it says it kept must not land in another file."
        super().__init__("In use by a server", says, None, "data")


class FileMoved(Refusal):
    """The file was moved or replaced under an open database. wait_s: after how long to try again [s]."""

    wait_s = 30

    def __init__(self, path: Path, why: str) -> None:
        says = (
            f"'{path.name}' {why} while it was open. Nothing is kept any more, and it is not sure that this was. Restart the"
            " server on the right file, then look."
        )
        super().__init__("The database is not where it was", says)


class Owner:
    """The lock that the process holds which serves a database, restores it or brings it up. Raises Owned where another one
    holds it."""

    def __init__(self, path: Path) -> None:
        path.parent.mkdir(parents=True, exist_ok=True)
        number = os.open(path.with_name(f"{path.name}.owner"), os.O_RDWR | os.O_CREAT, 0o600)
        self._file = os.fdopen(number, "r+", encoding="utf-8")
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            who = _said(self._file.read(1000))
            self._file.close()
            raise Owned(path, who) from None
        self._file.truncate(0)
        self._file.write(
            json.dumps(
                {"pid": os.getpid(), "host": socket.gethostname(), "since": f"{datetime.now(UTC):%Y-%m-%dT%H:%M:%SZ}"}
            )
        )
        self._file.flush()

    def release(self) -> None:
        """Let go of it; so does the end of the process."""
        self._file.close()

    def __enter__(self) -> Owner:
        return self

    def __exit__(self, _: type[BaseException] | None, __: BaseException | None, ___: TracebackType | None) -> None:
        self.release()


def _said(text: str) -> str:
    try:
        told = json.loads(text)
        return f" by process {told['pid']} on {told['host']}, since {told['since']}"
    except (ValueError, KeyError, TypeError):
        return " by another process"


def mark(path: Path) -> Mark | None:
    """Which file bears a name now; None where there is none."""
    try:
        found = path.stat()
    except OSError:
        return None
    return found.st_dev, found.st_ino


class InPlace:
    """Tells whether a database that is open, and its log, are still the files that bear their names."""

    def __init__(self, path: Path) -> None:
        self.path, self._log_path = path, path.with_name(f"{path.name}-wal")
        self._file, self._log = mark(path), mark(self._log_path)

    def take_log(self) -> None:
        """Take the log that is there now for the one that belongs to the database: a first connection has just opened it."""
        self._log = mark(self._log_path)

    def fault(self) -> str | None:
        """What happened to the file, to follow its name; None where it is in its place."""
        here = mark(self.path)
        if here != self._file:
            return "is gone" if here is None else "was replaced"
        log = mark(self._log_path)
        if self._log is None:  # it comes with the first connection, and stays while one is open
            self._log = log
        return None if log == self._log else "lost its write-ahead log"
