"""What changes on the way from view to view."""

from __future__ import annotations

from dataclasses import fields, replace
from itertools import pairwise
from typing import get_args

from hypothesis import given
from hypothesis import strategies as st

from oakbeam.core.equipment.generator import ExposureControl
from oakbeam.core.exam.changes import SAID, Placed, applied, changes
from oakbeam.core.projection import SUPPORTS, Beam, Marker, Posture, Side

QUIET = {"lands_cm", "chambers", "side", "arm"}
"""What may differ without a word of its own: it goes with another that is said, or nobody has said it yet."""

ANYWHERE = st.builds(
    Placed,
    support=st.sampled_from(SUPPORTS),
    posture=st.sampled_from(get_args(Posture)),
    beam=st.sampled_from(get_args(Beam)),
    turned=st.sampled_from(["", "45° medial", "18° (12 to 22° by chest depth)"]),
    side=st.sampled_from(get_args(Side)),
    marker=st.sampled_from(get_args(Marker)),
    receptor=st.sampled_from(["Panel 43×43", "Loose panel 24×30"]),
    lengthwise=st.booleans(),
    diagonal=st.booleans(),
    tube_angle_deg=st.sampled_from([-10.0, 0.0, 5.0, 30.0]),
    lands_cm=st.floats(-30, 30),
    sid_cm=st.floats(60, 250),
    grid_ratio=st.sampled_from([0, 8, 12]),
    filter=st.sampled_from([None, "cu-0.1"]),
    exposure_control=st.sampled_from(get_args(ExposureControl)),
    chambers=st.sampled_from(["", "C", "L+R"]),
    path=st.sampled_from(["ap: at the level of L3", "lateral: at the level of L3"]),
    arm=st.booleans(),
)
FLAT = Placed(
    "table_bucky",
    "supine",
    "vertical",
    "",
    "right",
    "body",
    "Panel",
    True,
    False,
    0.0,
    0.0,
    107.0,
    12,
    None,
    "manual",
    "",
    "ap",
    False,
)


def said(before: Placed, after: Placed) -> list[str]:
    return [one.said for one in changes(before, after) if one.said]


@given(st.lists(ANYWHERE, min_size=2, max_size=8))
def test_the_changes_put_onto_the_last_set_up_give_the_next_one_in_any_order(views):
    stands = views[0]
    for before, after in pairwise(views):
        stands = applied(stands, changes(before, after))
        assert stands == after
        assert all(one.said or one.what in QUIET for one in changes(before, after))


def test_everything_that_stands_somewhere_has_its_words():
    assert set(SAID) == {one.name for one in fields(Placed)}
    assert changes(FLAT, FLAT) == ()


def test_the_angle_comes_off_and_the_receptor_follows_the_ray_back():
    tilted = replace(FLAT, tube_angle_deg=30.0, lands_cm=15.6)
    assert said(FLAT, tilted) == ["Tube to 30° cephalad.", "Re-align the receptor, about 16 cm toward the head."]
    assert said(tilted, FLAT) == [
        "Take the angle off (it was 30° cephalad).",
        "Re-align the receptor, about 16 cm toward the feet.",
    ]
    arm = [replace(one, arm=True) for one in (FLAT, tilted)]
    assert said(*arm)[1] == "Re-align the receptor, about 16 cm toward the shoulder."
    # On another support it is placed anew.
    assert said(tilted, replace(FLAT, support="tabletop"))[1:] == ["Take the angle off (it was 30° cephalad)."]
    # A thicker part under the same angle moves it too, and is centred anew anyway.
    assert said(tilted, replace(tilted, lands_cm=18.0)) == []


def test_the_other_oblique_of_a_pair_is_another_side():
    assert said(FLAT, replace(FLAT, side="left")) == ["Other side: marker L."]
    assert said(replace(FLAT, side=""), FLAT) == ["Side: marker R."]
    assert said(FLAT, replace(FLAT, side="both")) == ["Both sides: markers R and L."]


def test_what_is_taken_out_or_off_is_said():
    full = replace(FLAT, exposure_control="aec", chambers="C", filter="cu-0.1", turned="45° medial")
    assert said(full, replace(FLAT, grid_ratio=0)) == [
        "Out of the turn.",
        "Grid out.",
        "Tube filter: none.",
        "Manual: AEC off.",
    ]
    assert said(replace(FLAT, sid_cm=180.0), FLAT) == ["SID 180 to 107 cm: mAs ×0.35 for the same kVp."]
