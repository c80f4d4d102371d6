"""Angles that depend on the person: which tube angle or turn a projection's school asks for, from what was measured.

Each rule is a default that says that it fired and why; where what it needs was not measured it falls back, says so, and
gives both outcomes where they differ. Degrees: cephalad (toward the trunk on a limb) is positive. Lengths cm.
Source of the numbers: positioning texts, as gathered in the catalogue; departments differ: every one is a school's choice.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Literal

from oakbeam.core.anatomy.body import Habitus, Sex
from oakbeam.core.errors import Refusal, within
from oakbeam.core.projection import AngleRule, Angulation, Posture, Projection

Arch = Literal["high", "average", "low"]
PELVIS_RANGE_CM = (8.0, 45.0)
PAD_RANGE_CM = (0.0, 10.0)
USUAL_PAD_CM = 2.5
"""A table pad, where nobody said how thick it is."""
KNEE_STRAIGHT_CM = (19.0, 24.0)
"""ASIS to tabletop between which the knee needs no angle."""
CALCANEUS_MOST_DEG = 50.0
FOOT_SHORT_RANGE_DEG = (0.0, 45.0)
CHEST_DEPTH_RANGE_CM = (4.0, 45.0)
STERNUM_RANGE_DEG = (12.0, 22.0)
CERVICAL_UPRIGHT_DEG = 5.0
UPRIGHT: tuple[Posture, ...] = ("standing", "sitting", "seated")
SI_DEG: Mapping[Sex, float] = {"male": 30.0, "female": 35.0}
THORACIC_WAIST_DEG: Mapping[Sex, float] = {"female": 10.0, "male": 15.0}
LUMBAR_WAIST_DEG: Mapping[Sex, float] = {"female": -8.0, "male": -5.0}
ARCH_DEG: Mapping[Arch, float] = {"high": 15.0, "average": 10.0, "low": 5.0}
CLAVICLE_DEG: Mapping[Habitus, float] = {"asthenic": 30.0, "hyposthenic": 25.0, "sthenic": 20.0, "hypersthenic": 15.0}


@dataclass(frozen=True, slots=True)
class Facts:
    """What is known of the patient's shape and position; None: not said. pelvis_cm: ASIS to tabletop as read, pad and all.
    foot_short_deg: by how much the foot stays short of 90°. waist_supported: lying on the side. shoulder_drops: the far
    shoulder comes down for a swimmer's lateral. posture: how the patient is for the view."""

    sex: Sex | None = None
    habitus: Habitus | None = None
    pelvis_cm: float | None = None
    pelvis_pad_cm: float | None = None
    foot_short_deg: float | None = None
    waist_supported: bool | None = None
    shoulder_drops: bool | None = None
    arch: Arch | None = None
    chest_depth_cm: float | None = None
    posture: Posture | None = None


@dataclass(frozen=True, slots=True)
class Advice:
    """What a rule says. deg: the angle; said: which rule fired and from what. either: the two outcomes where what is known
    does not settle it. asks: the fact that would settle or refine it."""

    deg: float
    said: str
    either: tuple[float, float] | None = None
    asks: str | None = None


def school_of(ways: tuple[Angulation, ...], school: str | None) -> Angulation | None:
    """The way a school goes; the first of the list for None; None where the projection has no angle at all."""
    if not ways:
        return None
    if school is None:
        return ways[0]
    for way in ways:
        if way.school == school:
            return way
    raise Refusal("Unknown method", f"There is no method '{school[:60]}' here.", [way.school for way in ways], "school")


def advise(way: Angulation, facts: Facts) -> Advice:
    """The angle that a school asks for with what is known. Raises OutOfRange for a measurement that cannot be."""
    return RULES[way.rule](way, facts)


def tube_angle(projection: Projection, facts: Facts, school: str | None = None) -> Advice:
    """The tube angle of a projection by a school (None: the usual one); 0 where there is none."""
    way = school_of(projection.angles, school)
    return advise(way, facts) if way else Advice(0.0, "Perpendicular.")


def turn(projection: Projection, facts: Facts, school: str | None = None) -> Advice | None:
    """The turn of the part by a school (None: the usual one); None where the part is not turned."""
    way = school_of(projection.turns, school)
    return advise(way, facts) if way else None


def _fixed(way: Angulation, facts: Facts) -> Advice:
    del facts
    return Advice(way.deg, f"{way.name}. {way.why}")


def _knee(way: Angulation, facts: Facts) -> Advice:
    """Below 19 cm net caudal, 19 to 24 cm none, above 24 cm cephalad; the pad under the pelvis comes off the reading."""
    by_build = _knee_by_build(way, facts.habitus)
    if facts.pelvis_cm is None:
        said = "ASIS to tabletop was not measured: by build alone."
        return Advice(by_build or 0.0, said, None if facts.habitus else (-way.deg, way.deg), "pelvis_cm")
    read = within("pelvis_cm", facts.pelvis_cm, *PELVIS_RANGE_CM, "cm")
    pad = 0.0 if facts.pelvis_pad_cm is None else within("pelvis_pad_cm", facts.pelvis_pad_cm, *PAD_RANGE_CM, "cm")
    deg = _knee_by_net(way, read - pad)
    low, high = KNEE_STRAIGHT_CM
    said = f"ASIS to tabletop {read - pad:g} cm net: below {low:g} caudal, above {high:g} cephalad."
    if by_build is not None and by_build != deg:
        said += " Build alone would have said otherwise; the measurement wins."
    if facts.pelvis_pad_cm is None and (with_pad := _knee_by_net(way, read - USUAL_PAD_CM)) != deg:
        return Advice(
            deg, f"{said} If a pad is counted in, {USUAL_PAD_CM:g} cm less changes it.", (deg, with_pad), "pelvis_pad_cm"
        )
    return Advice(deg, said)


def _knee_by_net(way: Angulation, net_cm: float) -> float:
    low, high = KNEE_STRAIGHT_CM
    return -way.deg if net_cm < low else way.deg if net_cm > high else 0.0


def _knee_by_build(way: Angulation, habitus: Habitus | None) -> float | None:
    if habitus is None:
        return None
    return {"asthenic": -way.deg, "hyposthenic": -way.deg, "sthenic": 0.0, "hypersthenic": way.deg}[habitus]


def _si(way: Angulation, facts: Facts) -> Advice:
    del way
    if facts.sex is None:
        return Advice(32.5, "30° male, 35° female; 30 to 35° is accepted.", (SI_DEG["male"], SI_DEG["female"]), "sex")
    return Advice(SI_DEG[facts.sex], f"{facts.sex.capitalize()}: {SI_DEG[facts.sex]:g}° cephalad.")


def _calcaneus(way: Angulation, facts: Facts) -> Advice:
    """40° plus what the foot is short of 90°, up to 50°; beyond it the leg is raised instead."""
    if facts.foot_short_deg is None:
        return Advice(way.deg, f"{way.deg:g}° with the foot at 90°.", None, "foot_short_deg")
    short = within("foot_short_deg", facts.foot_short_deg, *FOOT_SHORT_RANGE_DEG, "deg")
    if way.deg + short <= CALCANEUS_MOST_DEG:
        return Advice(way.deg + short, f"{way.deg:g}° and the {short:g}° that the foot is short of 90°.")
    most = f"the tube would need {way.deg + short:g}°, more than {CALCANEUS_MOST_DEG:g}°"
    return Advice(way.deg, f"Raise the leg by {short:g}° and keep {way.deg:g}°: {most}.")


def _by_waist(degrees: Mapping[Sex, float]) -> Callable[[Angulation, Facts], Advice]:
    def rule(way: Angulation, facts: Facts) -> Advice:
        del way
        if facts.waist_supported is not False:
            asks = "waist_supported" if facts.waist_supported is None else None
            return Advice(0.0, "0° with the waist supported, the spine parallel to the table.", None, asks)
        if facts.sex is None:
            either = (degrees["female"], degrees["male"])
            return Advice(sum(either) / 2, "Waist unsupported: by sex.", either, "sex")
        way_words = "cephalad" if degrees[facts.sex] > 0 else "caudal"
        return Advice(degrees[facts.sex], f"Waist unsupported, {facts.sex}: {abs(degrees[facts.sex]):g}° {way_words}.")

    return rule


def _swimmers(way: Angulation, facts: Facts) -> Advice:
    if facts.shoulder_drops is None:
        return Advice(0.0, "0° if the far shoulder drops, 3 to 5° caudal if not.", (0.0, -way.deg), "shoulder_drops")
    if facts.shoulder_drops:
        return Advice(0.0, "The far shoulder drops: 0°.")
    return Advice(-way.deg, f"The far shoulder does not drop: {way.deg:g}° caudal.")


def _clavicle(way: Angulation, facts: Facts) -> Advice:
    if facts.habitus is None:
        return Advice(way.deg, "15 to 30°, steeper for a thin chest.", (15.0, 30.0), "habitus")
    return Advice(CLAVICLE_DEG[facts.habitus], f"By build, {facts.habitus}: {CLAVICLE_DEG[facts.habitus]:g}° cephalad.")


def _foot(way: Angulation, facts: Facts) -> Advice:
    if facts.arch is None:
        return Advice(way.deg, f"{way.deg:g}° for an average arch; 15° for a high, 5° for a low one.", None, "arch")
    return Advice(ARCH_DEG[facts.arch], f"{facts.arch.capitalize()} arch: {ARCH_DEG[facts.arch]:g}°.")


def _sternum(way: Angulation, facts: Facts) -> Advice:
    """32 - 2/3 of the chest's depth, within 12 to 22°: a deep chest needs less turn. Not measured: by build."""
    low, high = STERNUM_RANGE_DEG
    if facts.chest_depth_cm is None:
        by_build = {"asthenic": 20.0, "hyposthenic": 20.0, "hypersthenic": 15.0}
        deg = by_build.get(facts.habitus or "", way.deg)
        return Advice(
            deg, "Chest depth was not measured: 15° for a large chest, 20° for a thin one.", None, "chest_depth_cm"
        )
    depth = within("chest_depth_cm", facts.chest_depth_cm, *CHEST_DEPTH_RANGE_CM, "cm")
    return Advice(
        min(max(32 - 2 / 3 * depth, low), high), f"Chest {depth:g} cm deep: 32° less two thirds of it, {low:g} to {high:g}°."
    )


def _cervical(way: Angulation, facts: Facts) -> Advice:
    """Lying as the school says; upright the neck slopes more: 5° more the same way."""
    upright = way.deg + math.copysign(CERVICAL_UPRIGHT_DEG, way.deg)
    if facts.posture is None:
        return Advice(way.deg, f"{abs(way.deg):g}° lying, {abs(upright):g}° upright.", (way.deg, upright))
    if facts.posture in UPRIGHT:
        return Advice(upright, f"Upright: {abs(upright):g}°; lying it is {abs(way.deg):g}°.")
    return Advice(way.deg, f"Lying: {abs(way.deg):g}°; upright it is {abs(upright):g}°.")


RULES: Mapping[AngleRule, Callable[[Angulation, Facts], Advice]] = {
    "fixed": _fixed,
    "knee_by_pelvis": _knee,
    "si_by_sex": _si,
    "calcaneus_by_foot": _calcaneus,
    "thoracic_by_waist": _by_waist(THORACIC_WAIST_DEG),
    "lumbar_by_waist": _by_waist(LUMBAR_WAIST_DEG),
    "swimmers_by_shoulder": _swimmers,
    "clavicle_by_build": _clavicle,
    "foot_by_arch": _foot,
    "sternum_by_depth": _sternum,
    "cervical_by_posture": _cervical,
}
"""One function for each rule; the school's deg is the rule's own number."""
