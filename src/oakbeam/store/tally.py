"""The log in sums, kept in the transaction that adds, joins or takes back an exposure, so that a board of ten years reads a
few thousand rows and not five million.

By day: how many, how many rejected, the sum of DI. By month: how many of each DI, dose, reject reason. A room or projection
of "" is all of them together. Whatever is counted is counted by the SQL here and nowhere else: what a month's row says is
what the same query says of the exposures themselves, which is how a part of a month is read.
"""

from __future__ import annotations

import calendar
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from oakbeam.store.database import Connection, Store

DI_BINS, DOSE_BINS = 10, 40
"""Bins to one DI, and to one decade of dose (5.9 % each)."""
KAP = "coalesce(reported_kap_mgycm2, kap_mgycm2)"
"""The kerma-area product that counts: as the machine reported it, else as worked out."""

_SUMS = """
SELECT room, projection, substr(taken_at, 1, 10) AS day, count(*) AS made, sum(rejects_known) AS rejects_known,
    sum(rejects_known AND outcome = 'rejected') AS rejected, sum(attempt > 1) AS repeats,
    sum(reliable AND di IS NOT NULL) AS judged, sum(reliable AND di IS NOT NULL AND abs(di) <= 1) AS within,
    sum(iif(reliable, CAST(round(100 * coalesce(di, 0)) AS INTEGER), 0)) AS di_sum,
    sum(iif(reliable, CAST(round(10000 * coalesce(di * di, 0)) AS INTEGER), 0)) AS di_squares,
    sum(coalesce(incident_air_kerma_mgy, 0) > 0) AS dosed,
    sum(iif(coalesce(incident_air_kerma_mgy, 0) > 0,
        CAST(round(1000 * log10(incident_air_kerma_mgy)) AS INTEGER), 0)) AS kerma_sum
FROM exposure WHERE undone_at IS NULL AND {of} GROUP BY 1, 2, 3
"""
_DOSE = f"CAST(round({DOSE_BINS} * log10({{}})) AS INTEGER)"
_OF = "SELECT room, projection, month, '{what}' AS what, {bin} AS bin FROM counted WHERE {where}"
_BINS = f"""
WITH counted AS MATERIALIZED (
    SELECT room, projection, substr(taken_at, 1, 7) AS month, reliable, di, incident_air_kerma_mgy AS kerma, {KAP} AS kap,
        reject_reason, rejects_known, outcome, recorded_as
    FROM exposure WHERE undone_at IS NULL AND {{of}}
) SELECT room, projection, month, what, bin, count(*) AS n FROM (
    {_OF.format(what="di", bin=f"CAST(round({DI_BINS} * di) AS INTEGER)", where="reliable AND di IS NOT NULL")}
    UNION ALL {_OF.format(what="kerma", bin=_DOSE.format("kerma"), where="kerma > 0")}
    UNION ALL {_OF.format(what="kap", bin=_DOSE.format("kap"), where="kap > 0")}
    UNION ALL {_OF.format(what="reason", bin="reject_reason", where="reject_reason IS NOT NULL")}
    UNION ALL {_OF.format(what="made by", bin="recorded_as", where="rejects_known")}
    UNION ALL {_OF.format(what="rejected by", bin="recorded_as", where="rejects_known AND outcome = 'rejected'")}
) GROUP BY 1, 2, 3, 4, 5
"""
_SUMMED = ("made", "rejects_known", "rejected", "repeats", "judged", "within", "di_sum", "di_squares", "dosed", "kerma_sum")
_EITHER = "(SELECT 0 AS {0} UNION ALL SELECT 1)"


def count(db: Connection, ids: Iterable[int], sign: Literal[1, -1] = 1) -> None:
    """Within a change: take exposures, none of them undone, into the sums, or out of them again."""
    wanted = ",".join(str(int(one)) for one in ids)
    if not wanted:
        return
    of = f"id IN ({wanted})"
    added = ", ".join(f"{name} = {name} + excluded.{name}" for name in _SUMMED)
    sums = ", ".join(f"{sign} * sum({name})" for name in _SUMMED)
    db.execute(
        f"INSERT INTO log_day (room, projection, day, {', '.join(_SUMMED)})"
        f" SELECT iif(any_room, '', room), iif(any_view, '', projection), day, {sums}"
        f" FROM ({_SUMS.format(of=of)}), {_EITHER.format('any_room')}, {_EITHER.format('any_view')}"
        f" WHERE true GROUP BY 1, 2, 3 ON CONFLICT DO UPDATE SET {added}"
    )
    db.execute(
        "INSERT INTO log_month (room, month, projection, what, bin, n)"
        f" SELECT iif(any_room, '', room), month, projection, what, bin, {sign} * sum(n)"
        f" FROM ({_BINS.format(of=of)}), {_EITHER.format('any_room')}"
        " WHERE true GROUP BY 1, 2, 3, 4, 5 ON CONFLICT DO UPDATE SET n = n + excluded.n"
    )
    db.execute(
        f"INSERT INTO log_mark (room, n) SELECT DISTINCT room, 1 FROM exposure WHERE {of}"
        " ON CONFLICT DO UPDATE SET n = n + 1"
    )


def mark(store: Store, room: str) -> int:
    """A number that is another one after each change of a room's log."""
    row = store.db.execute("SELECT n FROM log_mark WHERE room = ?", (room,)).fetchone()
    return int(row["n"]) if row else 0


def recount(db: Connection) -> None:
    """Within a change: the sums anew from all exposures."""
    db.execute("DELETE FROM log_day")
    db.execute("DELETE FROM log_month")
    last = int(db.execute("SELECT coalesce(max(id), 0) FROM exposure").fetchone()[0])
    for first in range(1, last + 1, BATCH):
        count(db, range(first, min(first + BATCH, last + 1)))


BATCH = 5000


@dataclass(frozen=True, slots=True)
class Day:
    """A day's sums of a room and a projection, "" for all: how many exposures, of how many it is known whether they were
    rejected, how many were, how many were tries after the first; how many with a reliable index, how many of those within
    ±1, the mean and the mean square of their DI; how many with a dose, and its geometric mean [mGy]."""

    day: str
    made: int
    rejects_known: int
    rejected: int
    repeats: int
    judged: int
    within: int
    mean_di: float | None
    mean_square_di: float | None
    dosed: int
    kerma_mgy: float | None


def days(store: Store, room: str = "", projection: str = "", since: str = "", until: str = "9999") -> list[Day]:
    """Each day that has an exposure, oldest first. since and until: ISO days, the last one counted in."""
    rows = store.db.execute(
        f"SELECT day, {', '.join(_SUMMED)} FROM log_day WHERE room = ? AND projection = ? AND day BETWEEN ? AND ?"
        " AND made > 0 ORDER BY day",
        (room, projection, since, until),
    )
    return [
        Day(
            day,
            made,
            known,
            rejected,
            repeats,
            judged,
            within,
            di_sum / 100 / judged if judged else None,
            di_squares / 10_000 / judged if judged else None,
            dosed,
            10 ** (kerma_sum / 1000 / dosed) if dosed else None,
        )
        for day, made, known, rejected, repeats, judged, within, di_sum, di_squares, dosed, kerma_sum in rows
    ]


Bins = dict[tuple[str, str], dict[int | str, int]]
"""By projection and what: how many in each bin."""


def bins(store: Store, room: str, since: str, until: str) -> Bins:
    """How many of what by projection, from one ISO day to another, both counted in; room "" for all.

    Whole months come from their sums; the days at either end from their exposures.
    """
    first_whole = since[:7] if since[8:] == "01" else _month_after(since[:7])
    last_whole = until[:7] if _next_day_is_first(until) else _month_before(until[:7])
    found: Bins = {}

    def take(rows: Iterable[tuple[str, str, int | str, int]]) -> None:
        for projection, what, bin_, n in rows:
            counted = found.setdefault((projection, what), {})
            counted[bin_] = counted.get(bin_, 0) + n

    if first_whole <= last_whole:
        take(
            store.db.execute(
                "SELECT projection, what, bin, sum(n) FROM log_month WHERE room = ? AND month BETWEEN ? AND ?"
                " GROUP BY 1, 2, 3 HAVING sum(n) > 0",
                (room, first_whole, last_whole),
            )
        )
        parts = [(since, f"{first_whole}-01"), (f"{_month_after(last_whole)}-01", f"{until}~")]
    else:
        parts = [(since, f"{until}~")]
    of_room = "room = :room AND " if room else ""
    for start, end in parts:
        if start < end:
            of = f"{of_room}taken_at >= :start AND taken_at < :end"
            query = f"SELECT projection, what, bin, sum(n) FROM ({_BINS.format(of=of)}) GROUP BY 1, 2, 3"
            take(store.db.execute(query, {"room": room, "start": start, "end": end}))
    return found


def made_between(store: Store, room: str, since: str, until: str) -> dict[str, int]:
    """How many exposures of each projection from one ISO day to another, both counted in; room "" for all."""
    rows = store.db.execute(
        "SELECT projection, sum(made) AS n FROM log_day WHERE room = ? AND projection <> '' AND day BETWEEN ? AND ?"
        " GROUP BY projection",
        (room, since, until),
    )
    return {row["projection"]: row["n"] for row in rows if row["n"] > 0}


def made(store: Store, room: str) -> dict[str, int]:
    """How many exposures of each projection a room's log holds."""
    rows = store.db.execute(
        "SELECT projection, sum(made) AS n FROM log_day WHERE room = ? AND projection <> '' GROUP BY projection", (room,)
    )
    return {row["projection"]: row["n"] for row in rows if row["n"] > 0}


def _month_after(month: str) -> str:
    year, number = int(month[:4]), int(month[5:7])
    return f"{year + 1:04}-01" if number == 12 else f"{year:04}-{number + 1:02}"


def _month_before(month: str) -> str:
    year, number = int(month[:4]), int(month[5:7])
    return f"{year - 1:04}-12" if number == 1 else f"{year:04}-{number - 1:02}"


def _next_day_is_first(day: str) -> bool:
    return calendar.monthrange(int(day[:4]), int(day[5:7]))[1] == int(day[8:10])
