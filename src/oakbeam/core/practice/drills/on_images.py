"""Drills on computed images: what is wrong, is it repeated, what one thing is changed; chambers; the least dose that shows
it. An answer is judged by what made the image, or by exposing again with it."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

from oakbeam.core.image_review import Finding, Repeat, corrected_mas, evaluate
from oakbeam.core.practice.artefacts import Chip
from oakbeam.core.practice.drills.question import Answer, Asked, Chance, Drill, Level, Projections, Question, Scene, number
from oakbeam.core.practice.radiograph import GridFault
from oakbeam.core.practice.simulated_room import Case, Mishap, chip_cnr, marker_of, mas_for_target, usual_console
from oakbeam.core.practice.views import Lie, one_sided

FAULTS = {
    "none": "Nothing is wrong",
    "noise": "Noise: too few photons",
    "over": "More exposure than needed",
    "not_penetrated": "Not penetrated: kVp too low",
    "flat": "Flat: scatter, no grid where one is needed",
    "motion": "Motion",
    "cut_off": "Grid cut-off",
    "turned": "Rotated",
    "centred": "Not centred, anatomy cut off",
    "artefact": "Something lies in the field",
    "marker": "The wrong side marker",
}
CHANGES = {
    "none": "Nothing",
    "more_mas": "More mAs",
    "less_mas": "Less mAs",
    "more_kvp": "More kVp (and less mAs)",
    "grid": "Use a grid",
    "shorter": "Shorter time, hold still",
    "align": "Put the grid right: centre, side up, distance",
    "turn": "Turn the patient right",
    "centre": "Centre on the landmark",
    "remove": "Take it away",
    "mark": "Mark it right, by the department's rule",
}
REPEAT = {"no": "No", "ask": "Ask the radiologist if it will do", "yes": "Yes, it shows too little"}


@dataclass(frozen=True, slots=True)
class Cause:
    """What made an image what it is: fault, what is changed, whether it is repeated."""

    fault: str
    change: str
    why: str
    repeat: str = "no"


VIEWS = ("chest-pa", "knee-ap", "lspine-ap", "pelvis-ap", "abdomen-supine", "ankle-ap", "wrist-pa", "elbow-ap")
THICK = ("lspine-ap", "pelvis-ap", "abdomen-supine", "chest-pa")


LIMBS = ("knee-ap", "ankle-ap", "wrist-pa", "elbow-ap")
PLAIN: Mapping[Level, float] = {1: 1.5, 2: 1.0, 3: 0.6}
"""How plain a fault is, by how hard the task shall be: times the usual turn, shift, motion, and factor of the exposure."""


def somebody(chance: Chance, projections: Projections, *ids: str) -> Case:
    """A patient for one of some views."""
    view = projections[chance.of(*ids)]
    low, average, high = view.thickness_cm
    cm = round(2 * min(max(average + 0.4 * (high - low) * chance.uniform(-0.5, 0.5), low), high)) / 2
    sex = chance.of("male", "female")
    seed, left = int(chance.integers(1, 10_000)), chance.random() < 0.5
    return Case(view, cm, sex="male" if sex == "male" else "female", seed=seed, side="left" if left else "right")


def said(case: Case) -> str:
    """A case by its view, with the side where it is of one."""
    view = case.projection
    name = f"{view.exam} {view.name}"
    return f"{case.side.title()} {name[0].lower()}{name[1:]}" if one_sided(view.id) else name


def made_wrong(chance: Chance, case: Case, fault: str) -> tuple[Scene, Cause]:
    """An exposure of a case with one fault, or with none; plain or hardly to be seen by the level."""
    plain = PLAIN[chance.level]
    console, lie, mishap = usual_console(case), Lie(), Mishap(artefacts=(marker_of(case),))
    if fault == "noise":
        console = replace(console, mas=max(0.05, console.mas / (plain * chance.pick(6, 8, 10))))
        cause = Cause(
            fault, "more_mas", "A DI under −3 with grain everywhere: too few photons. The kVp was right, so more mAs."
        )
    elif fault == "over":
        console = replace(console, mas=console.mas * max(2.2, plain * chance.pick(3, 4, 5)))
        cause = Cause(
            fault,
            "less_mas",
            "A DI over +3 of an image that looks good: it is dose, not a repeat. Less mAs next time.",
        )
    elif fault == "not_penetrated":
        low = max(42.0, float(round(console.kvp * 0.66 ** (0.5 + 0.5 * plain))))
        # The mAs made up for some of it: an index of two under target, however low the kVp.
        lost = replace(console, kvp=low)
        console = replace(lost, mas=float(f"{mas_for_target(case, lost) * 10**-0.2:.2g}"))
        cause = Cause(
            fault, "more_kvp", "White where it is thick, noise there, contrast hard: the beam did not get through."
        )
    elif fault == "flat":
        console = replace(console, grid_ratio=0, mas=console.mas / 3.5)
        cause = Cause(fault, "grid", "Grey all over a thick part: more scatter than primary, because no grid was used.")
    elif fault == "motion":
        mishap = replace(mishap, moved_mm=plain * chance.pick(5, 6, 8))
        cause = Cause(fault, "shorter", "Edges are doubled or gone along one way, the noise is sharp: it moved.")
    elif fault == "cut_off":
        kind = chance.of("down", "focus", "tilt")
        grid = {
            "down": GridFault(upside_down=True),
            "focus": GridFault(focal_cm=60.0 if console.sid_cm > 90 else 180.0),
            "tilt": GridFault(tilt_deg=4.0 * plain),
        }[kind]
        mishap = replace(mishap, grid=grid)
        said = {
            "down": "Dark in the middle and light at both sides: upside down.",
            "focus": "Light at both edges: wrong distance.",
            "tilt": "Light all over: not level.",
        }
        cause = Cause(fault, "align", f"The strips took the primary. {said[kind]}")
    elif fault == "turned":
        lie = Lie(turned_deg=plain * chance.sign() * chance.pick(14, 18))
        cause = Cause(fault, "turn", "What should be alike on both sides is not: the part was turned.")
    elif fault == "centred":
        width, height = case.projection.field_cm
        share = min(1.2, 0.5 + 0.5 * plain)
        lie = Lie(off_cm=(share * chance.sign() * 0.30 * width, share * chance.sign() * 0.28 * height))
        cause = Cause(fault, "centre", "What was asked for lies at the edge or beyond it.")
    elif fault == "artefact":
        what = chance.of("necklace", "button", "shield")
        mishap = replace(mishap, artefacts=(marker_of(case), what))  # type: ignore[arg-type]
        cause = Cause(fault, "remove", f"A {what} was left in the field; it may also confuse the index.")
    elif fault == "marker":
        right = marker_of(case)
        mishap = replace(mishap, artefacts=("marker R" if right == "marker L" else "marker L",))
        cause = Cause(
            fault,
            "mark",
            f"It carries {mishap.artefacts[0][-1]} and is of the {case.side}. Who exposed it puts it right as the "
            "department says, with name and time; nobody is exposed again for a letter.",
        )
    else:
        cause = Cause("none", "none", "On target, sharp, square and complete.")
    scene = Scene(case, console, lie, mishap)
    return scene, replace(cause, repeat=as_judged(scene, fault))


SEEN: Mapping[str, frozenset[Finding]] = {
    "noise": frozenset({"noisy"}),
    "not_penetrated": frozenset({"not_penetrated"}),
    "flat": frozenset({"flat_contrast"}),
    "motion": frozenset({"motion"}),
    "cut_off": frozenset({"cut_off"}),
    "turned": frozenset({"malpositioned"}),
    "centred": frozenset({"off_centre", "anatomy_missing"}),
    "artefact": frozenset({"metal"}),
    "marker": frozenset({"wrong_label"}),
}
"""What the image critique at the Desk has for a fault."""
AS_ASKED: Mapping[Repeat, str] = {"no": "no", "only_if_clipped": "no", "ask_radiologist": "ask", "yes": "yes"}
"""What the Desk says of a repeat, as an answer here; nothing is burned out in these images."""


def as_judged(scene: Scene, fault: str) -> str:
    """Whether the Desk asks for a repeat of an exposure with a fault: one question has one answer."""
    di = 10 * math.log10(scene.console.mas / mas_for_target(scene.case, scene.console))
    return AS_ASKED[evaluate(di, SEEN.get(fault, frozenset())).repeat]


def critique(chance: Chance, projections: Projections, *faults: str) -> Question:
    """An image with one of some faults: name it, say whether it is repeated, say what is changed."""
    fault = chance.of(*faults)
    views = THICK if fault in ("flat", "not_penetrated", "cut_off") else LIMBS if fault == "marker" else VIEWS
    scene, cause = made_wrong(chance, somebody(chance, projections, *views), fault)
    return Question(
        f"{said(scene.case)}, {number(scene.case.thickness_cm)} cm: {number(scene.console.kvp)} kVp, "
        f"{number(scene.console.mas)} mAs, "
        f"{number(scene.console.sid_cm)} cm.",
        (
            Asked("fault", "What is wrong?", cause.fault, options=FAULTS),
            Asked("repeat", "Repeat?", cause.repeat, options=REPEAT),
            Asked("change", "What one thing is changed?", cause.change, options=CHANGES),
        ),
        cause.why,
        "Look at the index, then at noise, edges, both sides, and the ends.",
        before=scene,
    )


def exposure_faults(chance: Chance, projections: Projections) -> Question:
    return critique(chance, projections, "noise", "over", "none")


def penetration_faults(chance: Chance, projections: Projections) -> Question:
    return critique(chance, projections, "not_penetrated", "flat", "noise")


def sharpness_faults(chance: Chance, projections: Projections) -> Question:
    return critique(chance, projections, "motion", "none", "noise")


def grid_faults(chance: Chance, projections: Projections) -> Question:
    return critique(chance, projections, "cut_off", "flat", "none")


def position_faults(chance: Chance, projections: Projections) -> Question:
    return critique(chance, projections, "turned", "centred", "marker", "none")


def anything(chance: Chance, projections: Projections) -> Question:
    return critique(chance, projections, *FAULTS)


def one_change(chance: Chance, projections: Projections) -> Question:
    """An image with its index: set the mAs that mends it."""
    case = somebody(chance, projections, *VIEWS)
    console = usual_console(case)
    share = chance.pick(0.25, 0.4, 2.5, 4)
    off = replace(console, mas=float(f"{max(console.mas * share, 0.1):.2g}"))
    di = 10 * math.log10(off.mas / console.mas)
    right = corrected_mas(off.mas, di)

    def after(answer: Answer) -> Scene | None:
        mas = answer.get("mas")
        if not isinstance(mas, (int, float)) or not 0.05 <= mas <= 1000:
            return None
        return Scene(case, replace(console, mas=float(mas)))

    return Question(
        f"{said(case)}: {number(off.kvp)} kVp, {number(off.mas)} mAs gave a DI of {number(di)}. "
        "Penetration is good. Which mAs would "
        "have been on target?",
        (Asked("mas", "mAs", right, "mAs", 0.12),),
        f"{number(off.mas)} × 10^(−DI ÷ 10) = {number(right)} mAs.",
        "Three units of DI are a factor of two.",
        before=Scene(case, off),
        after=after,
    )


def which_chamber(chance: Chance, projections: Projections) -> Question:
    kind = chance.of("chest-pa", "lspine-ap", "pelvis-ap")
    view = projections[kind]
    options = {"L+R": "The two outer ones", "C": "The middle one", "none": "None: by hand"}
    right = "L+R" if kind in ("chest-pa", "pelvis-ap") else "C"
    case = somebody(chance, projections, kind)
    usual = usual_console(case)

    def after(answer: Answer) -> Scene | None:
        chosen = {"L+R": ("L", "R"), "C": ("C",)}.get(str(answer.get("chambers")))
        return Scene(case, replace(usual, mas=usual.mas * 6, chambers=chosen)) if chosen else None

    why = {
        "chest-pa": "behind the lungs, which are looked at; the middle one lies behind the spine and lets them burn out",
        "lspine-ap": "behind the spine; the outer ones lie beside it, behind less",
        "pelvis-ap": "behind the hip bones; the middle one lies behind the bladder and sacrum alone",
    }[kind]
    return Question(
        f"{view.exam} {view.name} with automatic exposure. Which chambers, as usual?",
        (Asked("chambers", "Chambers", right, options=options),),
        f"Those that lie {why}.",
        "What has to be shown right, and what lies over each chamber?",
        after=after,
    )


def beside_the_part(chance: Chance, projections: Projections) -> Question:
    case = somebody(chance, projections, "wrist-pa", "elbow-ap", "ankle-ap")
    usual = usual_console(case)
    scene = Scene(case, replace(usual, mas=usual.mas * 4, chambers=("L", "R")))
    options = {"under": "Too little: the beam beside the part ends it", "over": "Too much", "right": "As usual"}
    return Question(
        f"{said(case)} with the two outer chambers, which the part does not cover. What comes of it?",
        (
            Asked("what", "Exposure", "under", options=options),
            Asked("then", "What is better?", "hand", options={"hand": "By hand", "density": "More density"}),
        ),
        "The chambers see the open beam, have enough at once, and end the exposure: noise. A narrow part is "
        "exposed by hand.",
        "What do the chambers see?",
        before=scene,
    )


def reached_the_back_up(chance: Chance, projections: Projections) -> Question:
    case = somebody(chance, projections, "lspine-ap", "abdomen-supine")
    usual = usual_console(case)
    scene = Scene(case, replace(usual, mas=float(f"{usual.mas / 2.5:.2g}"), chambers=("C",)))
    options = {"back_up": "The back-up mAs was too low", "chamber": "The wrong chamber", "kvp": "The kVp was too high"}
    return Question(
        f"{said(case)} with the middle chamber. The console says that the "
        "exposure ended at "
        f"{number(scene.console.mas)} mAs, the back-up. The image is noisy. Why?",
        (Asked("why", "Why", "back_up", options=options),),
        "The chamber had not had enough when the back-up ended it. It wants 1.5 to 2 times what is expected: "
        f"about {number(1.75 * usual.mas)} mAs.",
        "What ended the exposure?",
        before=scene,
    )


def density_step(chance: Chance, projections: Projections) -> Question:
    di, step = chance.pick(-1.0, -2.0, 1.0, 2.0), 1.25
    right = -round(di / (10 * math.log10(step)))
    sign = number(di) if di < 0 else f"+{number(di)}"
    return Question(
        f"Every image of a chamber lies at DI {sign}. A density step is a factor of 1.25. How many steps put it right?",
        (Asked("steps", "Steps", right, "", 0.5, True),),
        f"A step is {number(10 * math.log10(step))} DI: {number(right)} steps. Then tell the physicist: a "
        "trim is no calibration.",
        "How many DI is a factor of 1.25?",
    )


def least_dose(chance: Chance, projections: Projections) -> Question:
    """The lowest of some mAs whose index is still accepted."""
    case = somebody(chance, projections, *VIEWS)
    console = usual_console(case)
    shares = (0.3, 0.5, 0.8, 1.25, 2.0)
    named = {f"{share}": f"{number(console.mas * share)} mAs" for share in shares}

    def after(answer: Answer) -> Scene | None:
        chosen = str(answer.get("mas"))
        return Scene(case, replace(console, mas=max(0.05, console.mas * float(chosen)))) if chosen in named else None

    return Question(
        f"{said(case)}: {number(console.mas)} mAs is on target at "
        f"{number(console.kvp)} kVp. Which is the lowest of these whose "
        "DI stays within ±1?",
        (Asked("mas", "mAs", "0.8", options=named),),
        "DI −1 is a factor of 0.79: 0.8 times the mAs is just within it. Less dose than that is paid with noise.",
        "Which factor is one DI?",
        after=after,
    )


ROSE = 5.0
"""How many times over the noise a detail has to stand out to be seen surely (after Rose, from memory)."""


def shows_the_detail(chance: Chance, projections: Projections) -> Question:
    """The lowest of some mAs at which a chip of bone still stands out of the noise."""
    case = somebody(chance, projections, "lspine-ap", "pelvis-ap", "abdomen-supine", "knee-ap")
    console, width = usual_console(case), chance.pick(2, 3)
    share = chance.pick(0.3, 0.5, 0.8)
    # As thick as makes it just seen at so much of the usual mAs; thin as it is, contrast goes with its thickness.
    wanted = replace(console, mas=console.mas * share)
    depth = 0.1 * ROSE / chip_cnr(case, wanted, Chip(width, 0.1))
    chip = Chip(width, float(f"{depth:.2g}"))
    enough = wanted.mas * (ROSE / chip_cnr(case, wanted, chip)) ** 2
    shares = (0.15, 0.4, 1.2, 2.8, 6.0)
    named = {f"{one}": f"{number(enough * one)} mAs" for one in shares}

    def after(answer: Answer) -> Scene | None:
        chosen = str(answer.get("mas"))
        if chosen not in named:
            return None
        mas = min(max(enough * float(chosen), 0.05), 1000.0)
        return Scene(case, replace(console, mas=mas), mishap=Mishap(chip=chip))

    at_usual = chip_cnr(case, console, chip)
    return Question(
        f"{said(case)}, {number(console.kvp)} kVp: a chip of bone {number(width)} mm wide "
        f"and {number(chip.depth_mm)} mm thick stands {number(at_usual)} times out of the noise at {number(console.mas)} "
        "mAs. Five times are enough to see it. Which is the lowest of these mAs that shows it?",
        (Asked("mas", "mAs", "1.2", options=named),),
        f"It grows with the root of the mAs: {number(console.mas)} × (5 ÷ {number(at_usual)})² = {number(enough)} mAs. "
        "Less hides it, more is dose for nothing that was asked.",
        "Four times the mAs is twice as far out of the noise.",
        after=after,
    )


def kvp_for_dose(chance: Chance, projections: Projections) -> Question:
    view = projections[chance.of("lspine-ap", "abdomen-supine", "pelvis-ap")]
    options = {
        "up": "15 % more kVp, half the mAs",
        "down": "15 % less kVp, twice the mAs",
        "same": "Neither: the index is the same",
    }
    return Question(
        f"{view.exam} {view.name}: two techniques give the same index. Which gives the patient less skin kerma?",
        (Asked("which", "Less skin kerma", "up", options=options),),
        "Harder photons get through: for the same index less has to go in. It is paid with contrast, so "
        "within the usual kVp.",
        "Of which photons do more get through?",
    )


def collimated(chance: Chance, projections: Projections) -> Question:
    a, b = chance.pick(35, 30), chance.pick(24, 20)
    height, other = 43.0, 30.0
    right = 100 * (1 - b * other / (a * height))
    return Question(
        f"A field of {number(a)} × {number(height)} cm is closed to {number(b)} × {number(other)} cm at the "
        "same technique. By how many per cent does the "
        "kerma-area product fall?",
        (Asked("percent", "Less", right, "%", 2.0, True),),
        f"{number(b)} × {number(other)} ÷ ({number(a)} × {number(height)}) = {number(1 - right / 100)}: "
        f"{number(right)} % less.",
        "Kerma times area.",
    )


DRILLS = (
    Drill("judge-exposure", "expose and judge", "Grain and dose", "Too little, too much, or right.", exposure_faults),
    Drill("judge-penetration", "expose and judge", "Through or not", "Penetration, scatter, noise.", penetration_faults),
    Drill("judge-sharpness", "expose and judge", "Sharp or not", "Motion and what looks like it.", sharpness_faults),
    Drill("judge-grid", "expose and judge", "The grid's own", "Cut-off, and a grid that is missing.", grid_faults),
    Drill("judge-position", "expose and judge", "Square and complete", "Rotation, centring, marker.", position_faults),
    Drill("judge-any", "expose and judge", "Anything", "One fault or none, any kind.", anything),
    Drill("one-change", "expose and judge", "What mends it", "Set the mAs from the index.", one_change),
    Drill("chamber", "AEC", "Which chamber", "What lies over it ends the exposure.", which_chamber),
    Drill("uncovered", "AEC", "Beside the part", "A chamber that nothing covers.", beside_the_part),
    Drill("ended", "AEC", "What ended it", "The back-up or the chamber.", reached_the_back_up),
    Drill("density", "AEC", "Density steps", "From the index to the trim.", density_step),
    Drill("least-dose", "dose", "As little as will do", "The lowest mAs within ±1.", least_dose),
    Drill("detail-dose", "dose", "Does it still show", "The lowest mAs that shows a detail.", shows_the_detail),
    Drill("kvp-dose", "dose", "kVp and skin kerma", "Same index, less dose.", kvp_for_dose),
    Drill("collimation", "dose", "Close the field", "What collimation saves.", collimated),
)
