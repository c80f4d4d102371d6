"""Pictures for the Guide show what their words say, the way they say it; where words do not tell, there is none."""

from __future__ import annotations

import numpy as np
from tests.conftest import proofs

from oakbeam import catalogue
from oakbeam.core.image_review import FINDINGS
from oakbeam.core.practice.own_faults import OWN
from oakbeam.core.practice.pictured import LOOKS, MOST, faults, good, looks_like, made, pictured_own
from oakbeam.core.practice.simulated_room import take
from oakbeam.core.practice.views import VIEWS


def image(one, pixels=96):
    return take(one.case, one.console, one.lie, one.mishap, pixels, 1)


def of(projection, seen):
    return next(one for one in faults(catalogue.projection(projection)) if one.seen.startswith(seen))


def words_of(projection):
    """What the catalogue's own faults of a view say is seen."""
    return {seen for seen, _ in catalogue.projection(projection).faults}


def test_every_computed_view_has_a_good_picture_and_three_of_what_goes_wrong():
    for projection in VIEWS:
        view = catalogue.projection(projection)
        found = faults(view)
        assert len(found) == MOST and len({one.seen for one in found}) == MOST
        assert good(view).seen and all(one.cause for one in found)


def test_what_is_pictured_of_a_views_own_faults_is_in_its_list_and_changes_the_image():
    """Each is a fault of the catalogue by its very words, and no two pictures of a view are the same."""
    for projection, causes in OWN.items():
        assert set(causes) <= words_of(projection), projection
    with_own = [one for one in VIEWS if {f.seen for f in faults(catalogue.projection(one))} & words_of(one)]
    assert len(with_own) >= 120
    for projection in proofs(["knee-lateral", "pelvis-ap", "coccyx-lateral"], sorted(OWN)):
        view = catalogue.projection(projection)
        straight = image(good(view)).radiograph.clean
        for seen, cause in OWN[projection].items():
            wrong = image(pictured_own(view, cause, seen, "")).radiograph.clean
            part = straight < 0.8 * straight.max()
            assert np.percentile(np.abs(np.log(wrong[part] / straight[part])), 99.5) > 0.05, (projection, seen)


def test_a_foot_turned_out_shows_the_lesser_trochanter_and_shortens_the_neck():
    """Behind and medial to the shaft it stands: turned out it comes into profile, and the neck is seen end on."""
    view = catalogue.projection("hip-ap")

    def beside_the_shaft(one):
        taken = image(one, 256)
        bones, where = taken.body.maps["bone"], taken.radiograph.screen
        x, y = np.meshgrid(where.x_cm(), where.y_cm())
        return float(bones[(x > -1.5) & (x < 1.2) & (y < -3.2) & (y > -6.0)].mean())

    assert beside_the_shaft(of("hip-ap", "Neck short")) > 1.1 * beside_the_shaft(good(view))


def test_a_raised_side_is_the_side_that_the_words_name():
    """Spinous processes move toward the side that is raised... as seen: the arch lies behind the body."""
    view = catalogue.projection("lspine-ap")
    right, straight = of("lspine-ap", "Spinous processes nearer the right"), good(view)

    def tips(one):
        bones = image(one, 192).body.maps["bone"]
        columns = bones[60:130].sum(axis=0)
        return float((columns * np.arange(len(columns))).sum() / columns.sum())

    # The patient's right is the left of the image.
    assert tips(right) < tips(straight)
    chest = of("chest-pa", "Gap wider on the right")
    assert chest.lie.turned_deg < 0 and right.lie.turned_deg > 0


def test_what_was_cut_is_at_the_end_that_was_cut():
    low = image(of("abdomen-supine", "Symphysis cut")).body.maps["bone"]
    whole = image(good(catalogue.projection("abdomen-supine"))).body.maps["bone"]
    # The pelvis has left by the lower edge: the heaviest rows lie lower.
    assert np.argmax(low[20:].sum(axis=1)) > np.argmax(whole[20:].sum(axis=1)) or low[-8:].sum() > whole[-8:].sum()


def test_shoulder_blades_come_into_the_lungs_and_a_breath_out_lifts_the_domes():
    view = catalogue.projection("chest-pa")
    right = image(good(view), 160)
    lung, screen = right.body.maps["lung"] > 6, right.radiograph.screen
    outer = lung & (np.abs(screen.x_cm())[None, :] > 8)
    back = image(of("chest-pa", "Shoulder blades"), 160)

    def over_outer_lung(one):
        bones = one.body.maps["bone"]
        return bones[outer].mean() / bones[lung & ~outer].mean()

    assert over_outer_lung(back) > 1.15 * over_outer_lung(right)
    out = image(made(view, "breath", "Fewer than nine", "Breathe in again."), 160)
    assert (out.body.maps["lung"] > 3).sum() < 0.93 * (right.body.maps["lung"] > 3).sum()


def test_a_fault_that_no_body_can_show_has_no_picture():
    """Chin and fingers are not the body's to move; which side is meant has to be said."""
    for projection, seen in (
        ("cspine-ap-axial", "Jaw over C3"),
        ("finger-lateral", "Base covered"),
        ("pelvis-frog", "One side different"),
    ):
        assert seen in words_of(projection) and seen not in OWN.get(projection, {})


def test_the_words_of_the_desk_have_the_pictures_that_go_with_them():
    view = catalogue.projection("lspine-ap")
    right = image(good(view))
    for finding in FINDINGS:
        one = looks_like(view, finding)
        assert (one is not None) == (finding in LOOKS or finding == "not_penetrated")
        if one is None:
            continue
        made = image(one)
        if finding in ("noisy", "clipped"):
            assert (made.di < -8) if finding == "noisy" else (made.di > 8)
        if finding == "flat_contrast":
            assert made.radiograph.spr > 2 * right.radiograph.spr
        if finding == "not_penetrated":
            assert made.setup.kvp < 0.75 * right.setup.kvp
