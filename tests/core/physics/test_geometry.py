"""Exact geometry against worked values of positioning and physics texts."""

from __future__ import annotations

import inspect
import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from oakbeam.core.errors import OutOfRange
from oakbeam.core.physics import geometry as g


@pytest.mark.parametrize(
    ("rule", "expected"),
    [
        (lambda: g.magnification(100, 25), 1.333),
        (lambda: g.magnification(180, 25), 1.161),
        (lambda: g.geometric_unsharpness_mm(1.2, 100, 10), 0.1333),
        (lambda: g.sid_along_ray_cm(100, 40), 130.54),
        (lambda: (g.sid_along_ray_cm(100, 40) / 100) ** 2, 1.704),  # mAs if the tube is not lowered
        (lambda: g.tube_height_cm(100, 5), 99.62),
        (lambda: g.tube_height_cm(180, 30), 155.88),
        (lambda: g.tube_height_cm(100, 45), 70.71),
        (lambda: g.receptor_shift_cm(26, 15), 6.97),
        (lambda: g.receptor_shift_cm(25, 10), 4.41),
        (lambda: g.receptor_shift_cm(26, 35), 18.21),
        (lambda: g.sid_when_support_changes_cm(100, 0, 6), 106),
        (lambda: g.source_to_skin_cm(100, 21, 6), 73),
        (lambda: g.grid_loss(12, 20, 100, 100, offset_cm=2.5), 0.30),
        (lambda: g.cutoff_off_distance(12, 15, 100, 120), 0.30),
        (lambda: g.grid_loss(8, 20, 100, 100, tilt_deg=2), 0.2794),
        (lambda: g.grid_loss(12, 30, 100, 120), 0.15),  # half of what is lost at the edge
        (lambda: g.cutoff_off_distance(0, 15, 100, 120), 0),
    ],
)
def test_worked_values(rule, expected):
    assert rule() == pytest.approx(expected, rel=2e-3)


@given(st.floats(50, 300), st.floats(0, 60))
def test_tilting_and_correcting_cancel(sid, angle):
    assert g.sid_along_ray_cm(g.tube_height_cm(sid, angle), angle) == pytest.approx(sid)


@given(st.floats(80, 200), st.sampled_from([5, 8, 12, 16]), st.floats(0, 21))
def test_cutoff_is_none_in_focus_and_grows_away_from_it(focal, ratio, off):
    assert g.cutoff_off_distance(ratio, off, focal, focal) == 0
    near, nearer = (g.cutoff_off_distance(ratio, off, focal, focal * share) for share in (0.9, 0.7))
    assert 0 <= near <= nearer <= 1


@given(
    st.sampled_from([5, 8, 12, 16]),
    st.floats(2, 43),
    st.floats(90, 150),
    st.floats(90, 150),
    st.floats(-5, 5),
    st.floats(-3, 3),
)
def test_the_mean_loss_is_that_of_the_rays(ratio, width, focal, sid, offset, tilt):
    """Against the textbook's slope at 20,001 places across the field, before any is limited to 1."""
    across = np.linspace(-width / 2, width / 2, 20_001)
    slope = across * (1 / sid - 1 / focal) + offset / focal + np.tan(np.radians(tilt))
    mean = ratio * np.trapezoid(np.abs(slope), across) / width
    assert g.grid_loss(ratio, width, focal, sid, offset, tilt) == pytest.approx(min(1.0, mean), abs=1e-6)


def test_impossible_geometry_is_refused_with_what_is_allowed():
    with pytest.raises(OutOfRange) as inside:
        g.source_to_skin_cm(40, 30, 5)
    assert inside.value.allowed == {"min": 50, "unit": "cm"}
    with pytest.raises(OutOfRange):
        g.magnification(100, 100)
    with pytest.raises(OutOfRange):
        g.sid_along_ray_cm(100, 75)


GOOD = {
    "sid_cm": 110.0, "oid_cm": 10.0, "wanted": 1.2, "focal_spot_mm": 1.2, "vertical_cm": 100.0, "angle_deg": 20.0,
    "height_cm": 25.0, "gap_from_cm": 0.0, "gap_to_cm": 6.0, "width_at_receptor_cm": 35.0, "from_receptor_cm": 20.0,
    "focal_cm": 100.0, "offset_cm": 1.0, "tilt_deg": 1.0, "grid_ratio": 12.0, "off_centre_cm": 15.0,
}  # fmt: skip
NAMES = {
    "wanted": "magnification",
    "angle_deg": "tube_angle_deg",
    "offset_cm": "grid_offset_cm",
    "tilt_deg": "grid_tilt_deg",
}
BAD = [
    (g.magnification, "sid_cm", -1.0),
    (g.magnification, "oid_cm", -0.1),
    (g.geometric_unsharpness_mm, "focal_spot_mm", 0.0),
    (g.sid_along_ray_cm, "vertical_cm", 0.0),
    (g.sid_along_ray_cm, "angle_deg", 60.1),
    (g.tube_height_cm, "sid_cm", math.nan),
    (g.tube_height_cm, "angle_deg", -60.1),
    (g.receptor_shift_cm, "height_cm", -0.1),
    (g.receptor_shift_cm, "height_cm", math.inf),
    (g.sid_when_support_changes_cm, "sid_cm", -5.0),
    (g.cutoff_off_distance, "sid_cm", 0.0),
    (g.cutoff_off_distance, "focal_cm", -1.0),
]


@pytest.mark.parametrize(("rule", "name", "value"), BAD)
def test_what_cannot_be_is_refused_by_its_name_with_what_is_allowed(rule, name, value):
    given = {key: GOOD[key] for key in inspect.signature(rule).parameters}
    rule(**given)
    with pytest.raises(OutOfRange) as refused:
        rule(**{**given, name: value})
    assert refused.value.field == NAMES.get(name, name)
    assert {"min", "unit"} <= set(refused.value.allowed)
    assert refused.value.title == "Out of range"
    assert refused.value.detail


def test_ends_of_ranges_still_count():
    assert g.within_tube_angle(60) == 60
    assert g.within_tube_angle(-60) == -60
    assert g.magnification(100, 0) == 1
    assert g.receptor_shift_cm(0, 30) == 0
    assert g.source_to_skin_cm(50, 30, 5) == 15
    with pytest.raises(OutOfRange) as refused:
        g.magnification(100, 100)
    assert refused.value.allowed == {"min": 0, "max": 100, "unit": "cm"}


@given(st.sampled_from([5, 8, 12, 16]), st.floats(5, 43), st.floats(80, 180), st.floats(-3, 3), st.floats(-4, 4))
def test_a_grid_off_its_centre_and_off_level_loses_what_the_rays_lose(ratio, width, focal, offset, tilt):
    """By summing the rays one by one: slope of each against its strip, times the ratio."""
    sid = 100.0
    at = np.linspace(-width / 2, width / 2, 40_001)
    slope = np.abs(at * (1 / sid - 1 / focal) + offset / focal + math.tan(math.radians(tilt)))
    lost = min(1.0, ratio * float(slope.mean()))
    assert g.grid_loss(ratio, width, focal, sid, offset, tilt) == pytest.approx(lost, abs=2e-3)
    assert g.grid_loss(0, width, focal, sid, offset, tilt) == 0
    for name, value in (("offset_cm", 20.1), ("tilt_deg", -30.1)):
        with pytest.raises(OutOfRange) as refused:
            g.grid_loss(ratio, width, focal, sid, **{"offset_cm": 1.0, "tilt_deg": 1.0, name: value})
        assert refused.value.field == NAMES[name]


def test_off_distance_cut_off_at_a_point():
    assert g.cutoff_off_distance(12, 17.5, 110, 180) == pytest.approx(12 * 17.5 * (1 / 110 - 1 / 180))
    assert g.cutoff_off_distance(12, -17.5, 110, 180) == g.cutoff_off_distance(12, 17.5, 110, 180)
    assert (g.cutoff_off_distance(12, 17.5, 110, 110), g.cutoff_off_distance(0, 17.5, 110, 180)) == (0, 0)
    assert g.cutoff_off_distance(16, 21, 100, 40) == 1
