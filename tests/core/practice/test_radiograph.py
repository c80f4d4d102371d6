"""Computed radiographs agree with the physics model, their noise follows the quanta, faults show where they should."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from tests.conftest import proofs

from oakbeam import catalogue
from oakbeam.core.errors import Refusal
from oakbeam.core.physics.beam.model import BeamSetup, Part, evaluate, rqa5_equivalent_ugy
from oakbeam.core.physics.beam.quality import DETAILS, contrast
from oakbeam.core.practice.beam_bins import SoftMix, linear_attenuation, primary_signal, signal_spectrum
from oakbeam.core.practice.computed_body import Screen, Tissue, lengths, met
from oakbeam.core.practice.positioning import ComputedPart, focus_at
from oakbeam.core.practice.radiograph import Collimation, Exposure, GridFault, Motion, expose, index_of
from oakbeam.core.practice.shown import as_levels, film_density, shown
from oakbeam.core.practice.simulated_room import Case, Console, Mishap, computed, marker_of, strips, take, usual_console
from oakbeam.core.practice.solids import box
from oakbeam.core.practice.views import VIEWS, Lie

FIELD = (24.0, 24.0)


def full_primary_signal(setup, paths_cm, soft):
    """(n): the primary signal by the sum over every energy, for paths [cm] of n rays."""
    depth = sum(np.outer(cm, linear_attenuation(material, soft)) for material, cm in paths_cm.items())
    return np.asarray(np.exp(-depth) @ signal_spectrum(setup))


def slab(cm, detail=None, pixels=96):
    """A slab of muscle with a detail in its middle, as the rays meet it."""
    where = Screen(focus_at(100, 0), (0.0, 0.0), 25.0 / pixels, (pixels, pixels))
    tissues = [Tissue("slab", (box((0, 0, cm / 2), (30, 30, cm / 2)),), {"soft": 1.0})]
    if detail:
        material, depth, size = detail
        tissues.append(Tissue("detail", (box((0, 0, cm / 2), (size, size, depth / 2)),), {material: 1.0}))
    maps = lengths(tissues, where)
    y, x = np.meshgrid(where.y_cm(), where.x_cm(), indexing="ij")
    # About the detail: the index is of what lies beside it.
    return ComputedPart(maps, SoftMix(0.0), (np.abs(x) < 3) & (np.abs(y) < 3) & (np.hypot(x, y) > 1.2)), where


@settings(max_examples=12, deadline=None)
@given(st.floats(50, 120), st.floats(4, 26), st.sampled_from([0, 8, 12]), st.sampled_from(["dr_csi", "cr"]))
def test_mean_signal_and_scatter_of_a_slab_are_the_models(kvp, cm, ratio, receptor):
    body, where = slab(cm)
    setup = BeamSetup(kvp, 100, FIELD, grid=strips(ratio, 100), receptor=receptor)
    part = Part(np.array([cm]), {"muscle": 1.0})
    # So that no receptor is saturated.
    mas = 2.0 / float(rqa5_equivalent_ugy(setup, part)[0])
    made = expose(body, where, Exposure(setup, mas, part, Collimation(size_cm=FIELD), spot_mm=0.1))
    beam = evaluate(setup, part)
    assert index_of(made, body.region).ei == pytest.approx(200, rel=0.03)
    spr = float(beam.signal_kev[0] / beam.primary_signal_kev[0] - 1)
    given_spr = (made.clean - made.primary)[body.region].sum() / made.primary[body.region].sum()
    assert given_spr == pytest.approx(spr, rel=0.05)


@pytest.mark.parametrize(("cm", "kvp"), [(12.0, 70), (20.0, 85)])
def test_scatter_falls_toward_the_edges_as_half_and_quarter_fields_say(cm, kvp):
    """A point on the edge of a field sees half of one twice as wide about it, one in the corner a quarter of one twice as
    wide and twice as high: what the physics model says of those is checked against the image, which never asks it."""
    side = 16.0
    body, where = slab(cm, pixels=192)
    setup, part = BeamSetup(kvp, 100, (side, side)), Part(np.array([cm]), {"muscle": 1.0})
    made = expose(body, where, Exposure(setup, 1.0, part, Collimation(size_cm=(side, side)), spot_mm=0.1))
    scatter = made.clean - made.primary

    def of(width, height):
        beam = evaluate(replace(setup, field_cm=(width, height)), part)
        return float(beam.signal_kev[0] - beam.primary_signal_kev[0])

    def seen(x, y):
        row, column = np.argmin(np.abs(where.y_cm() - y)), np.argmin(np.abs(where.x_cm() - x))
        return float(scatter[row - 2 : row + 3, column - 2 : column + 3].mean())

    middle, edge, corner = seen(0, 0), seen(side / 2, 0), seen(side / 2, side / 2)
    whole = of(side, side)
    assert edge / middle == pytest.approx(0.5 * of(2 * side, side) / whole, rel=0.08)
    assert corner / middle == pytest.approx(0.25 * of(2 * side, 2 * side) / whole, rel=0.13)


@pytest.mark.parametrize("kvp", [60, 80, 110])
def test_the_contrast_of_a_small_detail_is_the_models(kvp):
    detail = DETAILS["bone"]
    body, where = slab(12.0, ("bone", detail.depth_cm, 0.35), 192)
    plain, _ = slab(12.0, pixels=192)
    setup, part = BeamSetup(kvp, 100, FIELD), Part(np.array([12.0]), {"muscle": 1.0})
    shot = Exposure(setup, 1.0, part, Collimation(size_cm=FIELD), spot_mm=0.1)
    with_it, without = expose(body, where, shot).clean, expose(plain, where, shot).clean
    middle = (slice(94, 98), slice(94, 98))
    seen = 1 - with_it[middle].mean() / without[middle].mean()
    # The model's detail stands in soft tissue of unit density, ours in muscle: 5 % of the bone's own.
    model = float(contrast(evaluate(setup, part), replace(detail, in_place_of="muscle"))[0])
    assert seen == pytest.approx(model, rel=0.05)


def test_a_handful_of_bins_is_close_to_the_sum_over_all_energies():
    worst = 0.0
    chance = np.random.default_rng(3)
    for kvp, cm in ((50, 4.0), (70, 12.0), (90, 22.0), (120, 22.0)):
        setup = BeamSetup(kvp, 100, FIELD)
        n = 200
        paths = {
            "soft": chance.uniform(0.6, 1.3, n) * cm,
            "bone": chance.uniform(0, 0.08, n) * cm,
            "lung": chance.uniform(0, 0.4, n) * cm,
        }
        maps = {name: value.astype(np.float32)[None, :] for name, value in paths.items()}
        typical = {name: float(value.mean()) for name, value in paths.items()}
        ours = primary_signal(setup, maps, SoftMix(0.3), typical)[0]
        worst = max(worst, float(np.abs(ours / full_primary_signal(setup, paths, SoftMix(0.3)) - 1).max()))
    assert worst < 0.03


def test_noise_power_follows_the_quanta_and_the_receptors_own_noise_stays():
    body, where = slab(10.0)
    setup, part = BeamSetup(70, 100, FIELD), Part(np.array([10.0]), {"muscle": 1.0})
    relative = {}
    for mas in (0.05, 0.5, 5.0):
        made = expose(body, where, Exposure(setup, mas, part, Collimation(size_cm=FIELD), seed=1))
        noise = (made.signal - made.clean)[30:66, 30:66] / made.clean[30:66, 30:66]
        relative[mas] = float(noise.var()) * mas
        # White: what one pixel has says nothing of the next.
        assert abs(np.corrcoef(noise[:, :-1].ravel(), noise[:, 1:].ravel())[0, 1]) < 0.08
    assert relative[5.0] == pytest.approx(relative[0.5], rel=0.15)
    # With hardly a photon the electronics are most of it.
    assert relative[0.05] > 1.2 * relative[5.0]


FEW, ALL = ["chest-pa", "knee-ap", "hand-pa", "lspine-lateral", "ankle-lateral"], sorted(VIEWS)


@pytest.mark.parametrize("projection", proofs(FEW, ALL))
def test_a_usual_technique_of_any_view_and_size_gives_the_index_that_the_model_says(projection):
    view = catalogue.projection(projection)
    for cm in view.thickness_cm:
        case = Case(view, float(cm), seed=4)
        taken = take(case, usual_console(case), pixels=96)
        expected = 100 * float(rqa5_equivalent_ugy(taken.setup, taken.part)[0]) * taken.mas
        small = projection.startswith(("finger", "thumb", "toe"))
        # A finger is narrower than the region that an index is formed of.
        assert taken.index.ei == pytest.approx(expected, rel=0.35 if small else 0.12), cm
        assert taken.index.recognised


def test_one_seed_is_one_image_and_two_seeds_are_two_people():
    view = catalogue.projection("knee-ap")

    def made(seed, noise):
        case = Case(view, 12.0, seed=seed)
        return take(case, usual_console(case), pixels=96, seed=noise).radiograph.signal

    assert made(1, 1).tobytes() == made(1, 1).tobytes()
    assert made(1, 1).tobytes() != made(1, 2).tobytes()
    chest = catalogue.projection("chest-pa")
    bodies = [computed(Case(chest, 22.0, seed=seed), Lie(), 180, 0, 96)[0].maps["lung"] for seed in (1, 2)]
    assert np.abs(bodies[0] - bodies[1]).max() > 0.5


def knee(**console):
    case = Case(catalogue.projection("knee-ap"), 12.0, seed=1)
    return case, replace(usual_console(case), **console)


def test_a_decentred_grid_takes_everywhere_an_upside_down_one_the_sides():
    body, where = slab(15.0)
    setup, part = BeamSetup(80, 100, FIELD, grid=strips(10, 100)), Part(np.array([15.0]), {"muscle": 1.0})

    def along(fault):
        made = expose(body, where, Exposure(setup, 1.0, part, Collimation(size_cm=FIELD), grid_fault=fault))
        row = made.primary[46:50].mean(axis=0)
        return row[8:-8]

    right, off = along(GridFault()), along(GridFault(offset_cm=3.0))
    # As the textbooks' r · b / f0: 10 · 3 / 100.
    assert off / right == pytest.approx(np.full(len(off), 0.7), abs=0.02)
    down = along(GridFault(upside_down=True)) / right
    assert down[len(down) // 2] > 0.95 and down[0] < 0.2 and down[-1] < 0.2
    focus = along(GridFault(focal_cm=180.0)) / right
    assert focus[len(focus) // 2] > 0.97 and focus[0] == pytest.approx(focus[-1], abs=0.03) and 0.4 < focus[0] < 0.8


def test_motion_blurs_along_its_way_and_leaves_the_mean():
    case, console = knee()
    still = take(case, console, pixels=192).radiograph
    moved = take(case, console, mishap=Mishap(moved_mm=12), pixels=192).radiograph
    edges = [np.abs(np.diff(one.primary, axis=0))[40:150, 60:130].mean() for one in (still, moved)]
    assert edges[1] < 0.8 * edges[0]
    assert moved.primary.mean() == pytest.approx(still.primary.mean(), rel=0.01)


def test_closing_the_field_lowers_scatter_and_kerma_area_product():
    case, console = knee(grid_ratio=0)
    wide, narrow = (take(case, replace(console, field_cm=size), pixels=96).radiograph for size in ((30, 30), (12, 12)))
    assert narrow.spr < 0.8 * wide.spr
    assert narrow.kap_mgycm2 == pytest.approx(wide.kap_mgycm2 * 144 / 900, rel=0.02)


def test_chambers_end_the_exposure_at_the_target_and_a_low_back_up_before_it():
    view = catalogue.projection("lspine-ap")
    for cm in (18.0, 23.0):
        case = Case(view, cm, seed=2)
        usual = usual_console(case)
        ended = take(case, replace(usual, mas=usual.mas * 5, chambers=("C",)), pixels=96)
        # The middle chamber lies behind the spine alone, the index is of what lies beside it too.
        assert not ended.back_up and abs(ended.di) < 1.8
        stopped = take(case, replace(usual, mas=usual.mas * 0.3, chambers=("C",)), pixels=96)
        assert stopped.back_up and stopped.mas == usual.mas * 0.3 and stopped.di < -3
    # Beside a narrow part the chambers see the open beam.
    wrist = Case(catalogue.projection("wrist-pa"), 4.0, seed=2)
    early = take(wrist, replace(usual_console(wrist), mas=20.0, chambers=("L", "R")), pixels=96)
    assert early.di < -2


def test_an_index_of_a_field_that_was_not_recognised_is_said_to_be_none_of_the_part():
    case, console = knee()
    right = take(case, console, pixels=96)
    aside = take(case, console, mishap=Mishap(shutters_off_cm=(14.0, 0.0)), pixels=96)
    assert right.index.recognised and not aside.index.recognised


def test_brightness_says_little_on_a_digital_system_and_much_on_film():
    case, console = knee()
    greys = []
    for share in (0.25, 1.0, 4.0):
        taken = take(case, replace(console, mas=console.mas * share), pixels=96)
        image = shown(taken.radiograph, taken.body)
        level = np.median(image.levels[taken.body.region])
        greys.append((level - image.light) / (image.dark - image.light))
    assert max(greys) - min(greys) < 0.08
    film = [
        take(case, replace(console, mas=console.mas * share, receptor="film_screen"), pixels=96) for share in (0.3, 1.0, 3.0)
    ]
    densities = [float(np.median(film_density(one.radiograph.signal)[one.body.region])) for one in film]
    assert densities[0] < 0.8 and densities[2] > 2.0 and densities == sorted(densities)
    assert film_density(np.array([2.5], np.float32))[0] == pytest.approx(1.2, abs=0.01)
    assert list(as_levels(np.array([0.001, 0.01, 200.0, 900.0], np.float32))) == [0, 0, 65535, 65535]


def test_what_a_receptor_cannot_hold_is_clipped():
    case, console = knee()
    burned = take(case, replace(console, mas=console.mas * 60), pixels=96).radiograph
    assert burned.signal.max() == 60.0 and (burned.signal == 60.0).mean() > 0.3


@pytest.mark.parametrize(
    ("change", "field"),
    [
        ({"projection": "long-leg-knees"}, "projection"),
        ({"condition": "gout"}, "condition"),
        ({"thickness_cm": 80.0}, "thickness_cm"),
    ],
)
def test_what_cannot_be_computed_is_refused_with_what_can(change, field):
    values = {"projection": "knee-ap", "thickness_cm": 12.0} | change
    case = Case(catalogue.projection(values["projection"]), values["thickness_cm"], condition=values.get("condition", ""))
    with pytest.raises(Refusal) as refused:
        take(case, Console(70, 5, 100), pixels=96)
    assert refused.value.field == field and refused.value.allowed


def test_what_is_got_wrong_changes_the_image_where_it_should():
    """Turned, off centre, a shield, a marker: each beside the same image without it."""
    view = catalogue.projection("chest-pa")
    case = Case(view, 22.0, seed=1)
    console = usual_console(case)
    right = take(case, console, pixels=128).body.maps

    def asymmetry(maps):
        lung = maps["lung"]
        left, other = lung[:, : lung.shape[1] // 2].sum(), lung[:, lung.shape[1] // 2 :].sum()
        return left / other

    assert asymmetry(take(case, console, Lie(turned_deg=15), pixels=128).body.maps) != pytest.approx(
        asymmetry(right), rel=0.03
    )
    low = take(case, console, Lie(off_cm=(0, -6)), pixels=128).body.maps["lung"]
    assert np.argmax(low.sum(axis=1)) < np.argmax(right["lung"].sum(axis=1)) - 8
    shield = take(case, console, mishap=Mishap(artefacts=("shield", "marker R")), pixels=128)
    lead = shield.body.maps["lead"] > 0
    assert shield.radiograph.primary[lead].mean() < 0.1 * shield.radiograph.primary[~lead].mean()
    # The marker stands on the patient's right: the left of the image, as images are hung.
    marker = take(case, console, mishap=Mishap(artefacts=("marker R",)), pixels=128).body.maps["lead"]
    assert np.nonzero(marker)[1].max() < 64


def test_anatomy_opens_and_overlaps_as_positioning_says():
    """The mortise opens when the leg is turned in; condyles come to lie over each other with the tube toward the head."""

    def bone(projection, lie, cm):
        view = catalogue.projection(projection)
        return computed(Case(view, cm, seed=1), lie, 100, 0, 256)[0].maps["bone"]

    def lateral_gap(maps):
        """Pixels without bone between the talus and the outer malleolus, over some rows of the joint."""
        middle = maps.shape[0] // 2
        return int((maps[middle + 6 : middle + 12, 96:110] < 0.4).sum())

    mortise, front = (lateral_gap(bone("ankle-mortise", Lie(turned_deg=turned), 9.0)) for turned in (0, 17))
    assert mortise > 3 * front

    def apart(angle):
        """Rows between the lower rims of the two condyles: from where there is one of them to where there are both."""
        found = bone("knee-lateral", Lie(angle_deg=angle), 11.0)
        middle, joint = found.shape[1] // 2, found.shape[0] // 2
        along = found[:, middle - 6 : middle + 6].mean(axis=1)
        gap = joint - 20 + int(np.argmin(along[joint - 20 : joint + 25]))
        up = along[gap - 40 : gap][::-1]
        return int(np.argmax(up > 0.8 * up.max())) - int(np.argmax(up > 0.2 * up.max()))

    # A thigh that lies flat tilts the joint: 6 degrees toward the head put one over the other, an upright tube does not.
    assert apart(0) <= 2 and apart(-6) >= 4 and apart(-12) >= 8 and apart(6) >= 4


def test_a_right_limb_is_a_left_one_in_a_mirror_and_carries_its_own_marker():
    for view, cm in (("knee-ap", 12.0), ("wrist-lateral", 6.0), ("hip-ap", 19.0)):
        left = Case(catalogue.projection(view), cm, seed=1)
        right = replace(left, side="right")
        one, other = (
            computed(case, Lie(off_cm=(off, 1)), 100, 0, 128)[0].maps["bone"] for case, off in ((left, 2), (right, -2))
        )
        assert np.abs(one - other[:, ::-1]).mean() < 0.01 * one.mean()
        assert (marker_of(left), marker_of(right)) == ("marker L", "marker R")
    # The fibula of a left knee lies to the right of its image, as images are hung.
    bones = computed(Case(catalogue.projection("knee-ap"), 12.0, seed=1), Lie(), 100, 0, 128)[0].maps["bone"]
    low = bones[int(0.75 * len(bones)) :].mean(axis=0)
    middle = len(low) // 2
    assert low[middle + 20 :].sum() > 1.5 * low[: middle - 20].sum()
    # Both sides of a chest are seen: it is no mirror of anything, its heart stays where it is, and R is the marker.
    chest = Case(catalogue.projection("chest-pa"), 22.0, seed=1)
    same, too = (computed(one, Lie(), 180, 0, 96)[0].maps["soft"] for one in (chest, replace(chest, side="right")))
    assert (same == too).all() and marker_of(chest) == "marker R"
    assert marker_of(Case(catalogue.projection("ribs-oblique"), 25.0)) == "marker L"


def test_what_lies_higher_over_the_receptor_is_blurred_more_by_the_focal_spot():
    """The edges of two plates, one low and one high: as wide as the spot's image is, by similar triangles."""
    where = Screen(focus_at(100, 0), (0.0, 0.0), 0.025, (384, 384))
    plates = [(-2.5, 2.0), (2.5, 22.0)]
    tissues = [Tissue("slab", (box((0, 0, 12), (30, 30, 12)),), {"soft": 1.0})]
    for x, high in plates:
        at = x * (100 - high) / 100
        tissues.append(Tissue("plate", (box((at, 0, high), (0.8, 3, 0.15)),), {"bone": 1.0}))
    maps, height = met(tissues, where)
    body = ComputedPart(maps, SoftMix(0.0), np.ones(where.shape, bool), height)
    for x, high in plates:
        column = round(191.5 + x / where.pixel_cm)
        assert height[192, column] == pytest.approx(high, abs=0.2)
    setup, part = BeamSetup(70, 100, (9, 9)), Part(np.array([24.0]), {"muscle": 1.0})
    made = expose(body, where, Exposure(setup, 1.0, part, Collimation(size_cm=(9, 9)), spot_mm=4.0)).primary

    def edge_mm(x):
        """Width of the left edge, by its steepest slope."""
        columns = slice(round(191.5 + (x - 1.9) / where.pixel_cm), round(191.5 + x / where.pixel_cm))
        along = made[150:234, columns].mean(axis=0)
        return 10 * where.pixel_cm * float(np.ptp(along) / np.abs(np.diff(along)).max())

    blur = 4.0 * 22 / 78
    # A Gaussian of that full width at half its height has an edge as wide as sqrt(2 pi) of its sigma.
    assert edge_mm(2.5) == pytest.approx(2.507 * np.hypot(blur, 0.2) / 2.355, rel=0.15)
    assert edge_mm(-2.5) < 0.5 * edge_mm(2.5)


@pytest.mark.parametrize(
    ("view", "cm", "x_cm", "y_cm"),
    [("knee-ap", 9.0, -0.6, (1.5, 4.5)), ("wrist-pa", 2.6, 0.3, (-2.4, -1.2)), ("ankle-ap", 7.0, 0.0, (0.5, 2.5))],
)
def test_a_childs_bones_end_in_growth_plates_that_an_adults_have_not(view, cm, x_cm, y_cm):
    def deepest(age):
        """The least bone on a line along a bone's end, over the most of what is on either side of it."""
        case = Case(catalogue.projection(view), cm, age=age, seed=1)
        body, where, _ = computed(case, Lie(), 100, 0, 320)
        along = body.maps["bone"][:, np.argmin(np.abs(where.x_cm() - x_cm))]
        rows = np.flatnonzero((where.y_cm() > y_cm[0]) & (where.y_cm() < y_cm[1]))
        return min(along[i] / min(along[i - 9 : i - 3].max(), along[i + 4 : i + 10].max()) for i in rows)

    assert deepest("10y") < 0.6 * deepest("adult")
    assert deepest("5y") <= deepest("10y") <= deepest("15y") + 0.05


@pytest.mark.parametrize(("view", "column"), [("tibfib-ap", 0.5), ("femur-ap-distal", 0.5), ("forearm-ap", 0.56)])
def test_no_seam_is_seen_where_a_shaft_goes_over_into_its_ends(view, column):
    """Down the middle of a shaft bone changes gently: nowhere a line that is brighter or darker than both its sides."""
    entry = catalogue.projection(view)
    found = computed(Case(entry, float(entry.thickness_cm[1]), seed=1), Lie(), 100, 0, 320)[0].maps["bone"]
    at = int(column * found.shape[1])
    along = found[int(0.42 * len(found)) : int(0.68 * len(found)), at - 1 : at + 2].mean(axis=1)
    assert along.min() > 0.1
    line = along[2:-2] - (along[:-4] + along[4:]) / 2
    assert np.abs(line).max() < 0.12 * along.mean()


def test_radiograph_of_an_exposure_twice_is_kept_apart_from_what_was_changed():
    """A technique that changes does not touch the body that is kept for it."""
    case, console = knee()
    first = take(case, console, pixels=96)
    before = first.body.maps["soft"].copy()
    take(case, replace(console, kvp=90), mishap=Mishap(artefacts=("button",)), pixels=96)
    assert (take(case, console, pixels=96).body.maps["soft"] == before).all()
    moved = expose(
        first.body,
        first.radiograph.screen,
        Exposure(first.setup, 1.0, first.part, Collimation(size_cm=(16, 22)), motion=Motion(3)),
    )
    assert moved.signal.shape == first.radiograph.signal.shape


def test_breathing_on_blurs_the_ribs_and_leaves_the_spine():
    """The purpose of the breathing technique: what moves with the breath is drawn out, the vertebrae are not."""
    view = catalogue.projection("ribs-upper-ap")
    case = Case(view, float(view.thickness_cm[1]), seed=1)
    usual = usual_console(case)
    held, on = (take(case, replace(usual, breathing=one), pixels=128).body.maps["bone"] for one in (False, True))

    def edges(bones, columns):
        return np.abs(np.diff(bones[:, columns], axis=0)).mean()

    middle = held.shape[1] // 2
    beside, spine = slice(middle + 20, middle + 45), slice(middle - 5, middle + 5)
    assert edges(on, beside) < 0.8 * edges(held, beside)
    assert edges(on, spine) > 0.85 * edges(held, spine)


def test_the_dens_stands_between_the_teeth_of_an_open_mouth_and_not_of_a_closed_one():
    view = catalogue.projection("cspine-odontoid")
    case = Case(view, float(view.thickness_cm[1]), seed=1)

    def over_the_dens(bend):
        bones = computed(case, Lie(bend_deg=bend), 100, 0, 192)[0].maps["bone"]
        rows, columns = (one // 2 for one in bones.shape)
        return float(bones[rows - 14 : rows + 4, columns - 10 : columns + 10].mean())

    assert over_the_dens(0) < 0.8 * over_the_dens(-34)
