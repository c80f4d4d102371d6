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
