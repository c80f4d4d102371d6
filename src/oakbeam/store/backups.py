"""Backups on a schedule: a dated file, looked at once written; the newest whole ones kept; a copy in a second folder."""

from __future__ import annotations

import json
import os
import re
import shutil
from contextlib import suppress
from dataclasses import asdict, dataclass
from datetime import UTC, datetime, timedelta
from pathlib import Path

from oakbeam.core.errors import Refusal, within
from oakbeam.store.database import FILE_MODE, Store, to_disk, verify

NAME = "oakbeam-"
ENDING = ".db"
_TIME = re.compile(r"oakbeam-(\d{8}T\d{6}\.\d{6})Z\.db")
NOTE = "oakbeam.backups.json"
"""Beside the database: when the last backup was made, and when it was copied."""
AHEAD = timedelta(minutes=2)
"""A backup dated further ahead than this was made by a clock that was."""


@dataclass(frozen=True, slots=True)
class Rotated:
    """The backup that was made, the older ones that made room for it, and those that are damaged, which are left alone."""

    made: Path
    removed: tuple[Path, ...]
    damaged: tuple[Path, ...]


@dataclass(frozen=True, slots=True)
class LastBackup:
    """When the last backup was made and when one was last copied to a second folder (ISO 8601, UTC); None: never, as far as
    is known here."""

    made_at: str | None = None
    copied_at: str | None = None


def rotate(store: Store, folder: Path, keep: int) -> Rotated:
    """A new backup in a folder; older ones go only once the new one is seen to be whole, and the newest `keep` whole ones
    stay, the new one always among them.

    Raises Conflict where the copy is not whole, OSError where it cannot be written; the older ones are then all there.
    """
    within("keep", keep, 1, 1000, "")
    folder.mkdir(parents=True, exist_ok=True)
    made = folder / f"{NAME}{datetime.now(UTC):%Y%m%dT%H%M%S.%f}Z{ENDING}"
    store.backup(made)
    try:
        verify(made)
    except BaseException:
        made.unlink(missing_ok=True)
        raise
    rotated = _make_room(folder, made, keep)
    _note(store, made_at=_now())
    return rotated


def copy(store: Store, made: Path, folder: Path, keep: int) -> Rotated:
    """Copy a backup to a second folder, on another disk say, look at the copy, and keep as many there. Raises OSError and
    Conflict as `rotate` does."""
    if not folder.is_dir():
        raise Refusal("No second folder", f"There is no folder '{folder}': is its disk mounted?", None, "copy-to")
    target = folder / made.name
    part = folder / f"{made.name}.part"
    os.close(os.open(part, os.O_CREAT | os.O_TRUNC | os.O_WRONLY, FILE_MODE))
    try:
        shutil.copyfile(made, part)
        to_disk(part)
        verify(part)
        part.replace(target)
        to_disk(folder)
    except BaseException:
        part.unlink(missing_ok=True)
        raise
    rotated = _make_room(folder, target, keep)
    _note(store, copied_at=_now())
    return rotated


def last(store: Store) -> LastBackup:
    """When this database was last backed up, and copied."""
    with suppress(OSError, ValueError, TypeError):
        return LastBackup(**json.loads((store.path.with_name(NOTE)).read_text(encoding="utf-8")))
    return LastBackup()


def _make_room(folder: Path, made: Path, keep: int) -> Rotated:
    """Remove what is older than the newest `keep` that are whole. What is damaged counts for nothing."""
    others = sorted((one for one in folder.glob(f"{NAME}*{ENDING}") if one != made), key=_age, reverse=True)
    whole, removed, damaged = 1, list[Path](), list[Path]()
    for one in others:
        if whole >= keep:
            removed.append(one)
        elif _is_whole(one):
            whole += 1
        else:
            damaged.append(one)
    for one in removed:
        one.unlink()
    return Rotated(made, tuple(removed), tuple(damaged))


def _age(path: Path) -> tuple[bool, str]:
    """What orders backups by age: the time in their names, whatever a copying tool did to the files' dates. One dated in
    time to come, by a clock that was ahead, counts as older than all others: it must not outlive them."""
    found = _TIME.fullmatch(path.name)
    limit = f"{datetime.now(UTC) + AHEAD:%Y%m%dT%H%M%S.%f}"
    return (found is not None and found[1] <= limit, path.name)


def _is_whole(path: Path) -> bool:
    try:
        verify(path)
    except (Refusal, OSError):
        return False
    return True


def _now() -> str:
    return datetime.now(UTC).isoformat(timespec="seconds")


def _note(store: Store, **said: str) -> None:
    whole = {**asdict(last(store)), **said}
    path = store.path.with_name(NOTE)
    part = path.with_suffix(".part")
    part.write_text(json.dumps(whole), encoding="utf-8")
    part.replace(path)
