"""What is kept stays: immutable versions, whole transactions, undo of the last record only, audit of every change."""

from __future__ import annotations

import json
import sqlite3
import threading
from contextlib import closing
from dataclasses import replace
from importlib.resources import files

import pytest
from tests.conftest import CHEST, KNEE, LINES, LSPINE, NOW, ROOM, approved

from oakbeam.core.charts.systems import FixedKvp, Levelled, Point
from oakbeam.core.errors import Refusal
from oakbeam.demo import seed
from oakbeam.store import Conflict, NotFound, Store, charts, exposures, history, rooms
from oakbeam.store.charts import LineChange
from oakbeam.store.exposures import Exposure, LogFilter


def plain(lines):
    return [replace(line, id=None) for line in lines]


def an_exposure(chart, **change) -> Exposure:
    exposure = Exposure(
        "room-1", chart.id, chart.version, "knee-ap", 12, 66, 5, 66, 5, 100, "tabletop", 0, "panel-24", "manual", "accepted"
    )
    return replace(exposure, **change)


def test_rooms_and_charts_come_back_as_they_went_in(charted):
    assert rooms.get(charted, "room-1") == ROOM
    assert plain(charts.newest_approved(charted, "room-1").lines) == list(LINES.values())


def test_levelled_lines_come_back_and_their_points_are_immutable_once_approved(charted):
    law = Levelled((Point(13, 75, 9), Point(21, 80, 25), Point(36, 85, 300)), 21)
    draft = charts.next_draft(charted, charts.newest_approved(charted, "room-1").id, "keeper")
    line = charts.add_line(charted, draft.id, replace(LSPINE, law=law), "keeper")
    assert charts.get(charted, draft.id).lines[-1] == line
    fewer = replace(LSPINE, law=replace(law, points=law.points[::2], base_cm=13))
    charts.change_lines(charted, draft.id, [LineChange(line.id, fewer)], "keeper")
    assert len(charts.get(charted, draft.id).lines[-1].law.points) == 2
    approved(charted, draft.id)
    for statement in (
        "UPDATE chart_point SET mas = 1",
        "DELETE FROM chart_point",
        "INSERT INTO chart_point SELECT line, 9, 1, 1, 1 FROM chart_point LIMIT 1",
    ):
        with pytest.raises(sqlite3.IntegrityError, match="immutable"):
            charted.db.execute(statement)


def test_a_database_of_the_first_version_is_brought_up_with_all_it_holds(tmp_path, monkeypatch):
    import oakbeam.store.database as module

    real = module.files  # type: ignore[attr-defined]

    class OnlyFirst:
        def __truediv__(self, _):
            return self

        def iterdir(self):
            return [file for file in (real("oakbeam.store") / "migrations").iterdir() if file.name.startswith("0001")]

    monkeypatch.setattr(module, "files", lambda _: OnlyFirst())
    old = Store(tmp_path / "old.db")
    with old.change() as db:
        db.execute("INSERT INTO room (id, name, equipment) VALUES ('r', 'R', '{}')")
        db.execute(
            "INSERT INTO chart (room, name, version, status, grid_table, author, created_at) VALUES"
            " ('r', 'c', 1, 'draft', 'average', 'a', 'now')"
        )
        db.execute(
            "INSERT INTO chart_line (chart, position, projection, receptor, support, grid_ratio, sid_cm, range_min_cm,"
            " range_max_cm, school) VALUES (1, 0, 'chest-pa', 'p', 'upright_bucky', 10, 180, 14, 30, 'banded')"
        )
        db.execute("INSERT INTO chart_band VALUES (1, 0, 'all', 14, 30, 117, 2)")
        # Two lines in one place, as taking one out and adding another once left them.
        db.execute(
            "INSERT INTO chart_line (chart, position, projection, receptor, support, grid_ratio, sid_cm, range_min_cm,"
            " range_max_cm, school, thickness_cm, kvp, mas, doubling_cm)"
            " VALUES (1, 0, 'hand-pa', 'p', 'tabletop', 0, 100, 2, 5, 'fixed_kvp', 3, 57, 1.6, 4)"
        )
        db.execute("UPDATE chart SET status = 'approved'")
    old.close()
    monkeypatch.setattr(module, "files", real)
    new = Store(tmp_path / "old.db")
    assert len(charts.get(new, 1).lines[0].law.bands) == 1
    assert [line.key for line in charts.get(new, 1).lines] == [1, 2]
    assert new.db.execute("PRAGMA foreign_keys").fetchone()[0] == 1
    with pytest.raises(sqlite3.IntegrityError, match="immutable"):
        new.db.execute("DELETE FROM chart_line")
    with pytest.raises(sqlite3.IntegrityError):
        new.db.execute("INSERT INTO chart_band VALUES (99, 0, 'all', 14, 30, 117, 2)")
    new.close()


def test_draft_approve_and_the_next_draft(charted):
    first = charts.newest_approved(charted, "room-1")
    draft = charts.next_draft(charted, first.id, "keeper")
    assert (draft.version, draft.status, plain(draft.lines)) == (2, "draft", plain(first.lines))
    assert charts.newest_approved(charted, "room-1").id == first.id
    with pytest.raises(Conflict, match="not approved yet"):
        charts.add_draft(charted, "room-1", "another", "keeper")
    changed = replace(LSPINE, law=FixedKvp(21, 82, 36, 4))
    ids = [line.id for line in draft.lines]
    changes = [LineChange(ids[0], changed), LineChange(ids[2], KNEE), LineChange(ids[3], None)]
    charts.change_lines(charted, draft.id, changes, "keeper")
    added = charts.add_line(charted, draft.id, CHEST, "keeper")
    second = approved(charted, draft.id)
    assert plain(second.lines) == [changed, KNEE, KNEE, CHEST]
    assert (ids[0], added.id) == (second.lines[0].id, second.lines[-1].id)
    assert charts.get(charted, first.id).status == "superseded"
    assert charts.newest_approved(charted, "room-1") == second
    actions = [change.action for change in history.of(charted, f"chart:{draft.id}")]
    assert actions == [
        "chart.approve",
        "chart.propose",
        "line.add",
        "line.remove",
        "line.change",
        "line.change",
        "chart.draft",
    ]


@pytest.mark.parametrize(
    "change",
    [
        lambda store, chart: charts.add_line(store, chart.id, KNEE, "x"),
        lambda store, chart: charts.change_lines(store, chart.id, [LineChange(chart.lines[0].id, KNEE)], "x"),
        lambda store, chart: charts.change_lines(store, chart.id, [LineChange(chart.lines[0].id, None)], "x"),
        lambda store, chart: charts.propose(store, chart.id, "x"),
        lambda store, chart: charts.return_to_author(store, chart.id, "x", "because"),
        lambda store, chart: charts.discard(store, chart.id, "x"),
        lambda store, chart: charts.approve(store, chart.id, "x"),
        lambda store, chart: charts.change_heading(store, chart.id, "x", "other", "average", ""),
    ],
)
def test_an_approved_version_refuses_every_change(charted, change):
    chart = charts.newest_approved(charted, "room-1")
    with pytest.raises(Conflict, match="never changes"):
        change(charted, chart)
    assert charts.newest_approved(charted, "room-1") == chart


@pytest.mark.parametrize(
    "statement",
    [
        "UPDATE chart SET name = 'other'",
        "UPDATE chart SET status = 'draft'",
        "UPDATE chart SET status = 'superseded', note = 'x'",
        "DELETE FROM chart",
        "UPDATE chart_line SET mas = 1",
        "DELETE FROM chart_line",
        "UPDATE chart_line SET key = 7",
        "UPDATE chart SET status = 'proposed'",
        "INSERT INTO chart_line (chart, position, projection, receptor, support, grid_ratio, sid_cm, range_min_cm,"
        " range_max_cm, target_ei, field_w_cm, field_h_cm, note, school, thickness_cm, kvp, mas, doubling_cm, kvp_per_cm)"
        " SELECT chart, 9, projection, receptor, support, grid_ratio, sid_cm, range_min_cm,"
        " range_max_cm, target_ei, field_w_cm, field_h_cm, note, school, thickness_cm, kvp, mas, doubling_cm, kvp_per_cm"
        " FROM chart_line LIMIT 1",
        "UPDATE chart_band SET mas = 1",
        "DELETE FROM chart_band",
        "INSERT INTO chart_band SELECT line, 9, name, min_cm, max_cm, kvp, mas FROM chart_band LIMIT 1",
        "UPDATE audit SET actor = 'x'",
        "DELETE FROM audit",
        "DELETE FROM exposure",
        "UPDATE exposure SET mas = 1",
    ],
)
def test_not_even_sql_alters_what_was_approved_or_recorded(charted, statement):
    exposures.add(charted, an_exposure(charts.newest_approved(charted, "room-1")), "x")
    with pytest.raises(sqlite3.DatabaseError, match=r"immutable|audit rows|recorded exposure"):
        charted.db.execute(statement)


def test_a_change_is_whole_or_not_at_all(store):
    broken = replace(KNEE, sid_cm=-5)  # refused by the table's own check
    with pytest.raises(sqlite3.IntegrityError):
        charts.add_draft(store, "room-1", "half", "keeper", (LSPINE, broken))
    assert charts.listed(store) == []
    assert store.db.execute("SELECT count(*) FROM audit WHERE action = 'chart.draft'").fetchone()[0] == 0


def test_an_empty_draft_is_not_approved_and_a_discarded_one_leaves_its_audit(store):
    draft = charts.add_draft(store, "room-1", "empty", "keeper")
    with pytest.raises(Conflict, match="without lines"):
        charts.propose(store, draft.id, "keeper")
    charts.add_line(store, draft.id, KNEE, "keeper")
    charts.discard(store, draft.id, "keeper")
    with pytest.raises(NotFound):
        charts.get(store, draft.id)
    assert history.of(store, f"chart:{draft.id}")[0].detail["lines"][0]["projection"] == "knee-ap"


def test_everybody_takes_back_their_own_and_anothers_only_who_may_with_a_reason(charted):
    chart = charts.newest_approved(charted, "room-1")
    mine, later = exposures.add_many(charted, [an_exposure(chart), an_exposure(chart, note="second")], "x")
    (hers,) = exposures.add_many(charted, [an_exposure(chart, note="hers")], "y")
    assert [one.recorded_by for one in exposures.find(charted, LogFilter(recorded_by="x"))] == ["x", "x"]
    with pytest.raises(exposures.NotYours, match="y recorded it"):
        exposures.undo(charted, hers.id, "x")
    with pytest.raises(Refusal, match="say why"):
        exposures.undo(charted, hers.id, "x", why=" ", may_others=True)
    assert exposures.undo(charted, later.id, "x").note == "second"
    with pytest.raises(Conflict, match="undone before"):
        exposures.undo(charted, later.id, "x")
    exposures.undo(charted, hers.id, "x", why="wrong room", may_others=True)
    assert [found.id for found in exposures.find(charted)] == [mine.id]
    (told,) = history.of(charted, f"exposure:{hers.id}")[:1]
    assert (told.actor, told.detail["why"]) == ("x", "wrong room")


def test_the_log_is_newest_first_filtered_and_continued(demo_store):
    everything = exposures.find(demo_store, limit=10_000)
    # Each rejected one is followed by its repeat.
    repeats = sum(e.attempt == 2 for e in everything)
    assert repeats == sum(e.outcome == "rejected" for e in everything) > 0
    assert len(everything) - repeats == sum(seed.DEMO_EXPOSURES.values())
    assert [e.taken_at for e in everything] == sorted((e.taken_at for e in everything), reverse=True)
    chests = exposures.find(demo_store, LogFilter(projection="chest-pa", outcome="accepted"), limit=10_000)
    assert chests == [e for e in everything if (e.projection, e.outcome) == ("chest-pa", "accepted")]
    page = exposures.find(demo_store, limit=40)
    assert page + exposures.find(demo_store, before_id=page[-1].id, limit=10_000) == everything


def test_the_demo_is_the_same_for_the_same_seed_and_is_added_once(tmp_path, demo_store):
    again = Store(tmp_path / "again.db")
    assert seed.seed(again, NOW)
    assert exposures.find(again, limit=10_000) == exposures.find(demo_store, limit=10_000)
    assert not seed.seed(again, NOW)


def test_a_saved_room_raises_its_revision(store):
    rooms.save(store, replace(ROOM, name="Room one"), "physicist")
    saved = rooms.get(store, "room-1")
    assert (saved.name, saved.revision) == ("Room one", 2)


def test_backup_is_a_whole_database_and_never_overwrites(charted, tmp_path):
    charted.backup(tmp_path / "copy.db")
    assert charts.newest_approved(Store(tmp_path / "copy.db"), "room-1").version == 1
    with pytest.raises(Conflict):
        charted.backup(tmp_path / "copy.db")


def test_a_database_of_a_newer_oakbeam_is_left_alone(tmp_path):
    newer = Store(tmp_path / "new.db")
    newer.db.execute("PRAGMA user_version = 99")
    with pytest.raises(Refusal, match="step 99"):
        Store(tmp_path / "new.db")


def test_writers_in_many_threads_lose_nothing(charted):
    chart = charts.newest_approved(charted, "room-1")
    workers = [
        threading.Thread(target=lambda: [exposures.add(charted, an_exposure(chart), "x") for _ in range(10)])
        for _ in range(8)
    ]
    for worker in workers:
        worker.start()
    for worker in workers:
        worker.join()
    assert len(exposures.find(charted, limit=1000)) == 80
    assert charted.db.execute("PRAGMA integrity_check").fetchone()[0] == "ok"


ENTRY_BEFORE = '{"like": "knee-ap", "id": "ours", "bone_mm": 14, "fat": 0.2, "extra_fat": 0.5, "sid_cm": 110}'
LEVEL_BEFORE = '{"sid_cm": 110, "reference_kerma_mgy": 0.3, "child_kap_mgycm2": [[0, 5, 15], [5, 15, 22]]}'


@pytest.mark.parametrize(
    ("name", "before", "after"),
    [
        ("0006_one_anatomy", ENTRY_BEFORE, {"like": "knee-ap", "id": "ours", "sid_cm": 110}),
        (
            "0010_dose_levels",
            LEVEL_BEFORE,
            {
                "sid_cm": 110,
                "dose_levels": [
                    {"quantity": "incident_air_kerma", "value": 0.3},
                    {"quantity": "kerma_area_product", "value": 15, "kg": [0, 5]},
                    {"quantity": "kerma_area_product", "value": 22, "kg": [5, 15]},
                ],
            },
        ),
        ("0010_dose_levels", '{"reference_kerma_mgy": null}', {"dose_levels": []}),
        ("0010_dose_levels", '{"sid_cm": 110}', {"sid_cm": 110}),
    ],
)
def test_a_departments_entry_as_it_was_kept_before_is_brought_to_todays_form(name, before, after):
    """It would be refused by name otherwise."""
    migration = (files("oakbeam.store") / "migrations" / f"{name}.sql").read_text(encoding="utf-8")
    with closing(sqlite3.connect(":memory:")) as raw:
        raw.execute("CREATE TABLE local_entry (kind TEXT, body TEXT)")
        raw.executemany("INSERT INTO local_entry VALUES (?, ?)", [("projection", before), ("exam", before)])
        raw.executescript(migration)
        kept = dict(raw.execute("SELECT kind, body FROM local_entry"))
    assert json.loads(kept["projection"]) == after
    assert kept["exam"] == before


def test_a_chart_keeps_its_grid_table_when_only_its_name_changes(charted):
    """New charts compute a grid's factor; those that stand, and their drafts, keep what they have."""
    draft = charts.next_draft(charted, charts.newest_approved(charted, "room-1").id, "keeper")
    assert charts.change_heading(charted, draft.id, "keeper", "renamed", None, "").grid_table == "average"
    assert charts.change_heading(charted, draft.id, "keeper", "renamed", "computed", "").grid_table == "computed"
