"""The shipped data is whole, holds together, and a wrong entry is refused by name; a department's own lies over it."""

from __future__ import annotations

import re
from copy import deepcopy
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from oakbeam import catalogue
from oakbeam.catalogue import CatalogueError, shipped
from oakbeam.catalogue.loader import projection_of, shipped_entries
from oakbeam.catalogue.search import find
from oakbeam.core.errors import Refusal
from oakbeam.core.patient.thickness import LIMB_SHARE, usual_child_cm

ENTRIES = {entry["id"]: entry for entry in shipped_entries()}
EXPECTED = (Path(__file__).parent / "data" / "projection_ids.txt").read_text().split()


def test_all_132_projections_ship_under_their_stable_ids():
    assert len(EXPECTED) == 132
    assert sorted(shipped().projections) == sorted(EXPECTED)


def test_every_projection_stands_in_an_exam_and_every_step_is_known():
    used = {key for exam in shipped().exams.values() for step in exam.steps for key in step.projections}
    assert used == set(EXPECTED)
    assert {"hand", "elbow", "knee", "chest", "abdomen", "lumbar-spine", "spine-trauma"} <= set(shipped().exams)
    assert list(catalogue.reject_reasons()) == [f"R{number:02d}" for number in range(1, 22)]


def test_what_the_words_of_the_data_say_agrees_with_its_numbers():
    """Cross-checks that no single entry can fail by itself."""
    for one in shipped().projections.values():
        assert {*one.breathing} <= set(catalogue.words()["breathing"]), one.id
        assert one.marker in catalogue.words()["marker"], one.id
        assert {*one.shields} <= set(catalogue.words()["shield"]), one.id
        if one.posture == "standing":
            assert one.beam == "horizontal", one.id
        if "crosstable" in one.id:
            assert (one.beam, one.aec_cells, one.supports) == ("horizontal", "none", ("detector",)), one.id
        if one.direction == "lateral" and one.region in ("spine", "chest"):
            assert one.thickness_cm[1] > 10, one.id
        if one.aec_cells != "none":
            assert one.grid_over_cm is not None, one.id
        for way in one.angles:
            said = re.findall(r"(cephalad|caudal)", way.name)
            if way.rule == "fixed" and len(set(said)) == 1 and way.deg:
                assert (way.deg > 0) == (said[0] == "cephalad"), (one.id, way.name)


def test_people_name_methods_only_to_be_searched_by():
    """A method is named by what it does; the person's name finds it."""
    people = (
        "caldwell|waters|towne|merchant|settegast|hughston|holmblad|camp.coventry|beclere|grashey|rosenberg|lawrence|stecher"
    )
    for one in shipped().projections.values():
        shown = " ".join((one.name, one.shows, one.position, one.central_ray, *one.look_for)).lower()
        assert not re.search(people, shown), one.id
        assert one.faults, one.id
    for query, wanted in (
        ("towne", "skull-ap-axial"),
        ("camp coventry", "knee-tunnel-camp-coventry"),
        ("grashey", "shoulder-grashey"),
    ):
        assert find(shipped(), query)[0].id == wanted


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"thickness_cm": [5, 3, 6]}, "must rise"),
        ({"kvp": [90, 60]}, "kvp must be a window"),
        ({"kvp_on": {"upright_bucky": [60, 70]}}, "its own supports"),
        ({"supports": ["hammock"]}, "supports must be some of"),
        ({"supports": []}, "supports must be some of"),
        ({"minimum_sid_cm": 500}, "minimum_sid_cm"),
        ({"time_ceiling_ms": 0}, "time_ceiling_ms"),
        ({"colour": "green"}, "unknown colour"),
        ({"grid_over_cm": 10, "grid": "never"}, "not both"),
        ({"aec": "C"}, "aec needs a Bucky"),
        ({"view": "nowhere"}, "view must be one of finger, "),
        ({"field_cm": [60, 60]}, "larger than receptor"),
        ({"position": " "}, "position must say something"),
        ({"look_for": []}, "look_for must not be empty"),
        ({"angle": [{"school": "x", "name": "x", "why": "x", "deg": 80}]}, "-60 to 60"),
        ({"angle": [{"school": "x", "name": "x", "why": "x", "deg": 8, "rule": "dowsing"}]}, "angle rule"),
        ({"thickness_cm": "thick"}, "not of the kind"),
        ({"region": "tail"}, "region must be one of"),
        ({"angle_school": "sideways"}, "angle_school must be one of none"),
    ],
)
def test_a_contradictory_projection_is_refused_by_name(change, said):
    with pytest.raises(CatalogueError, match=f"hand-pa.*{said}"):
        projection_of({**deepcopy(ENTRIES["hand-pa"]), **change})


@given(st.sampled_from(sorted(ENTRIES)), st.data())
@settings(max_examples=60)
def test_an_incomplete_projection_is_refused_whatever_is_missing(key, data):
    entry = dict(ENTRIES[key])
    gone = data.draw(
        st.sampled_from(sorted(set(entry) & {"measure", "shows", "aec", "view", "sid_cm", "marker", "variants"}))
    )
    del entry[gone]
    with pytest.raises(CatalogueError, match=f"{key}: missing {gone}"):
        projection_of(entry)


def test_a_department_changes_and_adds_without_touching_what_ships():
    known = shipped().with_local(
        {
            "chest-pa": {"time_ceiling_ms": 15, "dose_levels": [{"quantity": "incident_air_kerma", "value": 0.12}]},
            "knee-ap": {"grid": "never", "angle_school": "straight"},
            "jaw-oblique": {
                "like": "skull-lateral",
                "name": "Lower jaw, oblique",
                "exam": "Jaw",
                "thickness_cm": [8, 10, 12],
            },
        },
        {"jaw": {"name": "Jaw", "steps": [{"p": "jaw-oblique"}], "why": "One view."}, "hand": {"why": "As we do it."}},
    )
    assert known.projection("chest-pa").time_ceiling_ms == 15
    # A level takes the place of that of the same quantity for the same people; the others stay.
    levels = {one.value for one in known.projection("chest-pa").dose_levels}
    assert levels == {one.value for one in shipped().projection("chest-pa").dose_levels} - {0.15} | {0.12}
    assert known.projection("chest-pa").kvp_window == shipped().projection("chest-pa").kvp_window
    assert known.projection("knee-ap").grid_over_cm is None
    assert [way.school for way in known.projection("knee-ap").angles] == ["straight", "pelvis", "cephalad"]
    assert known.projection("jaw-oblique").sid_cm == 100
    assert known.exam("jaw").projections == ("jaw-oblique",)
    assert (known.exam("hand").why, known.exam("hand").projections) == ("As we do it.", shipped().exam("hand").projections)
    assert known.local == {"chest-pa", "knee-ap", "jaw-oblique", "jaw", "hand"}
    assert shipped().projection("chest-pa").time_ceiling_ms == 20
    for projections, exams, said in (
        ({"chest-pa": {"kvp": [90]}}, {}, "chest-pa: kvp"),
        ({"new": {"name": "x"}}, {}, "new: missing"),
        ({}, {"x": {"name": "X", "steps": [{"p": "nothing"}], "why": ""}}, "no projection 'nothing'"),
        ({}, {"x": {"name": "X", "steps": [{"p": "hand-pa", "clearance": "y"}], "why": ""}}, "a step is one of"),
        ({}, {"x": {"name": "X", "steps": [{"p": "hand-pa"}], "why": "", "also": 5}}, "also is a list of names"),
        ({}, {"x": {"name": "X", "steps": [{"p": "hand-pa", "side": ["left"]}], "why": ""}}, "side is one of"),
        ({}, {"x": {"name": "X", "steps": [{"p": "hand-pa", "support": "floor"}], "why": ""}}, "support is one of"),
    ):
        with pytest.raises(CatalogueError, match=said):
            shipped().with_local(projections, exams)


@pytest.mark.parametrize(
    ("query", "wanted"),
    [
        ("cxr", "chest"),
        ("chest pa", "chest-pa"),
        ("c spine lat", "cspine-lateral"),
        ("kub", "abdomen-supine"),
        ("sholder y", "shoulder-scapular-y"),
        ("calcaneous axial", "calcaneus-axial"),
        ("lumber spine", "lumbar-spine"),
        ("patela sunrise", "patella-tangential-inferosuperior"),
        ("scafoid", "wrist-scaphoid"),
        ("tib fib lat", "tibfib-lateral"),
        ("odontoid", "cspine-odontoid"),
        ("peds chest lat", "peds-chest-lateral"),
        ("l5s1", "lspine-l5s1"),
        ("SI joints", "si-joints"),
        ("hand", "hand"),
        *((query, "fossa") for query in ("tunnel", "tunnel views")),
        *((query, "chest-stretcher") for query in ("chest stretcher", "gurney")),
        ("flat abdomen", "abdomen-1"),
        ("great toe", "toes"),
        ("swimmer", "swimmers-upright"),
    ],
)
def test_search_forgives_spelling_and_knows_shorthand(query, wanted):
    assert wanted in [hit.id for hit in find(shipped(), query)[:3]]


@pytest.mark.parametrize(
    ("query", "first"), [("si joints", "si-joints"), ("kub", "abdomen-1"), ("knee", "knee"), ("bone age", "bone-age")]
)
def test_the_usual_exam_comes_before_its_views(query, first):
    assert find(shipped(), query)[0].id == first


def test_search_finds_every_projection_by_its_own_name_and_nothing_for_nothing():
    for one in shipped().projections.values():
        assert one.id in [hit.id for hit in find(shipped(), f"{one.exam} {one.name}", 5)], one.id
    assert find(shipped(), "  ") == find(shipped(), "?!") == find(shipped(), "qqzzxx") == []


def test_children_grow():
    for one in shipped().projections.values():
        sizes = [cm for band in LIMB_SHARE if (cm := usual_child_cm(one, band)) is not None]
        assert sizes == sorted(sizes), one.id
        if one.child not in ("own", "none"):
            assert len(sizes) == len([band for band in LIMB_SHARE if not one.ages or band in one.ages]), one.id
            assert sizes[-1] <= one.thickness_cm[1] + 0.25, one.id  # to the half centimetre


def test_an_unknown_id_is_refused_with_the_list():
    with pytest.raises(Refusal) as refused:
        catalogue.modifier("plaster-wet", "additive", "destructive")
    assert "ascites" in refused.value.allowed
    with pytest.raises(Refusal) as unknown:
        catalogue.projection("nose-ap")
    assert len(unknown.value.allowed) == 132
