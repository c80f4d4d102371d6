"""Backups on a schedule: a dated file, looked at once it is written, and only the newest kept."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

from oakbeam.core.errors import within
from oakbeam.store.database import Store, verify

NAME = "oakbeam-"
ENDING = ".db"


@dataclass(frozen=True, slots=True)
class Rotated:
    """The backup that was made, and the older ones that made room for it."""

    made: Path
    removed: tuple[Path, ...]


def rotate(store: Store, folder: Path, keep: int) -> Rotated:
    """A new backup in a folder; older ones go only once the new one is seen to be whole, and the newest `keep` stay.

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
    # Named by their time, so that the order of names is that of age, whatever a copying tool did to the files' dates.
    all_there = sorted(folder.glob(f"{NAME}*{ENDING}"), reverse=True)
    gone = tuple(all_there[keep:])
    for old in gone:
        old.unlink()
    return Rotated(made, gone)
