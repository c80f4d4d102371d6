"""The chart checks that look at one line by itself; each is registered with its title and help."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace
from itertools import pairwise

from oakbeam.core.chart_check.level import level_it
from oakbeam.core.chart_check.register import CheckedLine, Finding, line_check
from oakbeam.core.charts.line import ChartLine, even_steps_cm
from oakbeam.core.charts.links import exposure_ratio
from oakbeam.core.charts.receptor_exposure import skin_kerma_mgy
from oakbeam.core.charts.systems import Banded, Levelled, VariableKvp
from oakbeam.core.equipment.generator import aec_backup_mas
from oakbeam.core.equipment.room import Room
from oakbeam.core.equipment.room_beam import usual_field
from oakbeam.core.equipment.settings import nearest_generator_setting
from oakbeam.core.errors import Refusal
from oakbeam.core.patient.dose_levels import WEIGHT_AT_AGE_KG, dose_levels
from oakbeam.core.patient.patient import Patient
from oakbeam.core.patient.thickness import usual_children
from oakbeam.core.physics import geometry, rules_of_thumb
from oakbeam.core.projection import SUPPORT_NAMES, Quantity

DRIFT_DI = 2.0
"""A line that strays further than this within the usual patients is pointed out; within it patients stray too."""
BAND_SWING_DI = 4.0
"""A band whose ends lie further apart than this is too coarse: ±2 about its middle."""
DOSE_SLACK = 1.05
"""A dose that no meter tells from the level is not over it."""
DETENT_CM = 1.0
"""A SID within this of a detent is the detent's."""
KVP_BEYOND = 1.12
"""kVp this factor beyond the usual window are pointed out."""
_WHO = ("a small", "an average", "a large")


RULE_MISSES = 0.15
"""By how much the 15 % rule may miss over one step of a line's kVp: what falls by less may well rise."""


@line_check(
    "not_monotonic",
    "Exposure falls with thickness",
    "A thicker part needs more. Looks at bands and points one after the other.",
)
def _not_monotonic(one: CheckedLine, room: Room) -> Iterator[Finding]:
    law = one.line.law
    if isinstance(law, Banded):
        steps = [(f"{b.min_cm:g} to {b.max_cm:g} cm", b.kvp, b.mas) for b in law.bands]
    elif isinstance(law, Levelled):
        steps = [(f"{p.thickness_cm:g} cm", p.kvp, p.mas) for p in law.points]
    else:
        return
    for (_, kvp, mas), (where, next_kvp, next_mas) in pairwise(steps):
        if exposure_ratio(next_kvp, next_mas, kvp, mas) < (0.999 if kvp == next_kvp else 1 - RULE_MISSES):
            yield Finding(
                "not_monotonic",
                "error",
                (one.at,),
                f"{one.name}: at {where} the exposure falls although the part is thicker.",
                "A thicker part needs more; a number is misread or two rows are swapped.",
                "Put the numbers right, or level the line.",
                _levelled(one, room),
            )
            return


@line_check(
    "coarse_steps",
    "Band too coarse",
    "One setting for too many centimetres: thin patients get too much, thick ones too little.",
)
def _coarse(one: CheckedLine, room: Room) -> Iterator[Finding]:
    law, found = one.line.law, one.index
    if not isinstance(law, Banded) or found is None:
        return
    for band in law.bands:
        inside = [di for cm, di in zip(found.places_cm, found.exact_di, strict=True) if band.min_cm <= cm < band.max_cm]
        swing = max(inside, default=0.0) - min(inside, default=0.0)
        if swing > BAND_SWING_DI:
            yield Finding(
                "coarse_steps",
                "warning",
                (one.at,),
                f"{one.name}: within '{band.name}' ({band.min_cm:g} to {band.max_cm:g} cm) the index strays {swing:.1f} DI.",
                f"One setting serves {band.max_cm - band.min_cm:g} cm; thin patients get too much, thick ones too little.",
                "Cut the band in two, or let the mAs follow the thickness.",
                _levelled(one, room),
            )
            return


@line_check(
    "kvp_window",
    "kVp outside the usual",
    "Compares the kVp for small, average and large patients with the projection's usual window.",
)
def _kvp_window(one: CheckedLine, room: Room) -> Iterator[Finding]:
    low, high = one.projection.kvp_usual(one.line.support)
    small, average, large = one.usual_cm
    kvps = [
        one.line.law.at(cm)[0] for cm in ((average,) if isinstance(one.line.law, VariableKvp) else (small, average, large))
    ]
    for kvp in kvps:
        if not low / KVP_BEYOND <= kvp <= high * KVP_BEYOND:
            why = "Too little gets through the part; the skin takes it." if kvp < low else "Contrast is lost to scatter."
            yield Finding(
                "kvp_window",
                "warning",
                (one.at,),
                f"{one.name}: {kvp:g} kVp lies outside the usual {low:g} to {high:g} kVp.",
                why,
                "Move it into the window and keep the receptor exposure: 15 % in kVp for a factor of two in mAs.",
            )
            return


@line_check(
    "tube_limit",
    "Cannot be set in this room",
    "No generator setting, or more than the tube takes, for a small, average or large patient.",
)
def _tube(one: CheckedLine, room: Room) -> Iterator[Finding]:
    """Stations and tube limit at the small, the average and the large patient."""
    for who, cm in zip(_WHO, one.usual_cm, strict=True):
        kvp, mas = one.line.law.at(cm)
        try:
            nearest_generator_setting(room, one.projection, kvp, mas)
        except Refusal as refusal:
            yield Finding(
                "tube_limit",
                "error",
                (one.at,),
                f"{one.name}: {kvp:.3g} kVp and {mas:.3g} mAs for {who} patient ({cm:g} cm) cannot be had.",
                refusal.detail,
                "Raise the kVp for less mAs, shorten the SID, or cut the range.",
            )
            return


@line_check(
    "range_not_settable",
    "Cannot be set over its whole range",
    "A part of the line's range that usual patients do not reach has no generator setting, or more than the tube takes.",
)
def _range_not_settable(one: CheckedLine, room: Room) -> Iterator[Finding]:
    """Only beyond the usual patients: within them it is `tube_limit`."""
    if next(_tube(one, room), None):
        return
    low, high = one.line.range_cm
    steps = sorted({low, *even_steps_cm(one.line.range_cm), high})
    inside = [cm for cm in steps if _settable(one, room, cm)]
    ends = [f"over {inside[-1]:g} cm"] if inside and inside[-1] < high else []
    ends += [f"under {inside[0]:g} cm"] if inside and inside[0] > low else []
    if ends:
        cut = (inside[0], inside[-1])
        yield Finding(
            "range_not_settable",
            "note",
            (one.at,),
            f"{one.name}: {' and '.join(ends)} it cannot be set, though the line goes from {low:g} to {high:g} cm.",
            "At the console that patient has no technique, when it is too late to think of one.",
            f"Let the line go from {cut[0]:g} to {cut[1]:g} cm; beyond, other kVp or another room.",
            None if isinstance(one.line.law, Banded) or one.line.link else replace(one.line, range_cm=cut),
        )


def _settable(one: CheckedLine, room: Room, thickness_cm: float) -> bool:
    try:
        nearest_generator_setting(room, one.projection, *one.line.law.at(thickness_cm))
    except Refusal:
        return False
    return True


@line_check(
    "aec_backup",
    "Back-up ends the exposure",
    "Under AEC the back-up is above what the patient needs, or it ends the exposure before the image is made.",
)
def _aec_backup(one: CheckedLine, room: Room) -> Iterator[Finding]:
    if one.line.exposure_control != "aec" or room.aec is None:
        return
    for who, cm in zip(_WHO, one.usual_cm, strict=True):
        _, mas = one.line.law.at(cm)
        backup = aec_backup_mas(room.generator, mas, room.aec.backup_factor)
        if backup < mas:
            yield Finding(
                "aec_backup",
                "error",
                (one.at,),
                f"{one.name}: under AEC {who} patient ({cm:g} cm) needs {mas:.3g} mAs; the back-up ends at {backup:g} mAs.",
                "The exposure is cut off and the image has to be made again.",
                "Raise the kVp, shorten the SID, or end the line before.",
                off_di=10 * math.log10(backup / mas),
            )
            return


@line_check("time_ceiling", "Exposure time too long", "Longer than the part usually keeps still.")
def _time(one: CheckedLine, room: Room) -> Iterator[Finding]:
    """Time at the small and the average patient; for a large one the ceiling has to bend."""
    for who, cm in zip(_WHO[:2], one.usual_cm[:2], strict=True):
        try:
            on = nearest_generator_setting(room, one.projection, *one.line.law.at(cm))
        except Refusal:
            return
        if on.loading.time_ms > 1.5 * one.projection.time_ceiling_ms:
            yield Finding(
                "time_ceiling",
                "warning",
                (one.at,),
                f"{one.name}: {on.loading.time_ms:.3g} ms for {who} patient; usual is up to "
                f"{one.projection.time_ceiling_ms:g} ms.",
                "Longer than the part keeps still: motion blur.",
                "Raise the kVp for less mAs, use the large spot, or shorten the SID.",
            )
            return


@line_check(
    "grid_small_part", "Grid on a small part", "There is little scatter to take away; the grid only multiplies the dose."
)
def _grid_on_small(one: CheckedLine, room: Room) -> Iterator[Finding]:
    line, over, average = one.line, one.projection.grid_over_cm, one.projection.thickness_cm[1]
    if not line.grid_ratio or (over is not None and max(average, line.thickness_cm) > over):
        return
    kvp, _ = line.law.at(line.thickness_cm)
    yield Finding(
        "grid_small_part",
        "warning",
        (one.at,),
        f"{one.name}: a {line.grid_ratio}:1 grid on a part of {average:g} cm.",
        "There is little scatter to take away; the grid only multiplies the dose.",
        f"Take the grid off and divide the mAs by about {rules_of_thumb.grid_factor(line.grid_ratio, kvp):g}.",
    )


@line_check("no_grid_thick_part", "No grid on a thick part", "Scatter takes the contrast, and the room has a grid for it.")
def _no_grid_on_thick(one: CheckedLine, room: Room) -> Iterator[Finding]:
    line, over = one.line, one.projection.grid_over_cm
    middle = (line.range_cm[0] + line.range_cm[1]) / 2
    bucky = any(support.grid and support.id in one.projection.supports for support in room.supports)
    clip_on = one.projection.detector_grid and room.loose_grids
    there = (clip_on if line.support == "detector" else bucky) and one.projection.child != "own"
    if line.grid_ratio or over is None or min(line.thickness_cm, middle) <= over + 4 or not there:
        return
    yield Finding(
        "no_grid_thick_part",
        "warning",
        (one.at,),
        f"{one.name}: no grid on {line.thickness_cm:g} cm, on the {SUPPORT_NAMES[line.support]}.",
        f"Above about {over:g} cm scatter takes the contrast; the room has a grid for this projection.",
        "Use the grid, or say in the note why not.",
    )


@line_check("grid_focus", "SID outside the grid's range", "Outside its focal range a grid cuts the edges of the field off.")
def _grid_focus(one: CheckedLine, room: Room) -> Iterator[Finding]:
    line = one.line
    grid = room.grid(room.support(line.support), line.grid_ratio) if line.grid_ratio else None
    if grid is None or grid.range_cm[0] <= line.sid_cm <= grid.range_cm[1]:
        return
    yield Finding(
        "grid_focus",
        "warning",
        (one.at,),
        f"{one.name}: SID {line.sid_cm:g} cm with a grid for {grid.range_cm[0]:g} to {grid.range_cm[1]:g} cm.",
        "Outside its focal range the grid cuts the edges of the field off.",
        f"Use {grid.focal_cm:g} cm; the mAs goes with the square of the SID.",
    )


@line_check(
    "minimum_sid", "SID below the projection's least", "Nearer, parts far from the receptor are magnified and blurred."
)
def _minimum_sid(one: CheckedLine, room: Room) -> Iterator[Finding]:
    line, least = one.line, one.projection.minimum_sid_cm
    if least is None or line.sid_cm >= least - 0.5:
        return
    yield Finding(
        "minimum_sid",
        "warning",
        (one.at,),
        f"{one.name}: SID {line.sid_cm:g} cm; this projection wants {least:g} cm at least.",
        "Nearer, the parts far from the receptor are magnified and blurred.",
        f"Use {one.projection.sid_cm:g} cm; the mAs goes with the square of the SID.",
    )


@line_check(
    "sid_detent",
    "SID between the detents",
    "The tube clicks into place elsewhere: what is set is then not what is charted.",
)
def _sid_detent(one: CheckedLine, room: Room) -> Iterator[Finding]:
    """Only where somebody said the room's detents."""
    line, support = one.line, room.support(one.line.support)
    if not support.sid_detents:
        return
    nearest = min(room.detents_cm(support), key=lambda sid: abs(sid - line.sid_cm))
    if abs(nearest - line.sid_cm) <= DETENT_CM:
        return
    yield Finding(
        "sid_detent",
        "note",
        (one.at,),
        f"{one.name}: SID {line.sid_cm:g} cm; the tube's nearest detent there is {nearest:.4g} cm.",
        "Who goes by the click exposes from another distance than the line's.",
        f"Chart it at {nearest:.4g} cm: the mAs times {(nearest / line.sid_cm) ** 2:.2g}.",
    )


@line_check(
    "dose_level",
    "Over the dose level",
    "Incident air kerma for an average patient against the level: an example until the department sets its own.",
)
def _dose(one: CheckedLine, room: Room) -> Iterator[Finding]:
    level_mgy, average = one.projection.usual_kerma_mgy, one.usual_cm[1]
    if level_mgy is None:
        return
    kvp, mas = one.line.law.at(average)
    try:
        kerma_mgy = skin_kerma_mgy(one.line, room, average, kvp, mas)
    except Refusal:
        return
    if kerma_mgy > level_mgy:
        yield Finding(
            "dose_level",
            "warning",
            (one.at,),
            f"{one.name}: {kerma_mgy:.2g} mGy for an average patient, over the level of {level_mgy:g} mGy.",
            "The level is an example until the department sets its own; most rooms stay below it.",
            "Look at the target index, the kVp and the grid; more kVp and less mAs lower the dose.",
        )


@line_check(
    "child_dose_level",
    "Over a child's dose level",
    "Of a line for children, what a child of a usual age and weight gets, against the level for that weight: an example "
    "until the department sets its own.",
)
def _child_dose(one: CheckedLine, room: Room) -> Iterator[Finding]:
    if not one.projection.for_children:
        return
    for age, cm in usual_children(one.projection, one.line.range_cm):
        given = _doses(one, room, cm)
        for level in dose_levels(one.projection, Patient(cm, age_band=age)):
            dose = given.get(level.quantity)
            if dose and dose > DOSE_SLACK * level.value:
                who = f"a child of {WEIGHT_AT_AGE_KG[age]:g} kg"
                yield Finding(
                    "child_dose_level",
                    "warning",
                    (one.at,),
                    f"{one.name}: {dose:.2g} {level.unit} for {who}, over {level.value:g}.",
                    f"The level is an example, for {level.of_whom}; most rooms stay below it.",
                    "Look at grid, field and target index first; more kVp and less mAs lower the dose.",
                )
                return


def _doses(one: CheckedLine, room: Room, thickness_cm: float) -> dict[Quantity, float]:
    """Incident air kerma [mGy] and kerma-area product [mGy·cm²] of a line at a thickness; none where no output is known."""
    line = one.line
    try:
        kerma_mgy = skin_kerma_mgy(line, room, thickness_cm, *line.law.at(thickness_cm))
    except Refusal:
        return {}
    width, height = usual_field(line.field_cm, one.projection, room.receptor(line.receptor))
    ssd_cm = geometry.source_to_skin_cm(line.sid_cm, thickness_cm, room.support(line.support).gap_cm)
    area = width * height * (ssd_cm / line.sid_cm) ** 2
    return {"incident_air_kerma": kerma_mgy, "kerma_area_product": kerma_mgy * area}


@line_check("drifts", "EI off target over thickness", "The expected index leaves the target within the usual patients.")
def _drift(one: CheckedLine, room: Room) -> Iterator[Finding]:
    found = one.index
    if found is None or isinstance(one.line.law, Banded):
        return
    small, _, large = one.usual_cm
    inside = [di for cm, di in zip(found.places_cm, found.exact_di, strict=True) if small <= cm <= large]
    worst = max(inside, key=abs, default=0.0)
    if abs(worst) > DRIFT_DI:
        yield Finding(
            "drifts",
            "warning",
            (one.at,),
            f"{one.name}: the index drifts to {worst:+.1f} DI within the usual patients.".replace("-", "−"),
            "The mAs rule does not follow how this part takes up the beam.",
            "Level it: one number of the rule, or the physics model's mAs.",
            _levelled(one, room),
            worst,
        )


def _levelled(one: CheckedLine, room: Room) -> ChartLine | None:
    proposal = level_it(one.line, room, one.projection)
    return proposal.line if proposal else None
