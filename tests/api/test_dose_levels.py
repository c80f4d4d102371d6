"""The department's dose levels from a file: all or none, by id or by name, and held against techniques from then on."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.api.test_api import problem

from oakbeam.catalogue import shipped
from oakbeam.formats import dose_levels_csv
from oakbeam.formats.chart_csv import BadFile

HEAD = "projection,quantity,value,kg_from,kg_to,source\n"


def of(client, projection):
    return [one["level"] for one in client.get("/api/dose-levels").json() if one["projection"] == projection]


def test_levels_from_a_file_hold_and_others_stay(client):
    before = client.get("/api/dose-levels").json()
    rows = "Lumbar spine AP (or PA),incident_air_kerma,2.5,,,national survey 2026\nknee-ap,kerma_area_product,40,,,\n"
    after = client.put("/api/dose-levels", json={"csv": "\ufeff" + HEAD + rows}).json()
    spine = {one["quantity"]: one for one in of(client, "lspine-ap")}
    assert (spine["incident_air_kerma"]["value"], spine["incident_air_kerma"]["source"]) == (2.5, "national survey 2026")
    named = {"lspine-ap", "knee-ap"}
    assert [o for o in before if o["projection"] not in named] == [o for o in after if o["projection"] not in named]
    asked = {"room": "room-1", "projection": "lspine-ap", "thickness_cm": 21}
    levels = client.post("/api/techniques", json=asked).json()["forecast"]["levels"]
    assert 2.5 in {one["value"] for one in levels}
    # What is written out is read back as it is; and what the department set besides stays.
    client.put("/api/catalogue/local/projection/hand-pa", json={"body": {"sid_cm": 110}})
    text = client.get("/api/dose-levels/csv").text
    assert client.put("/api/dose-levels", json={"csv": text}).json() == [
        {**one, "local": True} for one in client.get("/api/dose-levels").json()
    ]
    assert client.get("/api/projections/hand-pa").json()["sid_cm"] == 110


def test_one_level_is_set_with_its_source_and_day_and_taken_back_to_what_ships(client):
    before = of(client, "knee-ap")
    path = "/api/projections/knee-ap/dose-levels"
    mine = {"quantity": "incident_air_kerma", "value": 0.31, "source": "our survey", "as_of": "2026-05-01"}
    after = {
        (one["level"]["quantity"], one["own"]): one["level"] for one in client.put(path, json=mine).json() if one["local"]
    }
    assert after["incident_air_kerma", True] == {**before[0], "value": 0.31, "source": "our survey", "as_of": "2026-05-01"}
    child = {"quantity": "incident_air_kerma", "value": 0.1, "kg": [5, 15], "source": "our survey"}
    client.put(path, json=child)
    assert [(one["value"], one["kg"]) for one in of(client, "knee-ap") if one["quantity"] == "incident_air_kerma"] == [
        (0.31, None),
        (0.1, [5, 15]),
    ]
    # A file with a day in it says the same; one without a source does not pass for an example.
    client.put(
        "/api/dose-levels", json={"csv": "projection,quantity,value,as_of\nhand-pa,kerma_area_product,40,2026-01-02\n"}
    )
    hand = next(one for one in of(client, "hand-pa") if one["quantity"] == "kerma_area_product")
    assert (hand["as_of"], hand["source"]) == ("2026-01-02", dose_levels_csv.OWN_SOURCE)
    for part in (mine, child):
        client.put(path, json={"quantity": part["quantity"], "kg": part.get("kg")})
    assert of(client, "knee-ap") == before
    for wrong in ({"value": 0}, {"source": " "}, {"kg": [9, 5]}, {"as_of": "soon"}, {"quantity": "dose"}, {"value": "much"}):
        problem(client.put(path, json={**mine, **wrong}))
    problem(client.put("/api/projections/nowhere/dose-levels", json=mine))


@pytest.mark.parametrize(
    ("text", "faults"),
    [
        ("", [(1, "projection")]),
        (HEAD, [(1, "")]),
        (HEAD + "nowhere,incident_air_kerma,1,,,\n", [(2, "projection")]),
        (HEAD + "knee-ap,dose,1,,,\nknee-ap,incident_air_kerma,0,,,\n", [(2, "quantity"), (3, "value")]),
        (HEAD + "knee-ap,incident_air_kerma,1,10,5,\n", [(2, "kg_to")]),
        (HEAD + "knee-ap,incident_air_kerma,1,10,,\n", [(2, "kg_to")]),
        (HEAD + "knee-ap,incident_air_kerma,1,,,\nKnee AP,incident_air_kerma,2,,,\n", [(3, "quantity")]),
        (HEAD + '"knee-ap,incident', [(2, "")]),
        ("projection,quantity,value,as_of\nknee-ap,incident_air_kerma,1,May\n", [(2, "as_of")]),
    ],
)
def test_every_fault_is_named_and_nothing_is_taken(client, text, faults):
    before = client.get("/api/dose-levels").json()
    found = problem(client.put("/api/dose-levels", json={"csv": text}))["faults"]
    assert [(one["row"], one["column"]) for one in found] == faults
    assert client.get("/api/dose-levels").json() == before


@given(st.lists(st.lists(st.text(max_size=12), max_size=7), max_size=5))
@settings(max_examples=150)
def test_any_table_is_read_or_refused(rows):
    text = HEAD + "\n".join(",".join(row) for row in rows)
    try:
        found = dose_levels_csv.read(text, shipped())
    except BadFile:
        return
    assert all(one["value"] > 0 for own in found.values() for one in own)
