"""What if: for one patient, the choices of kVp, grid, filter and SID that give the receptor the same, with what each gains.

By the physics model throughout, whichever method rules the room: the rules of thumb know neither contrast nor scatter. Only
what the room can do is offered, and nothing in which the detail is hardly seen.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from oakbeam.core.charts.line import ChartLine
from oakbeam.core.equipment.generator import SpotName, nearest_setting
from oakbeam.core.equipment.room import Grid, Room, Support
from oakbeam.core.equipment.room_beam import output_behind_ugy_per_mas
from oakbeam.core.equipment.settings import nearest_generator_setting
from oakbeam.core.errors import Refusal
from oakbeam.core.patient.patient import Patient
from oakbeam.core.physics import geometry, rules_of_thumb
from oakbeam.core.physics.beam.quality import cnr, contrast, detail_of
from oakbeam.core.physics.rules_of_thumb import GridTable
from oakbeam.core.projection import Projection
from oakbeam.core.technique.derive import work_out
from oakbeam.core.technique.model_state import ModelState
from oakbeam.core.technique.set_up import Setup
from oakbeam.core.technique.warnings import LEAST_SKIN_CM

KVP_STEP = 5
KVP_BELOW, KVP_ABOVE = 10.0, 20.0
"""How far beyond the projection's usual window kVp are tried [kV]."""
LEAST_CNR_SHARE = 0.7
"""A detail may stand out this much less from the noise than now: about the step that a reader still takes for the same."""
MOST_OFFERED = 8

DoseAxis = Literal["skin_kerma", "energy_imparted"]


@dataclass(frozen=True, slots=True)
class Choice:
    """One choice on the room's stations. front: no other has more CNR at no more dose; offered: of the front, thinned.
    current: as set up now. said: what it gains and what it gives against the current one, in words.

    Dose is incident air kerma at the skin [mGy] and energy imparted [mJ]; contrast and cnr are those of the detail named
    beside; merit is CNR² per dose over that of the current choice. filter: id in the room, None for none.
    """

    kvp: float
    mas: float
    ma: float
    time_ms: float
    focal_spot: str
    grid_ratio: int
    filter: str | None
    sid_cm: float
    incident_air_kerma_mgy: float
    energy_imparted_mj: float
    contrast: float
    cnr: float
    merit: float
    front: bool
    offered: bool
    current: bool
    said: str


@dataclass(frozen=True, slots=True)
class WhatIf:
    """The choices, by rising dose, what contrast and CNR were taken of, and the least CNR that is offered."""

    detail: str
    least_cnr: float
    dose: DoseAxis
    choices: tuple[Choice, ...]


def what_if(
    line: ChartLine,
    room: Room,
    projection: Projection,
    patient: Patient,
    setup: Setup,
    grid_table: GridTable = "average",
    dose: DoseAxis = "skin_kerma",
) -> WhatIf:
    """Choices that hold the receptor exposure of the set-up as charted for this patient (kVp and mAs by hand left aside).

    The chart's own mAs is the anchor: the model only says by what factor another kVp, grid, filter or SID changes it. Left
    out is what the room cannot deliver, what takes longer than the part keeps still, and what shows the detail worse than
    its task allows (`LEAST_CNR_SHARE` of the present one, and never less than `Detail.least_cnr`); the current choice always
    stands there. dose: the figure by which the front is drawn. Raises Refusal where the set-up itself is refused.
    """
    plain = replace(setup, kvp=None, mas=None, exposure_control="manual")
    worked = work_out(line, room, projection, patient, plain, grid_table, room.school)
    running, model = worked.running, worked.running.model
    anchor, now = model.mas_on_target(), nearest_setting("kvp", model.kvp, room.generator.kvp, "kVp")
    detail, ceiling_ms = detail_of(projection.region), projection.time_ceiling_ms * patient.time_share
    found = []
    for grid_ratio in _grids(room, worked.setup.support, model.grid_ratio):
        for sid_cm in _sids(model, worked.setup.support, room.grid(worked.setup.support, grid_ratio)):
            for added in dict.fromkeys((model.filter, None, *room.filters)):
                for kvp in _kvps(room, projection, now):
                    here = (kvp, grid_ratio, sid_cm, added) == (now, model.grid_ratio, model.sid_cm, model.filter)
                    trial = model.trial(kvp=kvp, grid_ratio=grid_ratio, sid_cm=sid_cm, filter=added)
                    choice = _choice(
                        trial, running.mas / anchor, room, projection, patient.time_share, setup.focal_spot, here
                    )
                    if choice and (here or choice.time_ms <= ceiling_ms):
                        found.append(choice)
    current = next((one for one in found if one.current), None)
    least = max(detail.least_cnr, LEAST_CNR_SHARE * current.cnr if current else 0.0)
    seen = [one for one in found if one.cnr >= least or one.current]
    return WhatIf(detail.name, least, dose, tuple(_marked(seen, dose)))


def _choice(
    model: ModelState,
    per_target: float,
    room: Room,
    projection: Projection,
    time_share: float,
    spot: SpotName | None,
    current: bool,
) -> Choice | None:
    try:
        # Dose and CNR are those of exactly the same receptor exposure; the stations then miss it by half a step at most.
        wanted = per_target * model.mas_on_target()
        on = nearest_generator_setting(room, projection, model.kvp, wanted, time_share=time_share, spot=spot)
        output = output_behind_ugy_per_mas(room, model.kvp, model.filter)
        beam, _, _ = model.beam()
    except Refusal:
        return None
    of_detail = contrast(beam, detail_of(projection.region))
    ssd_cm = geometry.source_to_skin_cm(model.sid_cm, model.thickness_cm, model.gap_cm)
    return Choice(
        on.kvp,
        on.mas,
        on.loading.ma,
        on.loading.time_ms,
        on.loading.focal_spot,
        model.grid_ratio,
        model.filter.id if model.filter else None,
        model.sid_cm,
        rules_of_thumb.inverse_square(output * wanted, 100, ssd_cm) / 1000,
        float(beam.energy_imparted_mj[0]) * wanted,
        float(of_detail[0]),
        float(cnr(beam, of_detail, wanted)[0]),
        0.0,
        False,
        False,
        current,
        "",
    )


def _marked(choices: Sequence[Choice], axis: DoseAxis) -> list[Choice]:
    """By rising dose, the front marked and thinned, merit and words against the current choice (the first without one)."""
    dose = DOSE[axis]
    ordered = sorted(choices, key=lambda one: (getattr(one, dose), -one.cnr))
    base = next((one for one in ordered if one.current), ordered[0] if ordered else None)
    best, marked = 0.0, []
    for one in ordered:
        assert base is not None
        merit = one.cnr**2 / getattr(one, dose) / (base.cnr**2 / getattr(base, dose))
        front = one.cnr > best
        marked.append(replace(one, front=front, merit=merit, said=_said(one, base)))
        best = max(best, one.cnr)
    offered = _thinned([one for one in marked if one.front], dose)
    return [replace(one, offered=one in offered) for one in marked]


DOSE: Mapping[DoseAxis, str] = {"skin_kerma": "incident_air_kerma_mgy", "energy_imparted": "energy_imparted_mj"}


def _thinned(front: Sequence[Choice], dose: str) -> list[Choice]:
    """At most MOST_OFFERED of the front: its ends, and between them those that lie most evenly in the logarithm of dose."""
    if len(front) <= MOST_OFFERED:
        return list(front)
    logs = [math.log(getattr(one, dose)) for one in front]
    wanted = [logs[0] + (logs[-1] - logs[0]) * i / (MOST_OFFERED - 1) for i in range(MOST_OFFERED)]
    return [front[i] for i in sorted({min(range(len(logs)), key=lambda i: abs(logs[i] - at)) for at in wanted})]


def _said(one: Choice, base: Choice) -> str:
    """What a choice gains and what it gives against the present one; what moves by less than 3 % is not worth a word."""
    if one.current:
        return "as now"
    gains: list[str] = []
    gives: list[str] = []
    for name, here, there, less_is_better in (
        ("skin kerma", one.incident_air_kerma_mgy, base.incident_air_kerma_mgy, True),
        ("energy imparted", one.energy_imparted_mj, base.energy_imparted_mj, True),
        ("detail over noise", one.cnr, base.cnr, False),
        ("time", one.time_ms, base.time_ms, True),
    ):
        percent = 100 * (here / there - 1)
        if abs(percent) >= WORTH_A_WORD_PERCENT:
            better = (percent < 0) == less_is_better
            (gains if better else gives).append(f"{name} {percent:+.0f} %".replace("-", "−"))
    if one.sid_cm > base.sid_cm * SID_WORTH_A_WORD:
        gains.append("sharper")
    elif base.sid_cm > one.sid_cm * SID_WORTH_A_WORD:
        gives.append("sharpness")
    words = [f"gains {', '.join(gains)}" if gains else "", f"gives {', '.join(gives)}" if gives else ""]
    return "; ".join(word for word in words if word) or "much the same"


WORTH_A_WORD_PERCENT = 3.0
SID_WORTH_A_WORD = 1.08


def _kvps(room: Room, projection: Projection, now: float) -> list[float]:
    low, high = projection.kvp_window[0] - KVP_BELOW, projection.kvp_window[1] + KVP_ABOVE
    return sorted({now, *(kvp for kvp in room.generator.kvp if low <= kvp <= high and kvp % KVP_STEP == 0)})


def _grids(room: Room, support: Support, now: int) -> list[int]:
    """The grid as it is, none, and what the room has for the place: the built-in one, or where none is a loose one."""
    if support.id == "tabletop":
        return [0]
    built_in = [support.grid.ratio] if support.grid else []
    return sorted({0, now, *built_in, *(grid.ratio for grid in room.loose_grids if not support.grid)})


def _sids(model: ModelState, support: Support, grid: Grid | None) -> list[float]:
    """The SID as it is, and the detents that the tube reaches here, with the skin far enough and the grid in range."""
    nearest, furthest = support.tube_travel_cm
    enough = [sid for sid in model.room.detents_cm(support) if nearest <= sid <= furthest]
    enough = [sid for sid in enough if sid - model.gap_cm - model.thickness_cm >= LEAST_SKIN_CM[model.room.mobile]]
    if grid:
        enough = [sid for sid in enough if grid.range_cm[0] <= sid <= grid.range_cm[1]]
    return sorted({model.sid_cm, *enough})
