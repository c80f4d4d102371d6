"""A large department: answers that every console asks for stay short, and lists come in pages."""

from __future__ import annotations

from dataclasses import replace

from tests.conftest import LINES, ROOM, approved

from oakbeam.store import charts, rooms

ROOMS, VERSIONS, REPEATS = 60, 60, 10


def test_what_every_console_asks_for_stays_short_with_sixty_rooms_and_lists_are_paged(visitor, store):
    for i in range(1, ROOMS):
        rooms.save(store, replace(ROOM, id=f"room-{i + 1}", name=f"Building {i % 7}, room {i + 1}"), "test")
    lines = tuple(LINES.values()) * REPEATS
    for _ in range(VERSIONS):
        newest = approved(store, charts.add_draft(store, "room-1", "Chart", "keeper", lines).id)

    begin = visitor.get("/api/start")
    assert len(begin.content) < 50_000 and len(begin.json()["rooms"]) == ROOMS
    assert begin.json()["charted"] == [line.projection for line in LINES.values()]
    other = visitor.get("/api/start?room=room-9").json()
    assert (other["room"]["id"], other["charted"]) == ("room-9", None)
    assert visitor.get("/api/start?room=nowhere").json()["room"]["id"] == "room-1"

    # A version in a list is a tenth of the version itself, and says what the list is looked through for.
    whole = len(visitor.get(f"/api/charts/{newest.id}").content)
    page = visitor.get("/api/chart-versions?room=room-1")
    assert len(page.json()) == 50 and len(page.content) < 50 * whole / 10
    assert page.json()[0]["line_count"] == len(lines)
    rest = visitor.get(f"/api/chart-versions?room=room-1&before={page.json()[-1]['id']}").json()
    assert [one["version"] for one in page.json() + rest] == list(range(VERSIONS + 1, 0, -1))
    assert [one["status"] for one in visitor.get("/api/chart-versions?in_use=true").json()] == ["approved"]

    heads = visitor.get("/api/charts?room=room-1&limit=2").json()
    assert [one["version"] for one in heads] == [VERSIONS + 1, VERSIONS]
    first = heads[0]["lines"][0]
    assert {"projection", "range_cm", "sid_cm", "support", "grid_ratio"} <= first.keys() and "law" not in first
    assert visitor.get("/api/charted?projection=knee-ap").json() == {"room-1": ["knee-ap"]}
    for wrong in ("charts?limit=0", "charts?limit=1000", "chart-versions?before=0", "charts?before=x"):
        assert visitor.get(f"/api/{wrong}").status_code == 422
