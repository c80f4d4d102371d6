"""Until when an approved chart version is good: the day by which it is to be looked at again."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta

from oakbeam.core.charts.line import Chart
from oakbeam.core.errors import Refusal
from oakbeam.store.database import Connection, now

REVIEW_AFTER = timedelta(days=365)
"""When a version is looked at again unless something else is said: a year, an example."""
LONGEST = timedelta(days=5 * 366)


def today() -> date:
    """This day, UTC."""
    return datetime.now(UTC).date()


def overdue(chart: Chart) -> bool:
    """Whether an approved version should have been looked at again by now."""
    return chart.status == "approved" and bool(chart.review_by) and date.fromisoformat(chart.review_by) < today()


def set_review(db: Connection, chart_id: int, actor: str, due: date | None, note: str = "") -> None:
    """Within a change: a version is good until a day, a year from now where None. Refusal for a day that is not to come."""
    day = due or today() + REVIEW_AFTER
    if not today() < day <= today() + LONGEST:
        allowed = {"min": (today() + timedelta(days=1)).isoformat(), "max": (today() + LONGEST).isoformat()}
        text = f"The next review is on a day to come, {allowed['max']} at the latest; not {day}."
        raise Refusal("Not a day to come", text, [allowed["min"], allowed["max"]], "review_by")
    db.execute(
        "INSERT INTO chart_review (chart, at, by, due, note) VALUES (?, ?, ?, ?, ?)",
        (chart_id, now(), actor, day.isoformat(), note),
    )
