"""Comments on a chart and on its lines: said once, answered or resolved, never altered. They follow a line by its key."""

from __future__ import annotations

from dataclasses import dataclass

from oakbeam.store.database import NotFound, Store, audit, now


@dataclass(frozen=True, slots=True)
class Comment:
    """What somebody said of a chart, or of the line of that key. resolved_by: who called it settled; None while open."""

    id: int
    chart: int
    line_key: int | None
    at: str
    author: str
    text: str
    resolved_at: str | None
    resolved_by: str | None


def of_chart(store: Store, chart_id: int) -> list[Comment]:
    """A chart's comments, oldest first."""
    rows = store.db.execute("SELECT * FROM comment WHERE chart = ? ORDER BY id", (chart_id,))
    return [Comment(**dict(row)) for row in rows]


def add(store: Store, chart_id: int, line_key: int | None, text: str, author: str) -> Comment:
    """Say something of a chart or of one of its lines, whatever its status."""
    with store.change() as db:
        there = db.execute(
            "SELECT 1 FROM chart c WHERE c.id = :chart AND (:key IS NULL OR EXISTS"
            " (SELECT 1 FROM chart_line l WHERE l.chart = c.id AND l.key = :key))",
            {"chart": chart_id, "key": line_key},
        ).fetchone()
        if there is None:
            raise NotFound(f"There is no chart {chart_id} with such a line.")
        row = db.execute(
            "INSERT INTO comment (chart, line_key, at, author, text) VALUES (:chart, :key, :at, :author, :text) RETURNING *",
            {"chart": chart_id, "key": line_key, "at": now(), "author": author, "text": text},
        ).fetchone()
        audit(db, author, "comment.add", f"chart:{chart_id}", {"comment": row["id"], "line_key": line_key, "text": text})
    return Comment(**dict(row))


def resolve(store: Store, comment_id: int, actor: str) -> Comment:
    """Call a comment settled; one that is settled stays as it is."""
    with store.change() as db:
        row = db.execute("SELECT * FROM comment WHERE id = ?", (comment_id,)).fetchone()
        if row is None:
            raise NotFound(f"There is no comment {comment_id}.")
        if row["resolved_at"] is None:
            row = db.execute(
                "UPDATE comment SET resolved_at = :at, resolved_by = :by WHERE id = :id RETURNING *",
                {"at": now(), "by": actor, "id": comment_id},
            ).fetchone()
            audit(db, actor, "comment.resolve", f"chart:{row['chart']}", {"comment": comment_id})
    return Comment(**dict(row))
