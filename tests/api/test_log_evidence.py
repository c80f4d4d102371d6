"""The log teaches the chart: the demo's planted causes are found, a tuned line goes to the draft and back to the log."""

from __future__ import annotations

import io
import shutil
from datetime import UTC, datetime, timedelta

import pypdfium2
import pytest
from fastapi.testclient import TestClient
from openpyxl import load_workbook
from tests.conftest import NOW, approved, signed_in

from oakbeam import cli
from oakbeam.api import evidence as evidence_api
from oakbeam.api import log_board, log_watch
from oakbeam.api import log_report as log_report_api
from oakbeam.api.app import build
from oakbeam.core.errors import Refusal
from oakbeam.demo import story
from oakbeam.formats import log_report
from oakbeam.store import Store, charts, evidence, exposures, people, tally
from oakbeam.store.database import in_the_past
from oakbeam.store.exposures import LogFilter


@pytest.fixture
def demo(demo_file, tmp_path):
    """A copy of the demo that a test may change, and somebody of every role at the console."""
    copy = tmp_path / "oakbeam.db"
    shutil.copyfile(demo_file, copy)
    store = Store(copy)
    people.agree(store, people.Agreement(another_approves=False, open_records=True), "test")
    client = TestClient(build(store), raise_server_exceptions=False)
    yield store, signed_in(store, client, "all", "technologist", "keeper", "physicist", "admin")
    store.close()


def days_off(alert, days_ago) -> float:
    return abs((datetime.fromisoformat(alert.since) - (NOW - timedelta(days=days_ago))).total_seconds()) / 86_400


def test_each_cause_that_the_demo_planted_is_found_by_the_app(demo_store):
    told = {room: log_watch.alerts_of(demo_store, room) for room in ("room-1", "room-2", "portable")}
    # The loose panel that was replaced: of the receptor, dated, sized; no line of it is told by itself.
    (swap,) = told["room-1"]
    assert "All of Loose panel 24×30" in swap.alert.saw and days_off(swap, story.RECEPTOR_SWAPPED) < 21
    assert swap.alert.low < 0.6 < swap.alert.high + 0.15
    # The tube that ages: slow, of the whole room.
    aged = next(one for one in told["room-2"] if one.alert.kind == "room")
    assert "The whole room" in aged.alert.saw and aged.alert.low < -0.36 / 9 < aged.alert.high + 0.02
    # Chests at the bedside that creep, by hand.
    chest = next(one for one in told["portable"] if one.projection == "chest-pa")
    assert chest.alert.size_di > 0.4 and "by hand" in chest.alert.with_what
    # One person's SID at the table.
    why = evidence_api.why_off(demo_store, "room-1", "lspine-ap", names=True)
    (said,) = [one for one in why.sentences if one.startswith("Who made them")]
    assert "Joren Vask" in said and "−0." in said
    masked = evidence_api.why_off(demo_store, "room-1", "lspine-ap", names=False)
    assert not any("Joren" in one for one in masked.sentences) and any("person A" in one for one in masked.sentences)
    # The second version that mended the lumbar AP.
    (worked,) = evidence_api.worked(demo_store, "room-2")
    assert (worked.projection, worked.version, worked.verdict) == ("lspine-ap", 2, "worked")
    assert worked.before.mean_di == pytest.approx(story.LUMBAR_OFF_DI, abs=0.4) and abs(worked.after.mean_di) < 0.5


def test_a_receptors_cause_is_one_correction_of_the_room_and_not_an_edit_of_its_lines(demo_store):
    found = evidence_api.learned(demo_store, "room-1")
    (swap,) = [one for one in found.causes if one.of == "panel-24"]
    assert swap.size_di == pytest.approx(0.6, abs=0.2) and swap.since
    everything = [one for one in found.lines if one.tuning.line.receptor == "panel-24"]
    # What is left of its lines lies about zero.
    assert abs(sum(one.tuning.level_di for one in everything)) / len(everything) < 0.3
    assert all("calibrate" in said for said in found.causes_said)


def test_what_a_tube_lost_slowly_is_said_of_the_room_and_taken_off_before_its_lines_are_looked_at(demo_store, monkeypatch):
    found = evidence_api.learned(demo_store, "room-2")
    (aging,) = [one for one in found.causes if one.slow]
    assert aging.low < -0.36 / 9 < aging.high + 0.02 and "a month" in found.causes_said[found.causes.index(aging)]
    with_it = {one.key: one.tuning.level_di for one in found.lines}
    monkeypatch.setattr(Store, "remembered", lambda _, __, read: read())
    monkeypatch.setattr(evidence_api, "groups", lambda _: [])
    without = {one.key: one.tuning.level_di for one in evidence_api.learned(demo_store, "room-2").lines}
    # Half of nine months of it lay on every line.
    lost = [with_it[key] - without[key] for key in with_it.keys() & without.keys()]
    assert len(lost) >= 5 and 0.05 < sum(lost) / len(lost) < 0.4


def test_from_the_evidence_to_the_draft_to_the_next_version_and_whether_it_worked(demo):
    store, client = demo
    found = client.get("/api/rooms/room-2/learned").json()
    knee = next(one for one in found["lines"] if one["tuning"]["line"]["projection"] == "elbow-lateral")
    assert knee["to"] and knee["tuning"]["level_di"] < -0.4 and "images: under target" in knee["said"]
    assert client.post("/api/rooms/room-2/tuned-draft", json={"lines": [99]}).status_code == 422
    draft = client.post("/api/rooms/room-2/tuned-draft", json={"lines": [knee["key"]]}).json()
    changed = next(line for line in draft["lines"] if line["key"] == knee["key"])
    assert changed["law"] == knee["to"]["law"] and draft["status"] == "draft"
    # The evidence stands in the history of the change, and with the version for later.
    history = client.get(f"/api/charts/{draft['id']}/history").json()
    assert any("Tuned: " in str(one["detail"]) and "images: under target" in str(one["detail"]) for one in history), history
    approved(store, draft["id"])
    (worked, *_) = client.get("/api/rooms/room-2/tuned").json()
    assert (worked["verdict"], worked["after"]["images"]) == ("too_early", 0)
    # A dozen images later it is judged: on target now, as the line was raised.
    then = exposures.find(store, LogFilter(room="room-2", projection="elbow-lateral"), limit=1)[0]
    chart = charts.newest_approved(store, "room-2")
    for day in range(12):
        with in_the_past(datetime.now(UTC) + timedelta(hours=day)):
            one = {"chart": chart.id, "chart_version": chart.version, "di": 0.1 - 0.02 * day, "taken_at": ""}
            exposures.add(store, then.__class__(**{**fields_of(then), **one}), "all")
    (worked, *_) = client.get("/api/rooms/room-2/tuned").json()
    assert worked["verdict"] == "worked" and worked["said"].startswith("It worked: mean −0.")


def fields_of(exposure):
    return {name: getattr(exposure, name) for name in exposure.__dataclass_fields__ if name != "id"}


def test_an_alert_is_noted_once_and_then_known(demo):
    _, client = demo
    (alert,) = client.get("/api/log/alerts?room=room-1").json()
    assert alert["note"] is None
    body = {"key": alert["alert"]["key"], "note": "The panel was replaced on 20 July."}
    (known,) = client.post("/api/rooms/room-1/alert-notes", json=body).json()
    assert (known["note"]["by"], known["note"]["note"]) == ("all", body["note"])
    assert client.post("/api/rooms/room-1/alert-notes", json={**body, "key": "another"}).status_code == 422
    assert {one["room"] for one in client.get("/api/log/alerts").json()} == {"room-1", "room-2", "portable"}


def test_a_control_chart_has_its_images_its_events_and_its_conditions(demo_store):
    series = log_watch.control(demo_store, "room-2", "lspine-ap|table_bucky|8|plate-35|manual")
    assert [one.name for one in series.events] == ["version 1 came", "version 2 came"]
    assert len(series.points) == len(series.chart.centre) == series.series.images
    (shift,) = series.chart.shifts
    assert abs(shift.size + 1.3) < 0.6
    assert {point.version for point in series.points[: shift.begins - 2]} == {1}


def test_the_board_says_what_it_knows_and_how_sure_it_is(demo_store):
    until = NOW.date().isoformat()
    found = log_board.board_of(demo_store, "room-1", (NOW - timedelta(days=60)).date().isoformat(), until)
    rows = exposures.find(demo_store, LogFilter(room="room-1", since=found.since, until=until), limit=5000)
    assert found.board.exposures == len(rows) == sum(view.made for view in found.board.views)
    assert found.board.rejects.part == sum(row.outcome == "rejected" for row in rows)
    assert found.board.rejects.low < found.board.rejects.share < found.board.rejects.high
    for view in found.board.views:
        own = sorted(row.di for row in rows if row.projection == view.projection and row.reliable and row.di is not None)
        if own:
            low, high = own[(len(own) - 1) // 2], own[len(own) // 2]
            assert view.di.n == len(own) and low - 0.06 <= view.di.median <= high + 0.06
            assert view.within.part == sum(abs(round(di, 1)) <= 1 for di in own) or view.within.of == len(own)
    ordered = [abs(view.di.median) for view in found.board.views if view.di and view.di.n >= 5]
    assert ordered == sorted(ordered, reverse=True)
    # Of one who only imports images no rate is claimed.
    assert {role for role, _ in found.board.by_role} == {"technologist", "keeper"}


def test_what_rejects_cost_is_tied_to_the_tries_that_repeat_them(demo):
    store, client = demo
    since = (NOW - timedelta(days=200)).date().isoformat()
    address = f"/api/log/repeats?room=room-1&since={since}"
    found = client.get(address).json()
    rows = exposures.find(store, LogFilter(room="room-1", since=since), limit=5000)
    rejected = [row for row in rows if row.outcome == "rejected"]
    cost = found["repeats"]
    assert cost["rejected"] == cost["repeated"] == len(rejected) > 20
    assert cost["kap_mgycm2"] == pytest.approx(sum(row.kap_mgycm2 or 0 for row in rejected))
    assert found["kap_share"] == pytest.approx(cost["kap_mgycm2"] / sum(row.kap_mgycm2 or 0 for row in rows), rel=0.03)
    assert cost["not_needed"] == sum(row.reject_reason == "R04" for row in rejected) > 0
    assert 0 < cost["mended"] <= cost["off_again"] and "Judge asks no repeat of" in " ".join(found["said"])
    # Another view, another exam, or the same hours later repeats nothing.
    one = rejected[0]
    then = client.get(f"/api/exposures/{one.id}").json()["repeated_by"]
    detail = client.get(f"/api/exposures/{then}").json()
    assert (detail["repeats"], detail["exposure"]["study_key"], detail["exposure"]["attempt"]) == (one.id, one.study_key, 2)
    for change in ({"projection": "hand-pa"}, {"study_key": "another"}, {"study_key": ""}, {"hours": 3}):
        hours, key = change.pop("hours", 0.05), f"key-{change}"
        first = {**fields_of(one), "study_key": key, "taken_at": NOW.isoformat(), "projection": "knee-ap"}
        at = (NOW + timedelta(hours=hours)).isoformat()
        then = {**first, "taken_at": at, "outcome": "accepted", "reject_reason": None, **change}
        exposures.add_many(store, [one.__class__(**first), one.__class__(**then)], "all")
    after = client.get(address).json()["repeats"]
    assert (after["rejected"], after["repeated"]) == (cost["rejected"] + 4, cost["repeated"])
    assert client.get("/api/log/repeats?room=nowhere").status_code == 404
    # No day or month that is none, however old.
    for wrong in (
        "repeats?until=0001-01-02",
        "board?until=1899-12-31",
        "report/pdf?month=0000-01",
        "report/xlsx?month=0001-01",
    ):
        assert client.get(f"/api/log/{wrong}").status_code == 422, wrong


def test_an_exposure_far_over_wants_a_note_which_is_written_once_and_closed_once(demo):
    store, client = demo
    until = NOW.date().isoformat()
    rows = client.get(f"/api/log/board?room=room-1&since=2026-06-01&until={until}").json()["incidents"]
    assert rows and all(("times its level" in one["why"]) or ("DI" in one["why"]) for one in rows)
    number = rows[0]["exposure"]
    written = {"happened": "The grid was left in.", "told": "Ilse Marrow"}
    assert client.post(f"/api/exposures/{number}/incident", json=written).status_code == 201
    assert client.post(f"/api/exposures/{number}/incident", json=written).status_code == 409
    assert client.post("/api/exposures/999999/incident", json=written).status_code == 404
    closed = client.post(f"/api/exposures/{number}/incident/close", json={"outcome": "Taught again."}).json()
    assert closed["closed_by"] == "all"
    assert client.post(f"/api/exposures/{number}/incident/close", json={"outcome": "x"}).status_code == 409
    detail = client.get(f"/api/exposures/{number}").json()
    assert detail["incident"]["happened"] == written["happened"] and detail["far_over"] == rows[0]["why"]
    assert [one["action"] for one in detail["history"]][:2] == ["incident.close", "incident.note"]
    with pytest.raises(Exception, match="closed once"), store.change() as db:
        db.execute("UPDATE incident SET outcome = 'another'")


def test_who_recorded_is_seen_by_those_who_may_and_by_oneself(demo):
    store, client = demo
    seen = client.get("/api/exposures?limit=50").json()
    assert {one["recorded_by"] for one in seen} == {"tamsin", "joren"}
    technologist = signed_in(store, TestClient(build(store)), "somebody", "technologist")
    assert {one["recorded_by"] for one in technologist.get("/api/exposures?limit=50").json()} == {None}
    text = technologist.get("/api/exposures/csv?room=portable").text
    assert "tamsin" not in text and text.count("\n") > 300
    assert technologist.get(f"/api/exposures/{seen[0]['id']}").json()["exposure"]["recorded_by"] is None


@pytest.mark.parametrize(
    ("query", "holds"),
    [
        ("room=room-2&outcome=rejected", lambda one: one["room"] == "room-2" and one["outcome"] == "rejected"),
        ("reason=R06", lambda one: one["reject_reason"] == "R06"),
        ("since=2026-10-01&until=2026-10-31", lambda one: "2026-10" in one["taken_at"]),
        ("q=lumbar lateral", lambda one: "lspine" in one["projection"] or "lateral" in one["projection"]),
        ("di_from=1&di_to=2", lambda one: 1 <= one["di"] <= 2),
        ("recorded_by=joren", lambda one: one["recorded_by"] == "joren"),
        ("recorded_as=keeper", lambda one: one["recorded_as"] == "keeper"),
        ("chart=2", lambda one: one["chart"] == 2),
        ("thickness=measured&origin=desk", lambda one: one["thickness_from"] == "measured"),
    ],
)
def test_the_list_holds_what_the_filter_says_page_by_page(demo, query, holds):
    _, client = demo
    first = client.get(f"/api/exposures?limit=40&{query}").json()
    rest = client.get(f"/api/exposures?limit=500&before_id={first[-1]['id']}&{query}").json() if first else []
    assert first and all(holds(one) for one in first + rest)
    assert not {one["id"] for one in first} & {one["id"] for one in rest}
    assert [one["taken_at"] for one in first + rest] == sorted((one["taken_at"] for one in first + rest), reverse=True)


def test_the_forecast_beside_an_exposure_is_of_what_was_set_or_of_what_an_aec_ends_at(demo):
    store, client = demo
    controls = set()
    for one in exposures.find(store, LogFilter(room="room-1", outcome="accepted"), limit=40):
        told = client.get(f"/api/exposures/{one.id}").json()
        expected_mas = one.suggested_mas if one.exposure_control == "aec" else one.mas
        ratio = told["exposure"]["incident_air_kerma_mgy"] / told["forecast"]["incident_air_kerma_mgy"]
        assert ratio == pytest.approx(one.mas / expected_mas, rel=1e-3)
        controls.add(one.exposure_control)
    assert controls >= {"aec", "manual"}


def test_one_exposure_by_its_number_and_none_by_a_word_that_is_none(demo):
    _, client = demo
    assert [one["id"] for one in client.get("/api/exposures?q=%2377").json()] == [77]
    assert client.get("/api/exposures?q=zzqx").json() == []


def test_the_days_of_the_log_add_up(demo_store):
    for room, view in (("", ""), ("room-1", ""), ("room-2", "chest-pa")):
        rows = exposures.find(demo_store, LogFilter(room=room or None, projection=view or None), limit=10_000)
        assert sum(day.made for day in tally.days(demo_store, room, view)) == len(rows)
    assert evidence.noted(demo_store, []) == {}


def test_the_report_of_a_month_says_what_the_board_says(demo_store):
    month = log_report_api.month_of_log(demo_store, "room-1", "2026-10")
    board = log_board.board_of(demo_store, "room-1", "2026-10-01", "2026-10-31").board
    assert month.board == board
    document = pypdfium2.PdfDocument(log_report.as_pdf(month))
    text = "\n".join(page.get_textpage().get_text_bounded() for page in document)
    assert f"{board.exposures} exposures" in text and "Why rejected" in text and "Positioning" in text
    assert "All of Loose panel 24×30 moved by" in text and "Hand Fan lateral" in text and "OVER" in text
    book = load_workbook(io.BytesIO(log_report.as_xlsx(month)))
    assert book["In all"]["B3"].value == board.exposures
    rows = list(book["Views"].values)
    assert sum(int(str(row[1])) for row in rows[1:]) == board.exposures and len(rows) == 1 + len(board.views)
    assert sum(int(str(row[1])) for row in list(book["Days"].values)[1:]) == board.exposures
    with pytest.raises(Refusal, match="still to come"):
        log_report_api.month_of_log(demo_store, "", "2031-01")


def test_the_report_from_a_shell_of_all_rooms(demo, tmp_path, capsys):
    store, client = demo
    out = tmp_path / "october.pdf"
    command = ["--data", str(store.path.parent), "log", "report", "--month", "2026-10", "--out", str(out)]
    assert cli.main(command) == 0 and out.read_bytes()[:5] == b"%PDF-"
    assert client.get("/api/log/report/xlsx?month=2026-10").content[:2] == b"PK"
    assert client.get("/api/log/report/pdf?month=2026-13").status_code == 422
    assert client.get("/api/log/report/pdf?month=2026-10&room=nowhere").status_code == 404
    assert cli.main([*command[:-1], str(tmp_path / "x.doc")]) == 2
    # Of a month before the first exposure there is a report too.
    assert cli.main(["--data", str(store.path.parent), "log", "report", "--month", "2020-01", "--out", str(out)]) == 0


def test_an_accepted_period_holds_the_limits_and_is_audited(demo):
    store, client = demo
    series = next(one["key"] for one in client.get("/api/rooms/portable/series").json() if one["projection"] == "chest-pa")
    where = "/api/rooms/portable/control-chart/baseline"
    before = client.get("/api/rooms/portable/control-chart", params={"series": series}).json()
    since, until = before["points"][0]["taken_at"][:10], before["points"][60]["taken_at"][:10]
    few = client.put(where, json={"series": series, "since": since, "until": since})
    assert few.status_code == 422 and "20 or more" in few.json()["detail"]
    for wrong in ({"since": until, "until": since}, {"since": since}, {"since": "1650-01-01", "until": until}):
        assert client.put(where, json={"series": series, **wrong}).status_code == 422
    found = client.put(where, json={"series": series, "since": since, "until": until}).json()
    first, end = found["chart"]["accepted"]
    assert (
        first == 0
        and end > 60
        and {round(one, 6) for one in found["chart"]["about"]}
        == {round(sum(one["di"] for one in found["points"][:end]) / end, 6)}
    )
    assert found["baseline"]["by"] == "all" and all(one["begins"] >= end for one in found["chart"]["shifts"])
    # It holds for the alert and for the printed report as well.
    alert = next(one for one in client.get("/api/log/alerts?room=portable").json() if one["projection"] == "chest-pa")
    assert alert["alert"]["size_di"] == pytest.approx(found["chart"]["shifts"][-1]["size"])
    assert client.get(f"/api/log/report/pdf?month={NOW:%Y-%m}&room=portable").status_code == 200
    client.put(where, json={"series": series})
    again = client.get("/api/rooms/portable/control-chart", params={"series": series}).json()
    assert again["chart"] == before["chart"] and again["baseline"] is None
    done = [row["action"] for row in store.db.execute("SELECT action FROM audit WHERE action LIKE 'baseline%' ORDER BY id")]
    assert done == ["baseline.accept", "baseline.withdraw"]


def test_a_filter_is_kept_for_oneself(demo):
    store, client = demo
    kept = {"name": "Rejected chests", "address": "projection=chest-pa&outcome=rejected"}
    assert client.put("/api/log/filters", json=kept).json() == [kept]
    changed = {**kept, "address": "outcome=rejected"}
    assert client.put("/api/log/filters", json=changed).json() == client.get("/api/log/filters").json() == [changed]
    for wrong in ({**kept, "name": " "}, {**kept, "address": "a=1\r\nb"}, {**kept, "address": "x" * 601}):
        assert client.put("/api/log/filters", json=wrong).status_code == 422
    other = signed_in(store, TestClient(client.app, raise_server_exceptions=False), "other", "technologist")
    assert other.get("/api/log/filters").json() == []
    assert other.delete("/api/log/filters", params={"name": kept["name"]}).status_code == 404
    for number in range(29):
        client.put("/api/log/filters", json={**kept, "name": f"Filter {number}"})
    too_many = client.put("/api/log/filters", json={**kept, "name": "One more"})
    assert too_many.status_code == 409 and "30" in too_many.json()["detail"]
    assert len(client.delete("/api/log/filters", params={"name": kept["name"]}).json()) == 29
