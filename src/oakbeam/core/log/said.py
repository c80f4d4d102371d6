"""What the evidence says, in words."""

from __future__ import annotations

from dataclasses import asdict

from oakbeam.core.charts.line import ChartLine
from oakbeam.core.dates import day_of
from oakbeam.core.equipment.room import Room
from oakbeam.core.log.repeats import Repeats
from oakbeam.core.log.tuning import Cause, Tuning
from oakbeam.core.log.why_off import Explained


def as_evidence(one: Tuning, said: str) -> dict[str, object]:
    """A tuning as it is kept with the change it led to: everything but the line."""
    kept = asdict(one)
    del kept["line"]
    return {**kept, "projection": one.line.projection, "said": said}


def tuning_said(one: Tuning, to: ChartLine | None) -> str:
    """A tuning in words, with what the evidence is."""
    parts = []
    if one.level_sure:
        at = f"{_di(one.level_di)} DI ({_di(one.level_low)} to {_di(one.level_high)}) at {one.at_cm:.1f} cm"
        parts.append(f"{'over' if one.level_di > 0 else 'under'} target by {at}")
    if one.slope_sure:
        reach = f"{_di(one.slope_di_per_cm, 2)} DI per cm ({_di(one.slope_low, 2)} to {_di(one.slope_high, 2)})"
        parts.append(f"{'too much' if one.slope_di_per_cm > 0 else 'too little'} for thick patients: {reach}")
    if not parts:
        return f"{one.images} images: {_di(one.level_di)} DI ({_di(one.level_low)} to {_di(one.level_high)}); leave it."
    text = f"{one.images} images: {'; '.join(parts)}."
    if to is not None:
        cm = min(max(one.at_cm, to.range_cm[0]), to.range_cm[1])
        text += f" At {cm:.1f} cm mAs ×{to.law.at(cm)[1] / one.line.law.at(cm)[1]:.2f}."
    return text


def cause_said(one: Cause, room: Room) -> str:
    """A cause of the room in words, with what to do."""
    where = "the whole room" if one.kind == "room" else room.receptor(one.of).name
    places = 2 if one.slow else 1
    size = (
        f"{_di(one.size_di, places)} DI{' a month' if one.slow else ''} ({_di(one.low, places)} to {_di(one.high, places)})"
    )
    if one.slow:
        seen = f"{one.lines} series of {where} move together by {size} since {day_of(one.since)}, {one.images} images"
    elif one.since:
        seen = f"{one.lines} series of {where} moved together by {size} about {day_of(one.since)}, {one.images} images since"
    else:
        seen = (
            f"{one.lines} lines of {where} are {'over' if one.size_di > 0 else 'under'} alike: {size}, {one.images} images"
        )
    return f"{seen}. That is a cause of the room: measure its output and index, and calibrate it; no line is changed for it."


def _di(value: float, places: int = 1) -> str:
    return f"{value:+.{places}f}".replace("-", "−")


def verdict_said(verdict: str, before: float | None, images_before: int, after: float | None, images_after: int) -> str:
    """Whether a tuned line worked, in words."""
    if verdict == "too_early" or before is None or after is None:
        return f"{images_after} images since: too early to say."
    moved = f"mean {_di(before)} before ({images_before} images), {_di(after)} since ({images_after})"
    words = {"worked": "It worked", "no_better": "No better so far", "worse": "Worse than before"}
    return f"{words[verdict]}: {moved}."


def repeats_said(cost: Repeats, kap_share: float | None) -> list[str]:
    """What rejected images cost and what Judge's advice would have spared, in words; kap_share: of all KAP, None: not
    known."""
    if not cost.rejected:
        return []
    said = []
    if cost.kap_known:
        of = "" if cost.kap_known == cost.rejected else f" (known of {cost.kap_known} of the {cost.rejected})"
        share = "" if kap_share is None else f", {100 * kap_share:.1f} % of all KAP"
        said.append(f"{_kap(cost.kap_mgycm2)} went into rejected images{of}{share}.")
    if cost.repeated < cost.rejected:
        said.append(f"Of {cost.rejected} rejected images {cost.repeated} are tied to the try that repeats them.")
    if cost.for_exposure:
        spared = f": {_kap(cost.spared_mgycm2)} in their repeats" if cost.spared_mgycm2 else ""
        advice = (
            f"Judge asks no repeat of {cost.not_needed} of them, as nothing was marked as burned out{spared}."
            if cost.not_needed
            else "Judge, too, asks for a repeat of each, or for the radiologist's word."
        )
        said.append(f"{cost.for_exposure} rejected for exposure. {advice}")
    if cost.off_again:
        said.append(
            f"Repeats set by hand and out of ±1 again: {cost.off_again}. The mAs Judge advises would have put {cost.mended}"
            " of them within."
        )
    return said


def _kap(mgycm2: float) -> str:
    return f"{mgycm2:.0f} mGy·cm²" if mgycm2 >= 100 else f"{mgycm2:.3g} mGy·cm²"


_NAMED = {
    "set": "What was set in place of what the chart suggests",
    "thickness": "Thickness",
    "time": "Time",
    "build": "The build of patients",
    "person": "Who made them",
    "shift": "The shift",
    "receptor": "The receptor",
    "grid and place": "Grid and place",
    "thickness known by": "How the thickness was known",
    "SID": "The SID",
}


def why_said(found: Explained, set_over_di: float) -> list[str]:
    """Why a projection is off, in plain words, the largest part first. set_over_di: what was added by hand on average."""
    level = f"{_di(found.level_di)} DI ({_di(found.level_low)} to {_di(found.level_high)})"
    sure = found.level_low > 0 or found.level_high < 0
    said = [f"On the whole {level} over {found.n} images: {'the level is off' if sure else 'the level is right'}."]
    for part in found.parts:
        if part.share < 0.02 or not (part.sure or part.name == "set"):
            continue
        share_said = f"{_NAMED[part.name]} goes with {100 * part.share:.0f} % of the spread"
        effect = f"{_di(part.effect, 2)} DI ({_di(part.low, 2)} to {_di(part.high, 2)})"
        if part.name == "thickness":
            why = "mAs rise too fast" if part.effect > 0 else "mAs rise too little"
            said.append(f"{share_said}: {effect} per cm, so {why} with thickness: the line's slope.")
        elif part.name == "time":
            said.append(f"{share_said}: {effect} a month: it drifts.")
        elif part.name == "set":
            said.append(f"{share_said}: on average {_di(set_over_di, 2)} DI were added by hand.")
        elif part.name == "build":
            said.append(f"{share_said}: heavier for their height, other indices.")
        else:
            said.append(f"{share_said}: most of all {part.of}, {effect} from the others.")
    said.append(
        f"{100 * found.rest:.0f} % is patients and chance: one image in three lies {found.spread_di:.1f} DI off or more."
    )
    return said
