"""A ray meets a solid where the solid's own inequality says so; what overlaps counts once; what is cut out is out."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from oakbeam.core.practice.computed_body import Screen, Tissue, bone, lengths
from oakbeam.core.practice.solids import ball, box, chain, rod, spans, turn, union_length

FOCUS = np.array([1.0, -2.0, 100.0])


def inside(solid, points):
    """Whether points (3, n) lie in a solid, by its inequality alone."""
    u = solid.to_unit @ (points - solid.centre[:, None])
    found = {
        "ball": (u**2).sum(0) <= 1,
        "box": (np.abs(u) <= 1).all(0),
        "rod": ((u[:2] ** 2).sum(0) <= (1 + solid.taper * u[2]) ** 2) & (np.abs(u[2]) <= 1),
    }[solid.form]
    for normal, offset in solid.cuts:
        found &= normal @ points <= offset
    return found


@settings(max_examples=60, deadline=None)
@given(st.integers(0, 2**31 - 1))
def test_a_ray_meets_what_the_solids_inequality_holds_for(seed):
    chance = np.random.default_rng(seed)
    centre = np.array([*chance.normal(0, 3, 2), 25.0])
    turned = turn("x", chance.uniform(0, 360)) @ turn("y", chance.uniform(0, 360))
    solid = [
        lambda: ball(centre, chance.uniform(0.3, 5, 3), turned),
        lambda: box(centre, chance.uniform(0.3, 5, 3), turned),
        lambda: rod(
            centre, centre + chance.normal(0, 4, 3), chance.uniform(0.2, 3), chance.uniform(0.2, 3), chance.uniform(0.3, 1.5)
        ),
    ][seed % 3]()
    if chance.random() < 0.5:
        solid = solid.cut(chance.normal(0, 1, 3), centre + chance.normal(0, 0.5, 3))
    at = np.array([[centre[0]], [centre[1]]]) + chance.normal(0, 3, (2, 12))
    rays = (np.vstack([at, np.zeros(12)]) - FOCUS[:, None]).astype(np.float32)
    (first,), (last,) = spans([solid], FOCUS, rays)
    steps = np.linspace(0.4, 1, 12_001)
    for i in range(12):
        held = inside(solid, FOCUS[:, None] + steps * rays[:, i : i + 1]).mean() * 0.6
        # To two steps of about 0.05 mm at either end.
        assert last[i] - first[i] == pytest.approx(held, abs=3e-4)


def screen(pixels=81, pixel_cm=0.1, focus=(0.0, 0.0, 100.0)):
    return Screen(np.array(focus), (0.0, 0.0), pixel_cm, (pixels, pixels))


def test_a_spheres_shadow_has_the_size_and_the_place_that_similar_triangles_give():
    """Magnification and angle shift, exact but for the pixels."""
    for angle in (0.0, 20.0):
        shift = 10 * np.tan(np.radians(angle))
        where = screen(481, 0.025, (0.0, -100 * np.tan(np.radians(angle)), 100.0))
        found = lengths([Tissue("x", (ball((0, 0, 10), 1.0),), {"soft": 1.0})], where)["soft"]
        rows, columns = np.nonzero(found > 0)
        width = (columns.max() - columns.min() + 1) * 0.025
        # The cone that touches a sphere: a little more than 2 · SID / SOD.
        assert width == pytest.approx(2 * 100 / np.sqrt(90**2 - 1), abs=0.05)
        middle = where.y_cm()[[rows.min(), rows.max()]].mean()
        assert middle == pytest.approx(shift * 100 / 90, abs=0.05)
        assert found.max() == pytest.approx(2.0, rel=2e-3)


def test_a_wire_across_the_beam_is_enlarged_by_its_own_height():
    for height in (5.0, 20.0, 40.0):
        found = lengths([Tissue("x", (rod((-20, 3, height), (20, 3, height), 0.1),), {"bone": 1.0})], screen(261, 0.05))[
            "bone"
        ]
        rows = np.nonzero(found[:, 130] > 0)[0]
        assert screen(261, 0.05).y_cm()[rows].mean() == pytest.approx(3 * 100 / (100 - height), abs=0.05)


def test_what_overlaps_counts_once_and_what_is_cut_out_is_out():
    a, b = ball((0, 0, 10), 2.0), ball((0, 0, 11), 2.0)
    both = lengths([Tissue("x", (a, b), {"soft": 1.0})], screen(21))["soft"]
    middle = both[10, 10]
    assert middle == pytest.approx(5.0, abs=1e-3)
    less = lengths([Tissue("x", (a,), {"soft": 1.0}, less=(b,))], screen(21))["soft"]
    assert less[10, 10] == pytest.approx(1.0, abs=1e-3)
    first, last = np.array([[0.0], [0.5], [3.0]]), np.array([[1.0], [2.0], [4.0]])
    assert union_length(first.astype(np.float32), last.astype(np.float32)) == pytest.approx([3.0])


def test_a_bone_takes_the_place_of_tissue_and_has_a_shell_about_a_core():
    flesh = Tissue("flesh", (box((0, 0, 10), (5, 5, 5)),), {"soft": 1.0})
    made = lengths([flesh, bone("shaft", [rod((0, -4, 10), (0, 4, 10), 1.5)], 0.4, 0.25)], screen(61))
    bone_cm, soft_cm = made["bone"][30, 30], made["soft"][30, 30]
    assert bone_cm == pytest.approx(2 * 0.4 + 0.25 * 2.2, abs=0.01)
    assert bone_cm + soft_cm == pytest.approx(10, abs=0.01)
    # Beside the bone there is none.
    assert made["bone"][30, 0] == 0 and made["soft"][30, 0] == pytest.approx(10, rel=2e-3)


def test_many_solids_are_the_same_block_by_block_as_all_at_once():
    chance = np.random.default_rng(5)
    solids = tuple(chain([(x, y, 10 + chance.normal()) for x, y in chance.normal(0, 2, (12, 2))], 0.4))
    together = lengths([Tissue("x", solids, {"soft": 1.0})], screen(90, 0.1))["soft"]
    where = screen(90, 0.1)
    rays = where.rays(slice(0, 90), slice(0, 90))
    first, last = spans(solids, where.focus, rays)
    covered = union_length(first, last)
    assert together == pytest.approx((covered * np.sqrt((rays**2).sum(0))).reshape(90, 90), abs=2e-3)
