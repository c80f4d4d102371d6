"""What if: for one patient, the choices of kVp, grid and SID that give the receptor the same, with dose, contrast and time.

By the physics model throughout, whichever school rules the room: the rules of thumb know neither contrast nor scatter.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

from oakbeam.core.charts.line import ChartLine
from oakbeam.core.equipment.generator import nearest_setting
from oakbeam.core.equipment.room import OFFERED_SIDS_CM, Grid, Room, Support
from oakbeam.core.equipment.settings import nearest_generator_setting
from oakbeam.core.errors import Refusal
from oakbeam.core.patient.patient import Patient
from oakbeam.core.physics.beam.quality import cnr, contrast, detail_of
from oakbeam.core.physics.rules_of_thumb import GridTable
from oakbeam.core.projection import Projection
from oakbeam.core.technique.derive import work_out
from oakbeam.core.technique.model_state import ModelState
from oakbeam.core.technique.set_up import Setup

KVP_STEP = 5
KVP_BELOW, KVP_ABOVE = 10.0, 20.0
"""How far beyond the projection's usual window kVp are tried [kV]."""
LEAST_SKIN_CM = 40.0
"""Choices that bring the focus nearer to the skin than this are not offered: they cost dose and sharpness."""


@dataclass(frozen=True, slots=True)
class Choice:
    """One choice on the room's stations. front: no other choice within the time ceiling has more CNR at no more dose.
    current: as set up now.

    Dose is incident air kerma at the skin [mGy]; contrast and cnr are those of the detail named beside; merit is CNR² per
    mGy over that of the current choice.
    """

    kvp: float
    mas: float
    ma: float
    time_ms: float
    focal_spot: str
    grid_ratio: int
    sid_cm: float
    incident_air_kerma_mgy: float
    contrast: float
    cnr: float
    merit: float
    over_time_ceiling: bool
    front: bool
    current: bool


@dataclass(frozen=True, slots=True)
class WhatIf:
    """The choices, by rising dose, and what contrast and CNR were taken of."""

    detail: str
    choices: tuple[Choice, ...]


def what_if(
    line: ChartLine,
    room: Room,
    projection: Projection,
    patient: Patient,
    setup: Setup,
    grid_table: GridTable = "average",
) -> WhatIf:
    """Choices that hold the receptor exposure of the set-up as charted for this patient (kVp and mAs by hand left aside).

    The chart's own mAs is the anchor: the model only says by what factor another kVp, grid or SID changes it. A choice that
    the room cannot deliver is left out. Raises Refusal where the set-up itself is refused.
    """
    plain = replace(setup, kvp=None, mas=None, exposure_control="manual")
    worked = work_out(line, room, projection, patient, plain, grid_table, room.school)
    running, model = worked.running, worked.running.model
    anchor, now = model.mas_on_target(), nearest_setting("kvp", model.kvp, room.generator.kvp, "kVp")
    found = []
    for grid_ratio in _grids(room, worked.setup.support, model.grid_ratio):
        for sid_cm in _sids(model, room.grid(worked.setup.support, grid_ratio)):
            for kvp in _kvps(room, projection, now):
                here = (kvp, grid_ratio, sid_cm) == (now, model.grid_ratio, model.sid_cm)
                trial = model.trial(kvp=kvp, grid_ratio=grid_ratio, sid_cm=sid_cm)
                choice = _choice(trial, running.mas / anchor, room, projection, here)
                if choice:
                    found.append(choice)
    return WhatIf(detail_of(projection.region).name, tuple(_marked(found)))


def _choice(model: ModelState, per_target: float, room: Room, projection: Projection, current: bool) -> Choice | None:
    try:
        # Dose and CNR are those of exactly the same receptor exposure; the stations then miss it by half a step at most.
        wanted = per_target * model.mas_on_target()
        on = nearest_generator_setting(room, projection, model.kvp, wanted)
        beam, _, _ = model.beam()
    except Refusal:
        return None
    of_detail = contrast(beam, detail_of(projection.region))
    kerma_mgy = float(beam.incident_air_kerma_ugy[0]) * wanted / 1000
    if not room.outputs[0].kvp <= model.kvp <= room.outputs[-1].kvp:
        return None
    return Choice(
        on.kvp,
        on.mas,
        on.loading.ma,
        on.loading.time_ms,
        on.loading.focal_spot,
        model.grid_ratio,
        model.sid_cm,
        kerma_mgy,
        float(of_detail[0]),
        float(cnr(beam, of_detail, wanted)[0]),
        0.0,
        on.loading.time_ms > projection.time_ceiling_ms,
        False,
        current,
    )


def _marked(choices: Sequence[Choice]) -> list[Choice]:
    """By rising dose, the front marked, merit relative to the current choice (to the first where that is not there)."""
    ordered = sorted(choices, key=lambda one: (one.incident_air_kerma_mgy, -one.cnr))
    base = next((one for one in ordered if one.current), ordered[0] if ordered else None)
    best, marked = 0.0, []
    for one in ordered:
        merit = one.cnr**2 / one.incident_air_kerma_mgy
        reference = base.cnr**2 / base.incident_air_kerma_mgy if base else merit
        front = one.cnr > best and not one.over_time_ceiling
        marked.append(replace(one, front=front, merit=merit / reference))
        best = max(best, one.cnr) if front else best
    return marked


def _kvps(room: Room, projection: Projection, now: float) -> list[float]:
    low, high = projection.kvp_window[0] - KVP_BELOW, projection.kvp_window[1] + KVP_ABOVE
    return sorted({now, *(kvp for kvp in room.generator.kvp if low <= kvp <= high and kvp % KVP_STEP == 0)})


def _grids(room: Room, support: Support, now: int) -> list[int]:
    if support.id == "tabletop":
        return [0]
    built_in = [support.grid.ratio] if support.grid else []
    return sorted({0, now, *built_in, *(grid.ratio for grid in room.loose_grids if not support.grid)})


def _sids(model: ModelState, grid: Grid | None) -> list[float]:
    """The SID as it is, and the usual ones that keep the skin far enough from the focus and the grid within its range."""
    enough = [sid for sid in OFFERED_SIDS_CM if sid - model.gap_cm - model.thickness_cm >= LEAST_SKIN_CM]
    if grid:
        enough = [sid for sid in enough if grid.range_cm[0] <= sid <= grid.range_cm[1]]
    return sorted({model.sid_cm, *enough})
