"""The light field falls on the skin where the x-rays will: checked by similar triangles and against the image itself."""

from __future__ import annotations

import numpy as np
import pytest

from oakbeam import catalogue
from oakbeam.core.practice.computed_body import lengths
from oakbeam.core.practice.light_field import AROUND, LIT_SKIN, SKIN, light_field
from oakbeam.core.practice.simulated_room import Case, Console, Mishap, laid_down
from oakbeam.core.practice.views import Lie


def seen(view="knee-ap", cm=12.5, lie=None, mishap=None, **console):
    case = Case(catalogue.projection(view), cm, seed=3)
    set_up = Console(**{"kvp": 70, "mas": 4, "sid_cm": 100, "gap_cm": 5.0, **console})
    return case, light_field(case, set_up, lie or Lie(), mishap or Mishap())


@pytest.mark.parametrize(("view", "cm", "sid_cm"), [("knee-ap", 12.5, 100), ("abdomen-supine", 24, 110), ("hand-pa", 3, 90)])
def test_the_field_on_the_skin_is_what_similar_triangles_give(view, cm, sid_cm):
    case, found = seen(view, cm, sid_cm=sid_cm)
    width, height = case.projection.field_cm
    ssd_cm = sid_cm - 5.0 - cm
    assert found.ssd_cm == pytest.approx(ssd_cm, abs=0.3)
    assert found.on_skin_cm == pytest.approx((width * ssd_cm / sid_cm, height * ssd_cm / sid_cm), rel=0.005)


def test_what_the_tube_sees_of_the_part_is_what_its_rays_go_through():
    case, found = seen()
    tissues, screen = laid_down(case, Lie(), 100, 5.0, 224, AROUND)
    met = sum(lengths(tissues, screen).values())
    skin = found.brightness > 0.3 * SKIN
    lit = found.brightness > LIT_SKIN * 0.6
    # But for the pixels of the edge, which a coarser outline smooths in the image.
    assert np.mean(skin[met > 0.5]) > 0.97
    assert not (lit & (met <= 0)).any()


def test_shutters_and_centring_move_what_is_lit_as_they_are_moved():
    def middle(found):
        return np.mean(found.field, axis=0)

    _, straight = seen()
    _, aside = seen(mishap=Mishap(shutters_off_cm=(4, 0)))
    pixel = straight.screen.pixel_cm
    assert middle(straight) == pytest.approx([0.5, 0.5])
    assert (middle(aside) - middle(straight)) * straight.screen.shape[1] * pixel == pytest.approx([4, 0], abs=1e-9)
    # The field stays under the tube; a leg that was centred a centimetre beside lies so far to the other side, magnified.
    _, beside = seen(lie=Lie(off_cm=(1, 0)))
    assert middle(beside) == pytest.approx([0.5, 0.5])
    (at, there) = (np.average(np.nonzero(one.brightness > 0.3)[1]) * pixel for one in (straight, beside))
    assert at - there == pytest.approx(100 / (100 - 5 - 12.5 / 2), rel=0.1)
    turned = seen(mishap=Mishap(shutters_turned_deg=10))[1]
    a, b = np.array(turned.field[0]), np.array(turned.field[1])
    rows, columns = turned.screen.shape
    along = (b - a) * (columns, rows)
    assert np.degrees(np.arctan2(-along[1], along[0])) == pytest.approx(10, abs=0.01)


def test_nothing_under_the_cross_is_said():
    _, found = seen("hand-pa", 3, lie=Lie(off_cm=(14, 0)), gap_cm=0.0)
    assert found.on_skin_cm is None
    assert found.ssd_cm == pytest.approx(100, abs=0.1)
