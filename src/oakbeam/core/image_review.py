"""After the exposure: deviation index, action level, what to change and what to look at first.

Sources: IEC 62494-1 for EI and DI; action levels after AAPM TG-116; film: a straight-line characteristic curve about net
density 1.0 (ISO 9236-1 defines speed there). Levels are defaults to be replaced by the department's own.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Literal

from oakbeam.core.errors import positive, within

Level = Literal["on_target", "acceptable", "over", "excessive", "under", "far_under"]
Change = Literal["none", "mas", "kvp", "aec", "technique_not_at_fault"]
Repeat = Literal["no", "only_if_clipped", "ask_radiologist", "yes"]
Finding = Literal[
    "wrong_label",
    "anatomy_missing",
    "malpositioned",
    "off_centre",
    "field_not_found",
    "metal",
    "not_penetrated",
    "flat_contrast",
    "noisy",
    "motion",
    "cut_off",
    "clipped",
]
FINDINGS: dict[Finding, str] = {
    "wrong_label": "Wrong patient, side, marker",
    "anatomy_missing": "Anatomy missing",
    "malpositioned": "Rotated",
    "off_centre": "Off centre",
    "field_not_found": "Field not found",
    "metal": "Metal or shield",
    "not_penetrated": "Not penetrated",
    "flat_contrast": "Flat contrast",
    "noisy": "Noise",
    "motion": "Motion",
    "cut_off": "Grid cut-off",
    "clipped": "Burned out",
}
QUESTIONS: tuple[tuple[str, tuple[Finding, ...]], ...] = (
    ("Patient, side, marker", ("wrong_label",)),
    ("Anatomy", ("anatomy_missing", "malpositioned", "off_centre")),
    ("Index", ("field_not_found", "metal")),
    ("Image", ("not_penetrated", "flat_contrast", "noisy", "motion", "cut_off", "clipped")),
)
"""What is asked of an image, in the field's order; brightness is no evidence on a digital image and is not asked."""
NOT_TECHNIQUE: frozenset[Finding] = frozenset({"wrong_label", "anatomy_missing", "malpositioned"})
"""Faults that no technique made and none cures."""
UNRELIABLE: frozenset[Finding] = frozenset({"off_centre", "field_not_found", "metal"})
"""With these the index does not speak for the part; nothing is learned from it."""
NOT_CURED_BY_MAS: frozenset[Finding] = NOT_TECHNIQUE.union(("motion", "off_centre", "cut_off", "field_not_found"))

BASE_AND_FOG = 0.20
FILM_GRADIENT = 2.6
"""Average gradient of a medium-contrast film between net densities 0.25 and 2.0."""
FILM_NET_DENSITY_RANGE = (0.25, 2.0)
NET_DENSITY_AT_SPEED = 1.0
EI_RANGE = (1.0, 50_000.0)


@dataclass(frozen=True, slots=True)
class Evaluation:
    """The judgement of one image. factor: mAs x factor would have been on target; None where the index is unreliable."""

    di: float
    level: Level
    verdict: str
    repeat: Repeat
    repeat_why: str
    reliable: bool
    factor: float | None
    change: Change
    change_why: str
    check_first: tuple[str, ...]


def deviation_index(ei: float, target_ei: float) -> float:
    """DI = 10 * log10(EI / EI_T) (IEC 62494-1). EI from 1 to 50 000, EI_T > 0."""
    return 10 * math.log10(within("ei", ei, *EI_RANGE, "") / positive("target_ei", target_ei))


def deviation_from_density(optical_density: float) -> float:
    """The deviation of a film in DI units from its optical density, by the straight line of its characteristic curve.

    log10(exposure / wanted) = (net density - 1.0) / gradient, net = OD - base and fog (0.20). OD from 0.45 to 2.20: outside
    the straight line the density no longer tells the exposure.
    """
    low, high = (net + BASE_AND_FOG for net in FILM_NET_DENSITY_RANGE)
    within("optical_density", optical_density, low, high, "OD")
    return 10 * (optical_density - BASE_AND_FOG - NET_DENSITY_AT_SPEED) / FILM_GRADIENT


def density_from_deviation(di: float) -> float | None:
    """Optical density a film would show at a deviation in DI units; None beyond the straight line of the curve."""
    net = NET_DENSITY_AT_SPEED + FILM_GRADIENT * di / 10
    low, high = FILM_NET_DENSITY_RANGE
    return net + BASE_AND_FOG if low <= net <= high else None


def corrected_mas(mas: float, di: float) -> float:
    """mAs that would have been on target: mAs * 10^(-DI/10)."""
    return positive("mas", mas) * 10 ** (-di / 10)


LEAST_INDEX, MOST_INDEX_OF_TARGET = 30.0, 6.0
"""An index under the one, or over so many times its target, is more often misread than true."""
MOST_MAS_APART = 4.0
"""mAs set over mAs suggested, or the other way, from which it is asked back."""


def unlikely(
    ei: float | None,
    target_ei: float | None,
    mas: float,
    suggested_mas: float | None,
    shown: Callable[[float], float] = float,
) -> tuple[str, ...]:
    """What to read once more before an exposure is recorded: an index or mAs that can hardly be. shown: what the console
    shows for an exposure index."""
    found = []
    if ei is not None and target_ei is not None and not LEAST_INDEX <= ei <= MOST_INDEX_OF_TARGET * target_ei:
        found.append(f"Index {shown(ei):.5g}? The target is {shown(target_ei):.5g}: read it once more.")
    if suggested_mas and not 1 / MOST_MAS_APART <= mas / suggested_mas <= MOST_MAS_APART:
        found.append(f"{mas:g} mAs? {suggested_mas:g} was suggested: read what was really set.")
    return tuple(found)


def action_level(di: float) -> Level:
    """The action level of a DI (AAPM TG-116 limits 0.5, 1 and 3; the limit itself belongs to the milder level)."""
    size = abs(di) - 1e-9
    if size <= 0.5:
        return "on_target"
    if size <= 1:
        return "acceptable"
    if di > 0:
        return "over" if size <= 3 else "excessive"
    return "under" if size <= 3 else "far_under"


_VERDICTS: dict[Level, str] = {
    "on_target": "On target",
    "acceptable": "Acceptable, near the target",
    "over": "Over-exposed",
    "excessive": "Far over-exposed: report it",
    "under": "Under-exposed",
    "far_under": "Far under-exposed",
}


def evaluate(
    di: float, findings: frozenset[Finding] = frozenset(), film: bool = False, density_step: float | None = None
) -> Evaluation:
    """Judge an image from its deviation index and what was seen in it.

    A high DI never asks for a repeat by itself: only relevant anatomy that is burned out can. A low DI between -1 and -3
    goes to the radiologist first. density_step: the factor of one AEC density step where the AEC ended the exposure, None
    where nobody but the technologist did. Where the index is unreliable neither a correction nor a repeat is drawn from it.
    """
    reliable = not findings & UNRELIABLE
    level = action_level(di)
    repeat, repeat_why = _repeat(level, findings, reliable)
    change, change_why = _change(level, findings, reliable, film)
    if change == "mas" and density_step is not None:
        change, change_why = "aec", _aec_advice(di, density_step)
    verdict = _VERDICTS[level]
    if film:
        verdict = verdict.replace("exposed", "exposed film")
    return Evaluation(
        di=di,
        level=level,
        verdict=verdict if reliable else f"Index not reliable ({verdict.lower()} if it were)",
        repeat=repeat,
        repeat_why=repeat_why,
        reliable=reliable,
        factor=10 ** (-di / 10) if reliable else None,
        change=change,
        change_why=change_why,
        check_first=_check_first(level, findings),
    )


def _repeat(level: Level, findings: frozenset[Finding], reliable: bool) -> tuple[Repeat, str]:
    if "wrong_label" in findings:
        return (
            "no",
            "Put the label right on record and report it; the image itself may be good. Wrong patient or side: report.",
        )
    if "anatomy_missing" in findings:
        return "ask_radiologist", "Repeat only if what is missing is needed: often one more view of that part is enough."
    if "malpositioned" in findings:
        return "ask_radiologist", "Repeat only if the question cannot be answered from it."
    if "clipped" in findings:
        return "only_if_clipped", "Repeat only if the burned-out part is needed for the question."
    if "motion" in findings or "cut_off" in findings:
        return "ask_radiologist", "Show it first: repeat only if the question cannot be answered."
    if not reliable:
        return "ask_radiologist", "The index does not speak for the part; judge the image itself."
    if level in ("over", "excessive"):
        return "only_if_clipped", "A high index alone is no reason to repeat. Repeat only if needed anatomy is burned out."
    if level == "under":
        return "ask_radiologist", "Ask the radiologist before repeating: noise may still be acceptable."
    if level == "far_under":
        return "yes", "A repeat is usually needed, unless the question can be answered as it is."
    return "no", "No repeat for exposure."


def _change(level: Level, findings: frozenset[Finding], reliable: bool, film: bool) -> tuple[Change, str]:
    if not reliable:
        return "technique_not_at_fault", "Put the cause of the unreliable index right; leave the technique."
    if findings & NOT_CURED_BY_MAS:
        return "technique_not_at_fault", "Put this right first: a new mAs does not cure it."
    if "not_penetrated" in findings:
        return (
            "kvp",
            "Detail inside the part is missing: raise kVp by 15 % for one step and halve the mAs if the index is on target.",
        )
    if "flat_contrast" in findings:
        return "kvp", "Contrast is flat: check grid and collimation, then lower kVp and raise mAs."
    if level in ("on_target", "acceptable"):
        smallest = "about 30 % is the least change seen on film" if film else "the deviation is within its usual spread"
        return "none", f"Leave the technique: {smallest}."
    return "mas", "Penetration is right, the amount is not: change mAs."


MOST_DENSITY_STEPS = 4
"""As many as a density switch usually has."""


def _aec_advice(di: float, density_step: float) -> str:
    """What to do where a chamber ended the exposure: a new mAs changes nothing. A density is a trim: where it would take
    more than MOST_DENSITY_STEPS something else is wrong, and none is said."""
    steps = round(-di / 10 / math.log10(density_step))
    trim = f" If all of that is right: density {steps:+d}." if 0 < abs(steps) <= MOST_DENSITY_STEPS else ""
    return (
        "The AEC ended it; a new mAs changes nothing. The right chamber, wholly under the part? Centred? Metal or a cast "
        f"over it? Back-up reached?{trim}"
    ).replace("density -", "density −")


CHECK_FIRST: dict[Finding, str] = {
    "wrong_label": "Identity: two identifiers, side and view name against the request.",
    "anatomy_missing": "Centring and field: landmark, receptor size and orientation; was the receptor moved with the angle?",
    "malpositioned": "Position: rotation by the paired structures, tube angle and turn as the Guide says.",
    "motion": "Motion: shorter time (higher mA), better support, rehearse the breath hold.",
    "off_centre": "Centring: was the part over the receptor centre, and over the chamber that was on?",
    "cut_off": "Grid: square to the beam, centred, at a distance in its range, right side up?",
    "field_not_found": "Collimation: borders visible on the image? Re-process with the right field.",
    "metal": "Metal or shield: exclude it from the region read, or disregard the index.",
}
"""What to look at first for a finding, in the order to look."""


def _check_first(level: Level, findings: frozenset[Finding]) -> tuple[str, ...]:
    found = [what for finding, what in CHECK_FIRST.items() if finding in findings]
    if level in ("under", "far_under"):
        found += [
            "Distance: tape the SID along the central ray; is it longer than the chart's?",
            "Grid: in when the chart says out, or cut off by tilt, centring or distance?",
            "Chamber: beside the part, in raw beam, or ended early?",
            "Thickness: measured in the exposure position, along the central ray?",
        ]
    elif level in ("over", "excessive"):
        found += [
            "Grid: out when the chart says in?",
            "Distance: tape the SID along the central ray; is it shorter than the chart's?",
            "Thickness: outer caliper edge or mat counted in?",
            "Chamber: under bone, metal or a shield?",
            "Collimation: open field or part off centre can raise the index by itself.",
        ]
    return tuple(found)
