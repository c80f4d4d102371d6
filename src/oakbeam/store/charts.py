"""Charts: versions of a room's chart, their lines and bands.

A room has at most one draft and one approved version. Approving a draft supersedes the version before it.
"""

from __future__ import annotations

import sqlite3
from dataclasses import asdict, replace

from oakbeam.core.chart import Band, Banded, Chart, ChartLine, FixedKvp, Law, LawName, Levelled, Point, VariableKvp
from oakbeam.core.rules import GridTable
from oakbeam.store.database import Conflict, NotFound, Store, audit, now


def of_room(store: Store, room_id: str | None = None) -> list[Chart]:
    """All versions, newest first; of one room where an id is given."""
    rows = store.db.execute(
        "SELECT id FROM chart WHERE :room IS NULL OR room = :room ORDER BY room, version DESC", {"room": room_id}
    ).fetchall()
    return [get(store, row["id"]) for row in rows]


def get(store: Store, chart_id: int) -> Chart:
    """The chart of that id with its lines; NotFound otherwise. Drafts too: the caller looks at the status."""
    return store.remembered(("chart", chart_id), lambda: _get(store.db, chart_id))


def newest_approved(store: Store, room_id: str) -> Chart:
    """The version the Desk uses; NotFound where the room has none."""

    def read() -> Chart:
        row = store.db.execute("SELECT id FROM chart WHERE room = ? AND status = 'approved'", (room_id,)).fetchone()
        if row is None:
            raise NotFound(f"Room '{room_id[:60]}' has no approved chart.")
        return _get(store.db, row["id"])

    return store.remembered(("approved", room_id), read)


def add_draft(
    store: Store,
    room_id: str,
    name: str,
    actor: str,
    lines: tuple[ChartLine, ...] = (),
    grid_table: GridTable = "average",
    note: str = "",
) -> Chart:
    """A new draft of the room's next version; Conflict where the room already has a draft."""
    with store.change() as db:
        if db.execute("SELECT 1 FROM room WHERE id = ?", (room_id,)).fetchone() is None:
            raise NotFound(f"There is no room '{room_id[:60]}'.")
        if draft := db.execute("SELECT version FROM chart WHERE room = ? AND status = 'draft'", (room_id,)).fetchone():
            raise Conflict(
                "A draft is open", f"Version {draft['version']} of this room is still a draft; approve or discard it first."
            )
        row = db.execute(
            "INSERT INTO chart (room, name, version, status, grid_table, author, created_at, note) VALUES (:room, :name,"
            " (SELECT coalesce(max(version), 0) + 1 FROM chart WHERE room = :room), 'draft', :grid_table, :author, :at,"
            " :note) RETURNING id, version",
            {"room": room_id, "name": name, "grid_table": grid_table, "author": actor, "at": now(), "note": note},
        ).fetchone()
        for position, line in enumerate(lines):
            _insert_line(db, row["id"], position, line)
        audit(db, actor, "chart.draft", f"chart:{row['id']}", {"version": row["version"], "lines": len(lines)})
        return _get(db, row["id"])


def next_draft(store: Store, chart_id: int, actor: str) -> Chart:
    """A draft of the next version with this version's lines."""
    chart = get(store, chart_id)
    return add_draft(store, chart.room, chart.name, actor, chart.lines, chart.grid_table)


def change_heading(store: Store, chart_id: int, actor: str, name: str, grid_table: GridTable, note: str) -> Chart:
    """Change a draft's name, grid table and note."""
    with store.change() as db:
        _draft(db, chart_id)
        heading = {"name": name, "grid_table": grid_table, "note": note}
        db.execute(
            "UPDATE chart SET name = :name, grid_table = :grid_table, note = :note, revision = revision + 1 WHERE id = :id",
            {**heading, "id": chart_id},
        )
        audit(db, actor, "chart.heading", f"chart:{chart_id}", heading)
        return _get(db, chart_id)


def approve(store: Store, chart_id: int, actor: str) -> Chart:
    """Make a draft the room's approved version; the version before it is superseded. Conflict for an empty draft."""
    with store.change() as db:
        chart = _draft(db, chart_id)
        if not chart.lines:
            raise Conflict("Nothing to approve", "A chart without lines cannot be approved; add a line first.")
        db.execute("UPDATE chart SET status = 'superseded' WHERE room = ? AND status = 'approved'", (chart.room,))
        db.execute(
            "UPDATE chart SET status = 'approved', approver = :approver, approved_at = :at WHERE id = :id",
            {"approver": actor, "at": now(), "id": chart_id},
        )
        audit(db, actor, "chart.approve", f"chart:{chart_id}", {"version": chart.version, "lines": len(chart.lines)})
        return _get(db, chart_id)


def discard(store: Store, chart_id: int, actor: str) -> None:
    """Delete a draft. What it held is kept in its audit row."""
    with store.change() as db:
        chart = _draft(db, chart_id)
        db.execute("DELETE FROM chart WHERE id = ?", (chart_id,))
        lines = [asdict(line) for line in chart.lines]
        audit(db, actor, "chart.discard", f"chart:{chart_id}", {"version": chart.version, "lines": lines})


def add_line(store: Store, chart_id: int, line: ChartLine, actor: str) -> ChartLine:
    """Add a line to the end of a draft."""
    with store.change() as db:
        chart = _draft(db, chart_id)
        line_id = _insert_line(db, chart_id, len(chart.lines), line)
        _touch(db, chart_id)
        audit(db, actor, "line.add", f"chart:{chart_id}", {"line": line_id, **_for_audit(line)})
        return replace(line, id=line_id)


def replace_line(store: Store, chart_id: int, line_id: int, line: ChartLine, actor: str) -> ChartLine:
    """Put another line in the place of one of a draft's lines; it keeps the id."""
    with store.change() as db:
        before = _line(_draft(db, chart_id), line_id)
        columns = _columns(line)
        db.execute(
            f"UPDATE chart_line SET {', '.join(f'{column} = :{column}' for column in columns)} WHERE id = :id",
            {**columns, "id": line_id},
        )
        db.execute("DELETE FROM chart_band WHERE line = ?", (line_id,))
        db.execute("DELETE FROM chart_point WHERE line = ?", (line_id,))
        _insert_parts(db, line_id, line)
        _touch(db, chart_id)
        detail = {"line": line_id, "before": _for_audit(before), "after": _for_audit(line)}
        audit(db, actor, "line.change", f"chart:{chart_id}", detail)
        return replace(line, id=line_id)


def remove_line(store: Store, chart_id: int, line_id: int, actor: str) -> None:
    """Take a line out of a draft."""
    with store.change() as db:
        before = _line(_draft(db, chart_id), line_id)
        db.execute("DELETE FROM chart_line WHERE id = ?", (line_id,))
        _touch(db, chart_id)
        audit(db, actor, "line.remove", f"chart:{chart_id}", {"line": line_id, "before": _for_audit(before)})


def _get(db: sqlite3.Connection, chart_id: int) -> Chart:
    row = db.execute("SELECT * FROM chart WHERE id = ?", (chart_id,)).fetchone()
    if row is None:
        raise NotFound(f"There is no chart {chart_id}.")
    return Chart(**{**dict(row), "lines": _lines(db, chart_id)})


def _draft(db: sqlite3.Connection, chart_id: int) -> Chart:
    chart = _get(db, chart_id)
    if chart.status != "draft":
        raise Conflict(
            "Not a draft",
            f"Version {chart.version} is {chart.status} and never changes; start a draft of the next version.",
        )
    return chart


def _line(chart: Chart, line_id: int) -> ChartLine:
    for line in chart.lines:
        if line.id == line_id:
            return line
    raise NotFound(f"Chart {chart.id} has no line {line_id}.")


def _touch(db: sqlite3.Connection, chart_id: int) -> None:
    db.execute("UPDATE chart SET revision = revision + 1 WHERE id = ?", (chart_id,))


def _lines(db: sqlite3.Connection, chart_id: int) -> tuple[ChartLine, ...]:
    bands: dict[int, list[Band]] = {}
    for row in db.execute(
        "SELECT b.* FROM chart_band b JOIN chart_line l ON l.id = b.line WHERE l.chart = ? ORDER BY b.line, b.position",
        (chart_id,),
    ):
        band = Band(row["name"], row["min_cm"], row["max_cm"], row["kvp"], row["mas"])
        bands.setdefault(row["line"], []).append(band)
    points: dict[int, list[Point]] = {}
    for row in db.execute(
        "SELECT p.* FROM chart_point p JOIN chart_line l ON l.id = p.line WHERE l.chart = ? ORDER BY p.line, p.position",
        (chart_id,),
    ):
        points.setdefault(row["line"], []).append(Point(row["thickness_cm"], row["kvp"], row["mas"]))
    rows = db.execute("SELECT * FROM chart_line WHERE chart = ? ORDER BY position, id", (chart_id,))
    return tuple(_line_from(row, tuple(bands.get(row["id"], ())), tuple(points.get(row["id"], ()))) for row in rows)


def _line_from(row: sqlite3.Row, bands: tuple[Band, ...], points: tuple[Point, ...]) -> ChartLine:
    school: LawName = row["school"]
    law: Law
    if school == "banded":
        law = Banded(bands)
    elif school == "levelled":
        law = Levelled(points, row["thickness_cm"])
    elif school == "fixed_kvp":
        law = FixedKvp(row["thickness_cm"], row["kvp"], row["mas"], row["doubling_cm"])
    else:
        law = VariableKvp(row["thickness_cm"], row["kvp"], row["mas"], row["kvp_per_cm"])
    return ChartLine(
        projection=row["projection"],
        receptor=row["receptor"],
        support=row["support"],
        grid_ratio=row["grid_ratio"],
        sid_cm=row["sid_cm"],
        range_cm=(row["range_min_cm"], row["range_max_cm"]),
        law=law,
        target_ei=row["target_ei"],
        field_cm=None if row["field_w_cm"] is None else (row["field_w_cm"], row["field_h_cm"]),
        note=row["note"],
        id=row["id"],
    )


def _columns(line: ChartLine) -> dict[str, object]:
    law, field = line.law, line.field_cm or (None, None)
    single = law if isinstance(law, FixedKvp | VariableKvp) else None
    return {
        "projection": line.projection,
        "receptor": line.receptor,
        "support": line.support,
        "grid_ratio": line.grid_ratio,
        "sid_cm": line.sid_cm,
        "range_min_cm": line.range_cm[0],
        "range_max_cm": line.range_cm[1],
        "target_ei": line.target_ei,
        "field_w_cm": field[0],
        "field_h_cm": field[1],
        "note": line.note,
        "school": law.name,
        "thickness_cm": None if isinstance(law, Banded) else law.thickness_cm,
        "kvp": single and single.kvp,
        "mas": single and single.mas,
        "doubling_cm": law.doubling_cm if isinstance(law, FixedKvp) else None,
        "kvp_per_cm": law.kvp_per_cm if isinstance(law, VariableKvp) else None,
    }


def _insert_line(db: sqlite3.Connection, chart_id: int, position: int, line: ChartLine) -> int:
    columns = {"chart": chart_id, "position": position, **_columns(line)}
    row = db.execute(
        f"INSERT INTO chart_line ({', '.join(columns)}) VALUES ({', '.join(f':{c}' for c in columns)}) RETURNING id", columns
    ).fetchone()
    line_id = int(row["id"])
    _insert_parts(db, line_id, line)
    return line_id


def _insert_parts(db: sqlite3.Connection, line_id: int, line: ChartLine) -> None:
    """The bands or points of a line's law."""
    if isinstance(line.law, Banded):
        db.executemany(
            "INSERT INTO chart_band (line, position, name, min_cm, max_cm, kvp, mas)"
            " VALUES (:line, :position, :name, :min_cm, :max_cm, :kvp, :mas)",
            [{"line": line_id, "position": i, **asdict(band)} for i, band in enumerate(line.law.bands)],
        )
    elif isinstance(line.law, Levelled):
        db.executemany(
            "INSERT INTO chart_point (line, position, thickness_cm, kvp, mas)"
            " VALUES (:line, :position, :thickness_cm, :kvp, :mas)",
            [{"line": line_id, "position": i, **asdict(point)} for i, point in enumerate(line.law.points)],
        )


def _for_audit(line: ChartLine) -> dict[str, object]:
    return {key: value for key, value in asdict(line).items() if key != "id"}
