"""What accepted calibrations moved: kept line by line, so that a chart says which of its lines are off since."""

from __future__ import annotations

import json
from collections.abc import Iterable
from dataclasses import asdict

from oakbeam.core.charts.calibration_effect import LineEffect, Moved
from oakbeam.core.charts.line import ChartLine
from oakbeam.core.charts.systems import MasRule
from oakbeam.store.database import Connection, Store


def record(db: Connection, room_id: str, at: str, by: str, effects: Iterable[tuple[ChartLine, LineEffect]]) -> None:
    """Keep what a calibration moved, within the change that accepts it."""
    row = db.execute("INSERT INTO calibration (room, at, by) VALUES (?, ?, ?) RETURNING id", (room_id, at, by)).fetchone()
    db.executemany(
        "INSERT OR IGNORE INTO calibration_line (calibration, line_key, law, di_change, kerma_change_percent)"
        " VALUES (?, ?, ?, ?, ?)",
        [
            (row["id"], line.key, _text(line.law), found.di_change, found.kerma_change_percent)
            for line, found in effects
            if line.key is not None
        ],
    )


def moved(store: Store, room_id: str, line: ChartLine) -> Moved | None:
    """What calibrations moved since the line got the law it has; None where none did."""
    return _of_room(store, room_id).get((line.key, _text(line.law))) if line.key is not None else None


def moved_by_key(store: Store, room_id: str, lines: Iterable[ChartLine]) -> dict[int, Moved]:
    """What calibrations moved of these lines, by key."""
    return {line.key: found for line in lines if line.key is not None and (found := moved(store, room_id, line))}


def moved_since(store: Store, room_id: str, line_key: int | None, at: str) -> float:
    """By how much calibrations after a time moved images of a line [DI], whatever its law was then."""
    return sum(change for when, change in _of_key(store, room_id).get(line_key, ()) if when > at)


def times(store: Store, room_id: str) -> list[str]:
    """When calibrations of a room were accepted, oldest first."""
    return [row["at"] for row in store.db.execute("SELECT at FROM calibration WHERE room = ? ORDER BY at", (room_id,))]


def _of_room(store: Store, room_id: str) -> dict[tuple[int | None, str], Moved]:
    """By key and law."""

    def read() -> dict[tuple[int | None, str], Moved]:
        found: dict[tuple[int | None, str], Moved] = {}
        rows = store.db.execute(
            "SELECT at, line_key, law, di_change, kerma_change_percent AS kerma FROM calibration_line"
            " JOIN calibration ON calibration.id = calibration_line.calibration WHERE room = ? ORDER BY calibration.id",
            (room_id,),
        )
        for row in rows:
            key = (row["line_key"], row["law"])
            earlier = found.get(key, Moved(row["at"], 0.0, 0.0))
            kerma = 100 * ((1 + earlier.kerma_change_percent / 100) * (1 + row["kerma"] / 100) - 1)
            found[key] = Moved(earlier.since, earlier.di_change + row["di_change"], kerma)
        return found

    return store.remembered(("moved", room_id), read)


def _of_key(store: Store, room_id: str) -> dict[int | None, list[tuple[str, float]]]:
    """The calibrations of a line by its key: when, and the mean of what they moved it by."""

    def read() -> dict[int | None, list[tuple[str, float]]]:
        found: dict[int | None, list[tuple[str, float]]] = {}
        rows = store.db.execute(
            "SELECT line_key, at, avg(di_change) AS di FROM calibration_line"
            " JOIN calibration ON calibration.id = calibration_line.calibration WHERE room = ? GROUP BY line_key, at",
            (room_id,),
        )
        for row in rows:
            found.setdefault(row["line_key"], []).append((row["at"], row["di"]))
        return found

    return store.remembered(("moved by key", room_id), read)


def _text(law: MasRule) -> str:
    """A law as text that two like laws share."""
    return json.dumps({"school": law.name, **asdict(law)}, sort_keys=True)
