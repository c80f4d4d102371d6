"""Changes of a draft: any run of them can be taken back; families follow; what waits for approval stays as it is."""

from __future__ import annotations

import sqlite3
import tempfile
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import LINES, ROOM, approved, proofs

from oakbeam.core.charts.line import Link
from oakbeam.core.charts.links import followed, scaled
from oakbeam.core.charts.systems import FixedKvp
from oakbeam.core.errors import Refusal
from oakbeam.store import Conflict, Store, charts, comments, people, rooms
from oakbeam.store.charts import LineChange, Stale

STEPS = st.lists(
    st.tuples(st.sampled_from(["scale", "remove", "add", "link", "unlink"]), st.integers(0, 9), st.floats(0.5, 2)),
    min_size=1,
    max_size=8,
)


def whole(chart):
    return [(line, line.key) for line in chart.lines]


def changes_of(chart, step):
    """A step as changes of the chart as it is; none where it makes no sense."""
    kind, which, factor = step
    if not chart.lines:
        return []
    line = chart.lines[which % len(chart.lines)]
    other = chart.lines[(which + 1) % len(chart.lines)]
    if kind == "remove":
        return [LineChange(line.id, None, line.revision)]
    if kind == "add":
        return [LineChange(None, replace(line, link=None, key=None), position=which % (len(chart.lines) + 1))]
    if kind == "link":
        return [LineChange(line.id, replace(line, link=Link(other.key, 0, factor, 0)), line.revision)]
    if kind == "unlink":
        return [LineChange(line.id, replace(line, link=None), line.revision)]
    return [LineChange(line.id, replace(line, law=scaled(line.law, factor)), line.revision)]


@settings(max_examples=proofs(25, 250))
@given(STEPS)
def test_any_run_of_changes_is_undone_step_by_step(steps):
    with tempfile.TemporaryDirectory() as folder:
        store = Store(Path(folder) / "oakbeam.db")
        rooms.save(store, ROOM, "test")
        chart = charts.add_draft(store, "room-1", "d", "keeper", tuple(LINES.values()))
        past = []
        for step in steps:
            try:
                done = charts.change_lines(store, chart.id, changes_of(chart, step), "keeper")
            except Refusal:
                assert whole(charts.get(store, chart.id)) == whole(chart)  # refused whole
                continue
            # A line that comes back has a new id: undo is remembered by keys, as the interface does.
            keys = {line.id: line.key for line in done.chart.lines}
            past.append((whole(chart), [(one.to.key if one.to else keys[one.line], one) for one in done.undo]))
            chart = charts.get(store, done.chart.id)
            assert whole(chart) == whole(done.chart)
            assert [line.law for line in chart.lines] == [line.law for line in followed(chart.lines)]
            assert len({line.key for line in chart.lines}) == len(chart.lines)
        for before, undo in reversed(past):
            now = {line.key: line for line in chart.lines}
            back = [replace(one, line=now[key].id if key in now else None, revision=None) for key, one in undo]
            chart = charts.change_lines(store, chart.id, back, "keeper").chart
            assert whole(chart) == before
        store.close()


def test_a_change_from_an_old_reading_is_refused_with_the_line_as_it_is(charted):
    draft = charts.next_draft(charted, 1, "keeper")
    line = draft.lines[0]
    louder = replace(line, law=FixedKvp(21, 80, 50, 4.5))
    charts.change_lines(charted, draft.id, [LineChange(line.id, louder, line.revision)], "ann")
    both = [LineChange(draft.lines[1].id, None, 1), LineChange(line.id, line, line.revision)]
    with pytest.raises(Stale) as stale:
        charts.change_lines(charted, draft.id, both, "bea")
    assert stale.value.lines == {line.id: louder}
    assert len(charts.get(charted, draft.id).lines) == len(draft.lines)


@pytest.mark.parametrize(
    "statement",
    [
        "UPDATE chart SET name = 'other' WHERE status = 'proposed'",
        "UPDATE chart SET status = 'superseded' WHERE status = 'proposed'",
        "UPDATE chart_line SET mas = 1 WHERE chart = 2",
        "DELETE FROM chart WHERE status = 'proposed'",
    ],
)
def test_what_waits_for_approval_is_not_altered_even_by_sql(charted, statement):
    draft = charts.next_draft(charted, 1, "keeper")
    with pytest.raises(sqlite3.IntegrityError, match="proposed before it is approved"):
        charted.db.execute("UPDATE chart SET status = 'approved' WHERE id = ?", (draft.id,))
    charts.propose(charted, draft.id, "keeper")
    with pytest.raises(sqlite3.IntegrityError):
        charted.db.execute(statement)
    with pytest.raises(Conflict, match="somebody else"):
        charts.approve(charted, draft.id, "keeper", another=True)
    assert charts.approve(charted, draft.id, "physicist", another=True).status == "approved"


def test_comments_stay_as_they_were_said(charted):
    draft = charts.next_draft(charted, 1, "keeper")
    said = comments.add(charted, draft.id, draft.lines[0].key, "see the log", "ann")
    with pytest.raises(sqlite3.IntegrityError, match="not altered"):
        charted.db.execute("UPDATE comment SET text = 'nothing'")
    assert comments.resolve(charted, said.id, "bea").resolved_by == "bea"
    assert comments.resolve(charted, said.id, "cid").resolved_by == "bea"
    approved(charted, draft.id)
    assert [one.text for one in comments.of_chart(charted, draft.id)] == ["see the log"]


def test_passwords_and_tokens_are_kept_as_hashes(charted):
    people.add(charted, "ann", "Ann", ["keeper"], "a long enough one", "test")
    token, _ = people.sign_in(charted, "ann", "a long enough one", "here")
    charted.db.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    raw = charted.path.read_bytes()
    assert b"a long enough one" not in raw
    assert token.encode() not in raw
    assert b"$argon2id$" in raw


def test_a_key_is_given_once_in_a_rooms_chart(charted):
    draft = charts.next_draft(charted, 1, "keeper")
    last = draft.lines[-1]
    charts.change_lines(charted, draft.id, [LineChange(last.id, None)], "keeper")
    assert charts.add_line(charted, draft.id, replace(last, key=None), "keeper").key == last.key + 1
    charts.change_lines(charted, draft.id, [LineChange(charts.get(charted, draft.id).lines[-1].id, None)], "keeper")
    approved(charted, draft.id)
    after = charts.next_draft(charted, draft.id, "keeper")
    assert charts.add_line(charted, after.id, replace(last, key=None), "keeper").key == last.key + 2
