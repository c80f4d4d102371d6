"""The shipped data loads, and a wrong entry is refused by name."""

from __future__ import annotations

import json

import pytest

from oakbeam import catalogue
from oakbeam.core.refusal import Refusal


def test_every_exam_names_projections_and_every_modifier_one_change():
    assert set(catalogue.exams()) >= {"hand", "elbow", "knee", "chest", "abdomen", "lumbar-spine"}
    assert all(set(exam.projections) <= set(catalogue.projections()) for exam in catalogue.exams().values())
    assert list(catalogue.reject_reasons()) == [f"R{number:02d}" for number in range(1, 22)]


@pytest.mark.parametrize(
    ("change", "said"),
    [
        ({"thickness_cm": {"small": 5, "average": 3, "large": 6}}, "must rise"),
        ({"kvp_window": [90, 60]}, "kvp_window"),
        ({"supports": ["hammock"]}, "supports"),
        ({"minimum_sid_cm": 500}, "minimum_sid_cm"),
        ({"time_ceiling_ms": 0}, "time_ceiling_ms"),
        ({"colour": "green"}, "colour"),
    ],
)
def test_a_contradictory_projection_is_refused_by_name(change, said, monkeypatch):
    good = catalogue._read("projections.json")[0]
    monkeypatch.setattr(catalogue, "_read", lambda _: [json.loads(json.dumps({**good, **change}))])
    catalogue.projections.cache_clear()
    try:
        with pytest.raises(catalogue.CatalogueError, match=f"hand-pa.*{said}"):
            catalogue.projections()
        monkeypatch.setattr(catalogue, "_read", lambda _: [good, good])
        with pytest.raises(catalogue.CatalogueError, match="twice"):
            catalogue.projections()
    finally:
        catalogue.projections.cache_clear()


def test_an_unknown_id_is_refused_with_the_list():
    with pytest.raises(Refusal) as refused:
        catalogue.modifier("plaster-wet", "additive", "destructive")
    assert "ascites" in refused.value.allowed
