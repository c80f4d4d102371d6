"""The anode's heel: published falls along the field, and what must hold for any tube."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from oakbeam.core.physics.beam.heel import kerma_along_tube
from oakbeam.core.physics.beam.spectrum import beam_quality


@pytest.mark.parametrize(
    ("offset_cm", "published"),
    # Textbook tables of intensity along the anode-cathode axis at 100 cm, from memory: 1.05 at its best on the cathode's
    # side, 0.73 to 0.8 at the anode's end of 35 cm.
    [(-17.5, (0.70, 0.85)), (-10, (0.87, 0.95)), (0, (1.0, 1.0)), (10, (1.0, 1.06)), (17.5, (0.95, 1.06))],
)
def test_intensity_along_the_field_is_as_published(offset_cm, published):
    (found,) = kerma_along_tube(80, 3.0, 0.0, 16.0, 100, np.array([offset_cm]))
    assert published[0] - 1e-9 <= found <= published[1] + 1e-9


@given(st.floats(40, 150), st.floats(8, 16), st.floats(90, 200), st.floats(1, 8))
def test_the_anodes_side_falls_to_nothing_and_a_longer_sid_evens_the_field(kvp, angle, sid_cm, filtration):
    toward = -np.tan(np.radians(angle)) * sid_cm
    places = np.linspace(toward, 0, 15)
    found = kerma_along_tube(kvp, filtration, 0.0, angle, sid_cm, places)
    assert found[0] == 0
    assert found[-1] == pytest.approx(1)
    assert (np.diff(found) >= -1e-9).all()
    near, far = (kerma_along_tube(kvp, filtration, 0.0, angle, at, np.array([-10.0]))[0] for at in (sid_cm, sid_cm + 50))
    assert near < far <= 1


@pytest.mark.parametrize("angle", [8.0, 16.0])
def test_a_ray_that_leaves_at_another_tubes_angle_has_that_tubes_kerma(angle):
    """The same table by two ways: along the field of 12°, and another tube's own central ray."""
    sid_cm = 100.0
    offset = np.tan(np.radians(angle - 12)) * sid_cm
    (found,) = kerma_along_tube(80, 3.0, 0.0, 12.0, sid_cm, np.array([offset]))
    oblique = np.cos(np.radians(angle - 12))
    other = beam_quality(80, 3.0 / oblique, 0.0, angle)[0] / beam_quality(80, 3.0, 0.0, 12.0)[0]
    assert found == pytest.approx(other * oblique**2, rel=2e-3)
