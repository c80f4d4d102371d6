"""Some weeks of simulated work in a room: patients who vary, readings that are off, people who make mistakes."""

from __future__ import annotations

import math
import random
from datetime import datetime, timedelta

from oakbeam import catalogue
from oakbeam.core.anatomy.composition import UNKNOWN_BUILD
from oakbeam.core.charts.line import Chart, ChartLine
from oakbeam.core.equipment.generator import ExposureControl
from oakbeam.core.equipment.room import Room
from oakbeam.core.equipment.usual import BUCKYS
from oakbeam.core.errors import Refusal
from oakbeam.core.image_review import EI_RANGE, deviation_index
from oakbeam.core.patient.patient import Patient
from oakbeam.core.technique.derive import derive
from oakbeam.core.technique.set_up import Setup
from oakbeam.demo.clinic import CHARTS, Plan, needed_mas
from oakbeam.store.exposures import Exposure

OTHER_SPREAD = 0.06
"""Standard deviation of the logarithm of what is neither thickness nor composition: positioning, field found, output."""
CALIPER_SPREAD_CM = 0.4
_WEIGHTS = {"chest-pa": 9, "chest-lateral": 6, "hand-pa": 4, "knee-ap": 4, "lspine-ap": 4, "lspine-lateral": 4}
_POSITIONING_REJECTS = 0.045
_BY_AEC = 0.3
_BREATHING = 6
"""How many of a room's exposures were made while the patient breathed, where it has a line for the thoracic spine."""


def simulate(room: Room, chart: Chart, count: int, until: datetime, seed: int, days: int = 42) -> list[Exposure]:
    """`count` exposures made on `chart` in the `days` before `until`, oldest first; the same seed gives the same log."""
    chance = random.Random(seed)
    times = sorted(_working_moment(chance, until, days) for _ in range(count))
    charted = {(line.projection, line.support) for line in chart.lines}
    plans = [plan for plan in CHARTS[room.id].plans if (plan.projection, plan.support) in charted]
    weights = [_WEIGHTS.get(plan.projection, 2) for plan in plans]
    made: list[Exposure] = []
    controls = random.Random(seed + 1)
    while len(made) < count:
        plan = chance.choices(plans, weights)[0]
        control: ExposureControl = "aec" if _has_chamber(room, plan) and controls.random() < _BY_AEC else "manual"
        if exposure := _expose(room, chart, plan, times[len(made)], chance, control):
            made.append(exposure)
    slow = [_plan_of(line) for line in chart.lines if (line.projection, line.support) == ("tspine-lateral", "table_bucky")]
    for plan in slow:
        places = range(0, count, count // _BREATHING)
        drawn = [(at, _expose(room, chart, plan, times[at], controls, "breathing")) for at in places]
        for at, exposure in drawn:
            if exposure:
                made[at] = exposure
    return made


def _has_chamber(room: Room, plan: Plan) -> bool:
    in_a_bucky = plan.support in BUCKYS and room.aec is not None
    return in_a_bucky and catalogue.projection(plan.projection).aec_cells != "none"


def _plan_of(line: ChartLine) -> Plan:
    return Plan(
        line.projection,
        line.receptor,
        line.support,
        line.grid_ratio,
        line.sid_cm,
        line.at(line.thickness_cm)[0],
        field_cm=line.field_cm,
    )


def _expose(
    room: Room, chart: Chart, plan: Plan, at: datetime, chance: random.Random, control: ExposureControl
) -> Exposure | None:
    """One exposure, or None where the patient drawn does not fit the chart line."""
    projection = catalogue.projection(plan.projection)
    line = next(line for line in chart.lines if _matches(plan, line.projection, line.support))
    small, average, large = projection.thickness_cm
    true_cm = chance.triangular(small * 0.95, large * 1.05, average)
    read_cm = round(2 * chance.gauss(true_cm, CALIPER_SPREAD_CM)) / 2
    try:
        derived = derive(line, room, projection, Patient(read_cm), Setup(exposure_control=control), chart.grid_table)
    except Refusal:
        return None
    set_to = derived.technique
    taped_cm = line.sid_cm * (chance.choice((0.92, 1.08)) if chance.random() < 0.03 else 1)
    body = projection.composition
    fat_shift = chance.gauss(0, UNKNOWN_BUILD * body.fat_spread)
    bone_scale = math.exp(chance.gauss(0, body.bone_spread))
    needed = needed_mas(room, plan, true_cm, set_to.kvp, taped_cm, fat_shift, bone_scale)
    target = derived.forecast.target_ei or 250
    other = math.exp(chance.gauss(0, OTHER_SPREAD))
    # A chamber ends the exposure when it has enough, for whatever body.
    mas = float(f"{needed:.3g}") if control == "aec" else set_to.mas
    ei = round(target * mas / needed * other)
    ei = max(int(EI_RANGE[0]), ei)
    di = deviation_index(ei, target)
    reason = "R03" if di < -3 else chance.choice(("R01", "R01", "R02", "R06")) if _spoiled(chance) else None
    return Exposure(
        room=room.id,
        chart=chart.id,
        chart_version=chart.version,
        projection=projection.id,
        thickness_cm=read_cm,
        suggested_kvp=set_to.kvp,
        suggested_mas=set_to.mas,
        kvp=set_to.kvp,
        mas=mas,
        sid_cm=line.sid_cm,
        support=line.support,
        grid_ratio=line.grid_ratio,
        receptor=line.receptor,
        exposure_control=set_to.exposure_control,
        outcome="rejected" if reason else "accepted",
        ei=float(ei),
        target_ei=target,
        di=di,
        incident_air_kerma_mgy=_of(derived.forecast.incident_air_kerma_mgy, mas / set_to.mas),
        kap_mgycm2=_of(derived.forecast.kap_mgycm2, mas / set_to.mas),
        reject_reason=reason,
        findings=("motion",) if reason == "R06" else (),
        age_band=chance.choices(("adult", "older_adult", "15y"), (7, 2, 1))[0],
        taken_at=at.isoformat(timespec="milliseconds"),
    )


def _of(dose: float | None, share: float) -> float | None:
    return None if dose is None else dose * share


def _spoiled(chance: random.Random) -> bool:
    return chance.random() < _POSITIONING_REJECTS


def _matches(plan: Plan, projection: str, support: str) -> bool:
    return (plan.projection, plan.support) == (projection, support)


def _working_moment(chance: random.Random, until: datetime, days: int) -> datetime:
    """A moment between 7:30 and 17:30 on a weekday before `until`."""
    while True:
        day = until - timedelta(days=chance.randint(1, days))
        if day.weekday() < 5:
            midnight = day.replace(hour=0, minute=0, second=0, microsecond=0)
            return midnight + timedelta(minutes=chance.uniform(450, 1050))
