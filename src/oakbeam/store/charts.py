"""Charts: versions of a room's chart, their lines and bands.

A room has at most one version that is not approved yet, draft or proposed, and one approved version. Approving supersedes
the version before it. A change of lines is made from what somebody read: where others changed the same line meanwhile, it is
refused with the line as it is now, and nothing is lost.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass, fields, replace
from datetime import date
from functools import partial

from oakbeam.core.charts.line import Chart, ChartLine, Link, Status
from oakbeam.core.charts.links import followed
from oakbeam.core.charts.systems import Band, Banded, FixedKvp, Levelled, MasRule, Point, SystemName, VariableKvp
from oakbeam.core.errors import Refusal
from oakbeam.core.physics.rules_of_thumb import DEFAULT_GRID_TABLE, GridTable
from oakbeam.store.database import Conflict, Connection, NotFound, Store, audit, now
from oakbeam.store.reviews import set_review

HEADING = (
    "chart.*, coalesce((SELECT due FROM chart_review WHERE chart = chart.id ORDER BY id DESC LIMIT 1), '') AS review_by"
)
"""What a chart's heading is read as."""
MOST_AT_ONCE = 500
"""Values in one statement; SQLite takes 999 at least."""


def listed(
    store: Store, room_id: str | None = None, before: int | None = None, limit: int = 50, *, in_use: bool = False
) -> list[tuple[Chart, int]]:
    """Versions without their lines, and how many each has, newest first.

    room_id: of one room; before: older than the version of this id; in_use: approved, or not approved yet.
    """
    rows = store.db.execute(
        f"SELECT {HEADING}, (SELECT count(*) FROM chart_line WHERE chart = chart.id) AS line_count FROM chart"
        " WHERE (:room IS NULL OR room = :room) AND (:before IS NULL OR id < :before)"
        " AND (NOT :in_use OR status <> 'superseded') ORDER BY id DESC LIMIT :limit",
        {"room": room_id, "before": before, "in_use": in_use, "limit": limit},
    ).fetchall()
    return [(_chart(row, ()), row["line_count"]) for row in rows]


def charted(store: Store, room_id: str | None = None, projection: str | None = None) -> dict[str, list[str]]:
    """The projections that the approved charts have lines for, by room; of one room, and of one projection, where given."""
    rows = store.db.execute(
        "SELECT room, projection FROM chart JOIN chart_line ON chart_line.chart = chart.id WHERE status = 'approved'"
        " AND (:room IS NULL OR room = :room) AND (:projection IS NULL OR projection = :projection)"
        " GROUP BY room, projection ORDER BY room, min(position)",
        {"room": room_id, "projection": projection},
    )
    found: dict[str, list[str]] = {}
    for room, one in rows:
        found.setdefault(room, []).append(one)
    return found


def in_use(store: Store, room_id: str) -> list[Chart]:
    """A room's versions that are not superseded, newest first: the one that is not approved yet, and the approved one."""
    return [get(store, heading.id) for heading, _ in listed(store, room_id, in_use=True)]


def replaced_by(store: Store, chart: Chart) -> Chart | None:
    """The newest superseded version before this one; None where there is none."""
    earlier = (heading for heading, _ in listed(store, chart.room, chart.id) if heading.status == "superseded")
    return next((get(store, heading.id) for heading in earlier), None)


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


def for_recording(store: Store, chart_id: int) -> Chart:
    """A chart version that exposures may be recorded against, which is the one in use and no other; the only place that says
    so. Refusal for a draft or a proposed one, Conflict for one that another took the place of."""
    chart = get(store, chart_id)
    if chart.status in ("draft", "proposed"):
        what = "a draft" if chart.status == "draft" else "proposed, and waits for approval"
        says = f"Version {chart.version} is {what}. Exposures are recorded against an approved chart."
        raise Refusal("Not approved", says, field="technique.chart")
    if chart.status == "superseded":
        raise Conflict(
            "Another chart by now",
            f"Version {chart.version} was on screen; another version was approved meanwhile. Look at its numbers, then "
            "record what was really set.",
        )
    return chart


def in_use_at(store: Store, room_id: str, at: str) -> int | None:
    """The version of a room's chart that was in use at a moment (ISO 8601, UTC), by its id; None before the first."""

    def read() -> list[tuple[str, int]]:
        rows = store.db.execute(
            "SELECT approved_at, id FROM chart WHERE room = ? AND status IN ('approved', 'superseded')"
            " ORDER BY approved_at DESC",
            (room_id,),
        )
        return [(row["approved_at"], row["id"]) for row in rows]

    return next((chart for since, chart in store.remembered(("in use", room_id), read) if since <= at), None)


def add_draft(
    store: Store,
    room_id: str,
    name: str,
    actor: str,
    lines: tuple[ChartLine, ...] = (),
    grid_table: GridTable = DEFAULT_GRID_TABLE,
    note: str = "",
) -> Chart:
    """A new draft of the room's next version; Conflict where the room already has a draft."""
    with store.change() as db:
        if db.execute("SELECT 1 FROM room WHERE id = ?", (room_id,)).fetchone() is None:
            raise NotFound(f"There is no room '{room_id[:60]}'.")
        if draft := db.execute(
            "SELECT version FROM chart WHERE room = ? AND status IN ('draft', 'proposed')", (room_id,)
        ).fetchone():
            raise Conflict(
                "A draft is open",
                f"Version {draft['version']} of this room is not approved yet; approve or discard it first.",
            )
        row = db.execute(
            "INSERT INTO chart (room, name, version, status, grid_table, author, created_at, note, next_key)"
            " SELECT :room, :name, coalesce(max(version), 0) + 1, 'draft', :grid_table, :author, :at, :note,"
            " coalesce(max(next_key), 1) FROM chart WHERE room = :room RETURNING id, version",
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


def change_heading(store: Store, chart_id: int, actor: str, name: str, grid_table: GridTable | None, note: str) -> Chart:
    """Change a draft's name, grid table (None: as it is) and note."""
    with store.change() as db:
        draft = _draft(db, chart_id)
        heading = {"name": name, "grid_table": grid_table or draft.grid_table, "note": note}
        db.execute(
            "UPDATE chart SET name = :name, grid_table = :grid_table, note = :note, revision = revision + 1 WHERE id = :id",
            {**heading, "id": chart_id},
        )
        audit(db, actor, "chart.heading", f"chart:{chart_id}", heading)
        return _get(db, chart_id)


def count_by_status(store: Store) -> dict[Status, int]:
    """How many versions of charts there are in each state that any is in."""
    rows = store.db.execute("SELECT status, count(*) AS n FROM chart GROUP BY status ORDER BY status")
    return {row["status"]: row["n"] for row in rows}


def propose(store: Store, chart_id: int, actor: str, reasons: Mapping[str, str] | None = None) -> Chart:
    """Hand a draft in for approval; it does not change while it waits. reasons: why what the chart check found stands, by
    check, kept in the history. Conflict for an empty draft."""
    with store.change() as db:
        chart = _draft(db, chart_id)
        if not chart.lines:
            raise Conflict("Nothing to propose", "A chart without lines cannot be proposed; add a line first.")
        db.execute(
            "UPDATE chart SET status = 'proposed', proposed_by = :by, proposed_at = :at WHERE id = :id",
            {"by": actor, "at": now(), "id": chart_id},
        )
        detail = {"version": chart.version, "lines": len(chart.lines), **({"reasons": dict(reasons)} if reasons else {})}
        audit(db, actor, "chart.propose", f"chart:{chart_id}", detail)
        return _get(db, chart_id)


def return_to_author(store: Store, chart_id: int, actor: str, why: str) -> Chart:
    """Make a proposed version a draft again, with the reason: by who shall approve it, or by who proposed it."""
    with store.change() as db:
        chart = _proposed(db, chart_id)
        db.execute("UPDATE chart SET status = 'draft', proposed_by = '', proposed_at = '' WHERE id = ?", (chart_id,))
        audit(db, actor, "chart.return_to_author", f"chart:{chart_id}", {"version": chart.version, "why": why})
        return _get(db, chart_id)


def approve(store: Store, chart_id: int, actor: str, another: bool = False, review_by: date | None = None) -> Chart:
    """Make a proposed version the room's approved one; the version before it is superseded.

    another: the department wants it approved by somebody who neither made, changed nor proposed it; Conflict otherwise.
    review_by: the day by which it is to be looked at again, a year from now where None.
    """
    with store.change() as db:
        chart = _proposed(db, chart_id)
        if another and actor in (chart.author, chart.proposed_by):
            raise _AnotherApproves(f"{actor} made or proposed version {chart.version}")
        if another and _changed_lines(db, chart_id, actor):
            raise _AnotherApproves(f"{actor} changed lines of version {chart.version}")
        db.execute("UPDATE chart SET status = 'superseded' WHERE room = ? AND status = 'approved'", (chart.room,))
        db.execute(
            "UPDATE chart SET status = 'approved', approver = :approver, approved_at = :at WHERE id = :id",
            {"approver": actor, "at": now(), "id": chart_id},
        )
        set_review(db, chart_id, actor, review_by)
        audit(db, actor, "chart.approve", f"chart:{chart_id}", {"version": chart.version, "lines": len(chart.lines)})
        return _get(db, chart_id)


class _AnotherApproves(Conflict):
    def __init__(self, because: str) -> None:
        super().__init__("Another person approves", f"{because}; the department wants it approved by somebody else.")


def _changed_lines(db: Connection, chart_id: int, actor: str) -> bool:
    """Whether a person added, changed or took out a line of this version, or changed its heading, by its audit rows."""
    row = db.execute(
        "SELECT 1 FROM audit WHERE subject = ? AND actor = ? AND (action LIKE 'line.%' OR action = 'chart.heading') LIMIT 1",
        (f"chart:{chart_id}", actor),
    ).fetchone()
    return row is not None


def discard(store: Store, chart_id: int, actor: str) -> None:
    """Delete a draft. What it held is kept in its audit row."""
    with store.change() as db:
        chart = _draft(db, chart_id)
        db.execute("DELETE FROM chart WHERE id = ?", (chart_id,))
        lines = [asdict(line) for line in chart.lines]
        audit(db, actor, "chart.discard", f"chart:{chart_id}", {"version": chart.version, "lines": lines})


@dataclass(frozen=True, slots=True)
class LineChange:
    """One change of a draft: of the line `line`, or a new one where that is None; to None takes the line out.

    revision: of the line that the change was made from, where the caller read one. position: where a new line goes; None at
    the end.
    """

    line: int | None
    to: ChartLine | None
    revision: int | None = None
    position: int | None = None


class Stale(Conflict):
    """Somebody changed the same lines meanwhile. lines: the lines as they are now by id; None for one that was taken out."""

    def __init__(self, lines: Mapping[int, ChartLine | None]) -> None:
        count = len(lines)
        which = "A line was" if count == 1 else f"{count} lines were"
        super().__init__(
            "Changed meanwhile", f"{which} changed by somebody else since you read the chart. Nothing of yours was kept yet."
        )
        self.lines = lines


@dataclass(frozen=True, slots=True)
class Changed:
    """What a change left: the chart, the lines that were touched (followers too), and the change that would undo it."""

    chart: Chart
    touched: tuple[int, ...]
    undo: tuple[LineChange, ...]


def change_lines(
    store: Store,
    chart_id: int,
    changes: Sequence[LineChange],
    actor: str,
    check: Callable[[ChartLine], ChartLine] = lambda line: line,
    why: str = "",
) -> Changed:
    """Make several changes of a draft, all or none; then every line that follows another is derived anew.

    check is asked for each line that a change or a link makes. Raises Stale where a line is no longer at the revision that a
    change was made from, Refusal where a link leads nowhere.
    """
    with store.change() as db:
        chart = _draft(db, chart_id)
        before = {line.id: line for line in chart.lines if line.id is not None}
        stale = {
            change.line: before.get(change.line)
            for change in changes
            if change.line is not None
            and (
                change.line not in before
                or (change.revision is not None and before[change.line].revision != change.revision)
            )
        }
        if missing := [line_id for line_id, line in stale.items() if line is None]:
            unread = [one.line for one in changes if one.line in missing and one.revision is None]
            if unread:
                raise NotFound(f"Chart {chart_id} has no line {unread[0]}.")
        if stale:
            raise Stale(stale)
        undo, touched = [], []
        for change in changes:
            line_id = _apply(db, chart, change, before, actor, why, check)
            touched.append(line_id)
            undo.append(_inverse(change, line_id, before, chart))
        touched += _follow(db, chart_id, actor, check, set(touched))
        db.execute("UPDATE chart SET revision = revision + 1 WHERE id = ?", (chart_id,))
        after = _get(db, chart_id)
        revisions = {line.id: line.revision for line in after.lines}
        backwards = tuple(
            replace(one, revision=revisions[one.line]) if one.line in revisions else one for one in reversed(undo)
        )
        return Changed(after, tuple(touched), backwards)


def add_line(store: Store, chart_id: int, line: ChartLine, actor: str) -> ChartLine:
    """Add a line to the end of a draft."""
    made = change_lines(store, chart_id, [LineChange(None, line)], actor)
    return line_of(made.chart, made.touched[0])


def _apply(
    db: Connection,
    chart: Chart,
    change: LineChange,
    before: Mapping[int, ChartLine],
    actor: str,
    why: str,
    check: Callable[[ChartLine], ChartLine],
) -> int:
    """Make one change, with its audit row; the id of the line."""
    subject, because = f"chart:{chart.id}", {"why": why} if why else {}
    if change.line is None:
        assert change.to is not None
        line_id = _insert_line(db, chart.id, change.position, check(change.to))
        audit(db, actor, "line.add", subject, {"line": line_id, **_for_audit(change.to), **because})
        return line_id
    old = before[change.line]
    if change.to is None:
        db.execute("DELETE FROM chart_line WHERE id = ?", (change.line,))
        # No hole in the order, so that a place in it is a place in the list.
        db.execute(
            "UPDATE chart_line SET position = (SELECT count(*) FROM chart_line AS o WHERE o.chart = chart_line.chart AND"
            " o.position < chart_line.position) WHERE chart = ?",
            (chart.id,),
        )
        audit(db, actor, "line.remove", subject, {"line": change.line, "before": _for_audit(old), **because})
        return change.line
    _replace(db, change.line, check(change.to))
    detail = {"line": change.line, "before": _for_audit(old), "after": _for_audit(change.to), **because}
    audit(db, actor, "line.change", subject, detail)
    return change.line


def _inverse(change: LineChange, line_id: int, before: Mapping[int, ChartLine], chart: Chart) -> LineChange:
    if change.line is None:
        return LineChange(line_id, None)
    old = before[change.line]
    if change.to is None:
        return LineChange(None, old, position=[line.id for line in chart.lines].index(change.line))
    return LineChange(change.line, old)


def _follow(db: Connection, chart_id: int, actor: str, check: Callable[[ChartLine], ChartLine], done: set[int]) -> list[int]:
    """Derive anew the lines that follow others; the ids of those that moved and are not among `done`."""
    lines = _lines(db, chart_id)
    moved = []
    for old, new in zip(lines, followed(lines), strict=True):
        if new.law != old.law or new.range_cm != old.range_cm:
            assert old.id is not None
            _replace(db, old.id, check(new))
            if old.id not in done:
                detail = {
                    "line": old.id,
                    "before": _for_audit(old),
                    "after": _for_audit(new),
                    "follows": new.link and new.link.to,
                }
                audit(db, actor, "line.follow", f"chart:{chart_id}", detail)
                moved.append(old.id)
    return moved


def _replace(db: Connection, line_id: int, line: ChartLine) -> None:
    columns = _columns(line)
    db.execute(
        f"UPDATE chart_line SET {', '.join(f'{column} = :{column}' for column in columns)}, revision = revision + 1"
        " WHERE id = :id",
        {**columns, "id": line_id},
    )
    db.execute("DELETE FROM chart_band WHERE line = ?", (line_id,))
    db.execute("DELETE FROM chart_point WHERE line = ?", (line_id,))
    _insert_parts(db, line_id, line)


def _get(db: Connection, chart_id: int) -> Chart:
    row = db.execute(f"SELECT {HEADING} FROM chart WHERE id = ?", (chart_id,)).fetchone()
    if row is None:
        raise NotFound(f"There is no chart {chart_id}.")
    if row["status"] in ("approved", "superseded"):
        # They never change again, so that they are read once, whatever else is kept meanwhile.
        return _chart(row, db.parse(("lines of", chart_id), lambda: _lines(db, chart_id)))
    return _chart(row, _lines(db, chart_id))


def _chart(row: sqlite3.Row, lines: tuple[ChartLine, ...]) -> Chart:
    return Chart(**{one.name: row[one.name] for one in fields(Chart) if one.name != "lines"}, lines=lines)


def _proposed(db: Connection, chart_id: int) -> Chart:
    chart = _not_yet_approved(db, chart_id)
    if chart.status == "draft":
        raise Conflict("Not proposed", f"Version {chart.version} is a draft; it is proposed before it is approved.")
    return chart


def _draft(db: Connection, chart_id: int) -> Chart:
    chart = _not_yet_approved(db, chart_id)
    if chart.status == "proposed":
        raise Conflict("Waits for approval", f"Version {chart.version} is proposed; give it back before you change it.")
    return chart


def _not_yet_approved(db: Connection, chart_id: int) -> Chart:
    chart = _get(db, chart_id)
    if chart.status in ("approved", "superseded"):
        raise Conflict(
            "Not a draft",
            f"Version {chart.version} is {chart.status} and never changes; start a draft of the next version.",
        )
    return chart


def line_of(chart: Chart, line_id: int) -> ChartLine:
    """The line of that id; NotFound otherwise."""
    for line in chart.lines:
        if line.id == line_id:
            return line
    raise NotFound(f"Chart {chart.id} has no line {line_id}.")


def _lines(db: Connection, chart_id: int) -> tuple[ChartLine, ...]:
    """A chart's lines in order. A line that nobody changed since is not put together again."""
    rows = db.execute("SELECT * FROM chart_line WHERE chart = ? ORDER BY position, id", (chart_id,)).fetchall()
    new = [row["id"] for row in rows if ("line", row["id"], row["revision"]) not in db.parsed]
    bands: dict[int, list[Band]] = {}
    points: dict[int, list[Point]] = {}
    for some in (new[i : i + MOST_AT_ONCE] for i in range(0, len(new), MOST_AT_ONCE)):
        these = f"({', '.join('?' * len(some))})"
        for row in db.execute(f"SELECT * FROM chart_band WHERE line IN {these} ORDER BY line, position", some):
            band = Band(row["name"], row["min_cm"], row["max_cm"], row["kvp"], row["mas"])
            bands.setdefault(row["line"], []).append(band)
        for row in db.execute(f"SELECT * FROM chart_point WHERE line IN {these} ORDER BY line, position", some):
            points.setdefault(row["line"], []).append(Point(row["thickness_cm"], row["kvp"], row["mas"]))

    def line(row: sqlite3.Row) -> ChartLine:
        return _line_from(row, tuple(bands.get(row["id"], ())), tuple(points.get(row["id"], ())))

    return tuple(db.parse(("line", row["id"], row["revision"]), partial(line, row)) for row in rows)


def _line_from(row: sqlite3.Row, bands: tuple[Band, ...], points: tuple[Point, ...]) -> ChartLine:
    school: SystemName = row["school"]
    law: MasRule
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
        filter=row["filter"],
        exposure_control=row["exposure_control"],
        aec_cells=row["aec_cells"],
        aec_density=row["aec_density"],
        origin=row["origin"],
        origin_spread_di=row["origin_spread_di"],
        link=None
        if row["follows"] is None
        else Link(row["follows"], row["follows_kvp"], row["follows_mas"], row["follows_cm"], row["follows_why"]),
        key=row["key"],
        id=row["id"],
        revision=row["revision"],
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
        "filter": line.filter,
        "exposure_control": line.exposure_control,
        "aec_cells": line.aec_cells,
        "aec_density": line.aec_density,
        "origin": line.origin,
        "origin_spread_di": line.origin_spread_di,
        "follows": line.link and line.link.to,
        "follows_kvp": line.link and line.link.kvp_added,
        "follows_mas": line.link and line.link.mas_factor,
        "follows_cm": line.link and line.link.thicker_cm,
        "follows_why": line.link.why if line.link else "",
        "school": law.name,
        "thickness_cm": None if isinstance(law, Banded) else law.thickness_cm,
        "kvp": single and single.kvp,
        "mas": single and single.mas,
        "doubling_cm": law.doubling_cm if isinstance(law, FixedKvp) else None,
        "kvp_per_cm": law.kvp_per_cm if isinstance(law, VariableKvp) else None,
    }


def _insert_line(db: Connection, chart_id: int, position: int | None, line: ChartLine) -> int:
    """Add a line at a position, at the end where None. It keeps its key where that is free, and else gets one that no line
    of the chart ever had."""
    count, next_key = db.execute(
        "SELECT (SELECT count(*) FROM chart_line WHERE chart = c.id), next_key FROM chart c WHERE id = ?", (chart_id,)
    ).fetchone()
    taken = db.execute("SELECT 1 FROM chart_line WHERE chart = ? AND key = ?", (chart_id, line.key)).fetchone()
    place = count if position is None else min(position, count)
    db.execute("UPDATE chart_line SET position = position + 1 WHERE chart = ? AND position >= ?", (chart_id, place))
    key = line.key if line.key is not None and not taken else next_key
    db.execute("UPDATE chart SET next_key = max(next_key, ?) WHERE id = ?", (key + 1, chart_id))
    columns = {"chart": chart_id, "position": place, "key": key, **_columns(line)}
    row = db.execute(
        f"INSERT INTO chart_line ({', '.join(columns)}) VALUES ({', '.join(f':{c}' for c in columns)}) RETURNING id", columns
    ).fetchone()
    line_id = int(row["id"])
    _insert_parts(db, line_id, line)
    return line_id


def _insert_parts(db: Connection, line_id: int, line: ChartLine) -> None:
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
    return {key: value for key, value in asdict(line).items() if key not in ("id", "revision")}
