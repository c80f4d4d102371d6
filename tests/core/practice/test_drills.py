"""Every drill can be solved, tells right from nearly right from wrong, and gives everybody who does a seed the same task."""

from __future__ import annotations

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from tests.conftest import proofs

from oakbeam import catalogue
from oakbeam.core.errors import Refusal
from oakbeam.core.image_review import evaluate as judged_image
from oakbeam.core.physics.beam.model import evaluate
from oakbeam.core.physics.beam.quality import Detail, contrast
from oakbeam.core.practice.drills.on_images import AS_ASKED, CHANGES, FAULTS, REPEAT, SEEN, made_wrong, somebody
from oakbeam.core.practice.drills.pack import DRILL as PACK_OF
from oakbeam.core.practice.drills.pack import pack
from oakbeam.core.practice.drills.question import HINT_COSTS, Asked, Chance, Level, Question, judge
from oakbeam.core.practice.drills.register import DRILLS, TRACKS
from oakbeam.core.practice.drills.what_next import FIRST_GAP, GOOD, confusions, level_of, next_drill, standings
from oakbeam.core.practice.simulated_room import Mishap, chip_cnr, marker_of, part_for, take, usual_console
from oakbeam.core.practice.views import VIEWS

PROJECTIONS = {one: catalogue.projection(one) for one in VIEWS}


LEVEL_OF: tuple[Level, ...] = (1, 2, 3)


def off_by(one: Asked, tolerances: float) -> float:
    """A number so many tolerances from the right one."""
    right = float(one.right)
    return right + tolerances * (one.tolerance if one.absolute else one.tolerance * abs(right))


@pytest.mark.parametrize("drill", DRILLS)
def test_the_model_answer_gets_full_credit_for_every_seed(drill):
    for seed in range(200):
        question = DRILLS[drill].question(seed, PROJECTIONS, LEVEL_OF[seed % 3])
        assert judge(question, question.model_answer()).credit == 1, seed
        assert judge(question, question.model_answer(), hinted=True).credit == pytest.approx(1 - HINT_COSTS)
        assert question.given and question.hint and question.worked
        for one in question.asked:
            assert not one.options or (one.right in one.options and len(one.options) >= 2), seed
            assert one.options or math.isfinite(float(one.right))


@pytest.mark.parametrize("drill", DRILLS)
def test_right_nearly_right_and_wrong_answers_are_told_apart(drill):
    for seed in (1, 2, 3):
        question = DRILLS[drill].question(seed, PROJECTIONS, LEVEL_OF[seed % 3])
        nearly: dict[str, float | str] = {}
        wrong: dict[str, float | str] = {}
        worth = 0.0
        for one in question.asked:
            if one.options:
                other = next(key for key in one.options if key != one.right)
                nearly[one.name], wrong[one.name] = one.right, other
                worth += 1
            else:
                nearly[one.name], wrong[one.name] = off_by(one, 2), off_by(one, -8)
                worth += 0.5
        assert judge(question, nearly).credit == pytest.approx(worth / len(question.asked))
        judged = judge(question, wrong)
        assert judged.credit == 0 and judged.said and judged.worked == question.worked


def test_the_tracks_of_the_work_are_all_there_and_no_two_seeds_ask_the_same():
    assert len(DRILLS) >= 40 and {one.track for one in DRILLS.values()} == set(TRACKS)
    for drill in DRILLS.values():
        asked = {(q := drill.question(seed, PROJECTIONS)).given + str(q.model_answer()) for seed in range(40)}
        assert len(asked) >= 2, drill.id
        again = drill.question(7, PROJECTIONS)
        assert again.given == drill.question(7, PROJECTIONS).given


@pytest.mark.parametrize("drill", DRILLS)
def test_a_harder_task_is_of_the_same_kind_with_less_to_go_by(drill):
    for seed in range(20):
        easier, usual, harder = (DRILLS[drill].question(seed, PROJECTIONS, level) for level in LEVEL_OF)
        assert easier.model_answer() == usual.model_answer()
        for a, b, c in zip(easier.asked, usual.asked, harder.asked, strict=True):
            assert (a.name, a.options) == (b.name, b.options) == (c.name, c.options)
            # A choice of stations follows its number; of causes it is the same, however plain it is.
            assert not b.options or b.right == c.right
            assert a.tolerance >= b.tolerance >= c.tolerance and (b.fixed or b.options or a.tolerance > c.tolerance)
        if DRILLS[drill].track == "arithmetic" and [one.name for one in usual.asked] == ["mas"]:
            assert harder.given.startswith(usual.given) and "Besides" in harder.given
            assert harder.asked[0].right != usual.asked[0].right


def test_an_answer_to_a_second_step_makes_the_image_that_it_deserves():
    for seed in range(8):
        question = DRILLS["square-law"].question(seed, PROJECTIONS, 3)
        right, after = float(question.model_answer()["mas"]), question.after
        scene = after({"mas": right * 2}) if after else None
        assert scene.console.mas == pytest.approx(2 * usual_console(scene.case).mas)


def test_the_fault_of_a_critique_grows_fainter_with_the_level():
    for fault in ("noise", "over", "not_penetrated", "motion", "turned", "centred"):
        seen = []
        for level in LEVEL_OF:
            chance = Chance(5, "a", level)
            scene, _ = made_wrong(chance, somebody(chance, PROJECTIONS, "lspine-ap"), fault)
            usual = usual_console(scene.case)
            seen.append(
                abs(math.log(scene.console.mas / usual.mas))
                + abs(math.log(scene.console.kvp / usual.kvp))
                + abs(scene.lie.turned_deg)
                + sum(map(abs, scene.lie.off_cm))
                + scene.mishap.moved_mm
            )
        assert seen[0] > seen[1] > seen[2] > 0, fault


def test_a_chip_stands_out_of_the_image_as_far_as_the_drill_says():
    """The engine's own noise and contrast against the model's: what is offered as enough is, and half of it is not."""
    made, seen = DRILLS["detail-dose"].question(3, PROJECTIONS).after, {}
    assert made is not None
    for share in ("0.4", "1.2", "6.0"):
        scene = made({"mas": share})
        chip = scene.mishap.chip
        seen[share] = chip_cnr(scene.case, scene.console, chip)
        with_it, without = (
            take(scene.case, scene.console, mishap=one, pixels=512).radiograph.clean for one in (scene.mishap, Mishap())
        )
        lost = 1 - with_it / without
        there = lost > 0.5 * lost.max()
        beam = evaluate(take(scene.case, scene.console, pixels=64).setup, part_for(scene.case))
        model = float(contrast(beam, Detail("chip", "bone", "soft", chip.depth_mm / 10, 0.0))[0])
        assert float(lost[there].mean()) == pytest.approx(model, rel=0.4)
    assert seen["0.4"] < 5 < seen["1.2"] < 6 and seen["6.0"] == pytest.approx(seen["1.2"] * np.sqrt(5), rel=1e-6)


def test_two_right_in_a_row_make_it_harder_and_less_than_half_easier():
    assert [level_of(c) for c in ([], [1], [1, 1], [1, 1, 1, 1], [1] * 9)] == [1, 1, 2, 3, 3]
    assert [level_of(c) for c in ([1, 1, 0], [1, 1, 0.6], [0, 0], [1, 0.6, 1], [1, 1, 1, 1, 0.2, 1, 1])] == [1, 2, 1, 1, 3]


def test_a_pack_holds_a_good_image_and_no_fault_more_than_twice():
    for seed in range(30):
        seeds = pack(np.random.default_rng(seed), PROJECTIONS, LEVEL_OF[seed % 3])
        faults = [DRILLS[PACK_OF].question(one, PROJECTIONS).model_answer()["fault"] for one in seeds]
        assert len(set(seeds)) == len(seeds) == 8 and "none" in faults
        assert max(faults.count(one) for one in faults) <= 2


@pytest.mark.parametrize(
    ("answer", "field"),
    [({}, "mas"), ({"mas": "ten"}, "mas"), ({"mas": float("nan")}, "mas"), ({"mas": float("inf")}, "mas")],
)
def test_an_answer_that_is_none_is_refused(answer, field):
    with pytest.raises(Refusal) as refused:
        judge(DRILLS["square-law"].question(1, PROJECTIONS), answer)
    assert refused.value.field == field
    with pytest.raises(Refusal, match="choose one"):
        judge(DRILLS["lying"].question(1, PROJECTIONS), {"what": "guess"})


@given(st.floats(0.1, 1000), st.floats(-10, 10))
def test_a_number_is_right_within_its_tolerance_and_nowhere_else(right, off):
    question = Question("", (Asked("x", "x", right, tolerance=0.1),), "", "")
    credit = judge(question, {"x": right * (1 + 0.1 * off)}).credit
    if abs(off) < 0.999:
        assert credit == 1
    elif 1.001 < abs(off) < 2.999:
        assert credit == 0.5
    elif abs(off) > 3.001:
        assert credit == 0


@pytest.mark.parametrize("fault", FAULTS)
def test_the_image_of_a_fault_shows_it_and_none_shows_none(fault):
    """What an instrument sees of each cause: index, noise, edges, cut-off, lead."""
    chance = Chance(11, fault)
    for _ in range(proofs(1, 6)):
        case = somebody(chance, PROJECTIONS, "lspine-ap", "pelvis-ap")
        scene, cause = made_wrong(chance, case, fault)
        assert cause.fault == fault and cause.change in CHANGES and cause.repeat in REPEAT
        taken = take(case, scene.console, scene.lie, scene.mishap, 96)
        right = take(case, usual_console(case), pixels=96)
        # What is right of a repeat is what the Desk says of this very image, wherever its index is not at a limit.
        if all(abs(abs(taken.di) - limit) > 0.4 for limit in (1, 3)):
            assert cause.repeat == AS_ASKED[judged_image(taken.di, SEEN.get(fault, frozenset())).repeat], (fault, taken.di)
        if fault == "none":
            assert abs(taken.di) < 1
        elif fault in ("noise", "over"):
            assert (taken.di < -4) if fault == "noise" else (taken.di > 3)
        elif fault == "not_penetrated":
            assert scene.console.kvp < 0.7 * right.setup.kvp + 3 and taken.radiograph.spr < 1.3 * right.radiograph.spr
        elif fault == "flat":
            assert taken.radiograph.spr > 2 * right.radiograph.spr
        elif fault == "cut_off":
            assert taken.radiograph.primary.sum() < 0.85 * right.radiograph.primary.sum()
        elif fault == "artefact":
            assert (taken.body.maps["lead"] > 0).sum() > 1.2 * (right.body.maps.get("lead", np.zeros(1)) > 0).sum()
        elif fault == "marker":
            # The letter stands on the other side of the image.
            own = Mishap(artefacts=(marker_of(case),))
            leads = [take(case, scene.console, mishap=one, pixels=320).body.maps["lead"] for one in (scene.mishap, own)]
            wrong, marked = (np.nonzero(lead)[1].mean() / lead.shape[1] - 0.5 for lead in leads)
            assert wrong * marked < 0
        elif fault == "motion":
            # Within the part: the shutters' own edges do not move.
            seen = right.body.region[1:]
            sharp, blurred = (np.abs(np.diff(one.radiograph.primary, axis=0))[seen].mean() for one in (right, taken))
            assert blurred < 0.97 * sharp
        else:
            assert np.abs(taken.body.maps["bone"] - right.body.maps["bone"]).mean() > 0.05


def test_what_is_expected_of_a_child_is_a_childs():
    """By hand: a chest of one year is about 12 cm deep, of five 14, of ten 17; a knee 6, 8, 9.5; an elbow 3.5, 4.5, 5.5."""
    by_hand = {
        "chest": {"one": 12.0, "five": 14.0, "ten": 17.0},
        "knee": {"one": 6.2, "five": 8.0, "ten": 9.7},
        "elbow": {"one": 3.6, "five": 4.7, "ten": 5.7},
    }
    seen: set[tuple[str, str]] = set()
    for seed in range(150):
        question = DRILLS["child-cm"].question(seed, PROJECTIONS)
        part = next(one for one in by_hand if one in question.given.lower())
        years = next(one for one in by_hand[part] if f"child of {one} year" in question.given)
        right = float(question.model_answer()["cm"])
        assert right == pytest.approx(by_hand[part][years], rel=0.15), question.given
        seen.add((part, years))
    assert len(seen) == 9


def test_an_answered_mas_makes_the_image_that_it_deserves():
    question = DRILLS["square-law"].question(4, PROJECTIONS)
    right, after = float(question.model_answer()["mas"]), question.after
    assert after is not None
    for share, di in ((1.0, 0.0), (0.5, -3.0), (2.0, 3.0)):
        scene = after({"mas": right * share})
        assert take(scene.case, scene.console, pixels=96).di == pytest.approx(di, abs=0.8)
    assert after({"mas": "much"}) is None and after({"mas": -1}) is None


def test_what_was_missed_comes_again_and_a_row_of_right_answers_puts_it_off():
    chance = np.random.default_rng(1)
    names = ["a", "b", "c", "d", "e", "f"]
    assert next_drill([], names, chance) in names[:3]
    history = [("a", 0.2)]
    assert standings(history)["a"].due_in == FIRST_GAP
    history += [(one, 1.0) for one in "bcd"]
    assert next_drill(history, names, chance) == "a"
    # Never twice in a row, while others are there.
    assert next_drill([*history, ("a", 0.0)], names, chance) != "a"
    assert next_drill([("a", 0.0)], ["a"], chance) == "a"
    row = [standings([("a", 1.0)] * n)["a"].due_in for n in (1, 2, 3)]
    assert row == sorted(row) and row[0] > FIRST_GAP and row[2] > 4 * row[0] / 2
    assert standings([("a", GOOD), ("a", 0.1)])["a"].due_in == FIRST_GAP
    everything = [(one, 1.0) for one in names * 3]
    assert next_drill(everything, names, chance) == "a"


def test_confusions_count_what_was_taken_for_what():
    assert confusions([("noise", "over"), ("noise", "noise"), ("noise", "over")]) == {"noise": {"over": 2, "noise": 1}}
