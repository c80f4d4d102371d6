"""Months of simulated work in a room: patients who vary, readings that are off, people who make mistakes, and the story."""

from __future__ import annotations

import math
import random
from dataclasses import replace
from datetime import datetime, timedelta

from oakbeam import catalogue
from oakbeam.core.anatomy.composition import UNKNOWN_BUILD
from oakbeam.core.charts.line import Chart, ChartLine
from oakbeam.core.equipment.generator import ExposureControl, nearest_setting
from oakbeam.core.equipment.room import Room
from oakbeam.core.equipment.usual import BUCKYS
from oakbeam.core.errors import Refusal
from oakbeam.core.image_review import EI_RANGE, deviation_index
from oakbeam.core.log.incidents import far_over
from oakbeam.core.patient.patient import Patient
from oakbeam.core.technique.derive import derive
from oakbeam.core.technique.result import Derived
from oakbeam.core.technique.set_up import Setup
from oakbeam.demo.clinic import CHARTS, Plan, needed_mas
from oakbeam.demo.story import DAYS, JOREN, TAMSIN, Moment, index_di, set_di
from oakbeam.store.exposures import Exposure

OTHER_SPREAD = 0.06
"""Standard deviation of the logarithm of what is neither thickness nor composition: positioning, field found, output."""
CALIPER_SPREAD_CM = 0.4
_WEIGHTS = {"chest-pa": 9, "chest-lateral": 6, "hand-pa": 4, "knee-ap": 4, "lspine-ap": 4, "lspine-lateral": 4}
_POSITIONING_REJECTS = 0.045
_BRIGHT_DI, _BRIGHT_REJECTS = 1.5, 0.4
_BY_AEC = 0.3
_BREATHING = 6
"""How many of a room's exposures were made while the patient breathed, where it has a line for the thoracic spine."""


def simulate(
    room: Room, chart: Chart, count: int, until: datetime, seed: int, days: tuple[int, int] = (DAYS, 1)
) -> list[Exposure]:
    """`count` exposures made on `chart`, from so many days before `until` to so many, oldest first, and
    the repeats of those rejected; the same seed gives the same log."""
    chance, controls = random.Random(seed), random.Random(seed + 1)
    work = _Work(room, chart, until)
    times = sorted(_working_moment(chance, until, days) for _ in range(count))
    charted = {(line.projection, line.support) for line in chart.lines}
    plans = [plan for plan in CHARTS[room.id].plans if (plan.projection, plan.support) in charted]
    weights = [_WEIGHTS.get(plan.projection, 2) for plan in plans]
    made: list[Exposure] = []
    while len(made) < count:
        plan = chance.choices(plans, weights)[0]
        control: ExposureControl = "aec" if _has_chamber(room, plan) and controls.random() < _BY_AEC else "manual"
        if exposure := work.expose(plan, times[len(made)], chance, control):
            made.append(exposure)
    slow = [_plan_of(line) for line in chart.lines if (line.projection, line.support) == ("tspine-lateral", "table_bucky")]
    for plan in slow:
        # Among the newest: the last six weeks' worth of them.
        places = range(count - count // 8, count, max(1, count // 8 // _BREATHING))
        drawn = [(at, work.expose(plan, times[at], controls, "breathing")) for at in places]
        for at, exposure in drawn:
            if exposure:
                made[at] = exposure
    return _with_repeats(room, made, random.Random(seed + 2))


def _with_repeats(room: Room, made: list[Exposure], chance: random.Random) -> list[Exposure]:
    """Each rejected exposure followed by its repeat, a few minutes later. One that is bright alone is sometimes rejected for
    it, and who repeats one that was too low guesses the mAs: neither is what Judge advises."""
    found = []
    for one in made:
        bright = one.outcome == "accepted" and (one.di or 0) > _BRIGHT_DI and chance.random() < _BRIGHT_REJECTS
        first = replace(one, outcome="rejected", reject_reason="R04") if bright else one
        if first.outcome == "accepted" or first.di is None:
            found.append(first)
            continue
        study_key = f"demo-{chance.getrandbits(48):012x}"
        found += [replace(first, study_key=study_key), _repeated(room, first, study_key, chance)]
    return found


def _repeated(room: Room, first: Exposure, study_key: str, chance: random.Random) -> Exposure:
    """The repeat of a rejected exposure: of the same patient, at a guessed mAs where the exposure was at fault."""
    by_hand = first.exposure_control == "manual"
    guess = {"R03": chance.choice((1.6, 2.0, 4.0)), "R04": chance.choice((0.25, 0.5, 0.63))}.get(
        first.reject_reason or "", 1.0
    )
    stations = room.generator.mas
    wanted = min(max(first.mas * guess, stations[0]), stations[-1])
    mas = nearest_setting("mas", wanted, stations, "mAs") if by_hand else first.mas
    factor = mas / first.mas
    kerma = _of(first.incident_air_kerma_mgy, factor)
    ei = max(int(EI_RANGE[0]), round((first.ei or 0) * factor * math.exp(chance.gauss(0, OTHER_SPREAD))))
    di = deviation_index(ei, first.target_ei or 250)
    at = datetime.fromisoformat(first.taken_at) + timedelta(minutes=chance.uniform(2, 6))
    return replace(
        first,
        study_key=study_key,
        attempt=2,
        taken_at=at.isoformat(timespec="milliseconds"),
        mas=mas,
        ei=float(ei),
        di=di,
        far_over=bool(far_over(di, first.reliable, kerma, catalogue.projection(first.projection).usual_kerma_mgy)),
        outcome="accepted",
        reject_reason=None,
        findings=(),
        incident_air_kerma_mgy=kerma,
        kap_mgycm2=_of(first.kap_mgycm2, factor),
    )


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


class _Work:
    """The work in a room: what its chart suggests is worked out once for each reading of the calipers."""

    def __init__(self, room: Room, chart: Chart, until: datetime) -> None:
        self.room, self.chart, self.until = room, chart, until
        self._suggested: dict[tuple[int | None, float, ExposureControl], Derived | None] = {}

    def expose(self, plan: Plan, at: datetime, chance: random.Random, control: ExposureControl) -> Exposure | None:
        """One exposure, or None where the patient drawn does not fit the chart line."""
        room, chart, projection = self.room, self.chart, catalogue.projection(plan.projection)
        line = next(line for line in chart.lines if _matches(plan, line.projection, line.support))
        small, average, large = projection.thickness_cm
        true_cm = chance.triangular(small * 0.95, large * 1.05, average)
        read_cm = round(2 * chance.gauss(true_cm, CALIPER_SPREAD_CM)) / 2
        derived = self._suggest(line, read_cm, control)
        if derived is None:
            return None
        set_to = derived.technique
        person = JOREN if chance.random() < 0.3 else TAMSIN
        days_ago = (self.until - at).total_seconds() / 86_400
        moment = Moment(room.id, projection.id, line.receptor, person, days_ago)
        taped_cm = line.sid_cm * (chance.choice((0.92, 1.08)) if chance.random() < 0.03 else 1)
        body = projection.composition
        fat_shift = chance.gauss(0, UNKNOWN_BUILD * body.fat_spread)
        bone_scale = math.exp(chance.gauss(0, body.bone_spread))
        needed = needed_mas(room, plan, true_cm, set_to.kvp, taped_cm, fat_shift, bone_scale)
        target = derived.forecast.target_ei or 250
        other = math.exp(chance.gauss(0, OTHER_SPREAD)) * 10 ** (index_di(moment) / 10)
        # A chamber ends the exposure when it has enough, for whatever body.
        mas = float(f"{needed:.3g}") if control == "aec" else set_to.mas
        if control != "aec" and (more := set_di(moment)):
            mas = nearest_setting("mas", mas * 10 ** (more * chance.uniform(0.4, 1.6) / 10), room.generator.mas, "mAs")
        ei = max(int(EI_RANGE[0]), round(target * mas / needed * other))
        di = deviation_index(ei, target)
        reason = "R03" if di < -3 else chance.choice(("R01", "R01", "R02", "R06")) if _spoiled(chance) else None
        kerma = _of(derived.forecast.incident_air_kerma_mgy, mas / set_to.mas)
        return Exposure(
            room=room.id,
            chart=chart.id,
            chart_version=chart.version,
            line_key=line.key,
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
            incident_air_kerma_mgy=kerma,
            far_over=bool(far_over(di, True, kerma, projection.usual_kerma_mgy)),
            kap_mgycm2=_of(derived.forecast.kap_mgycm2, mas / set_to.mas),
            reject_reason=reason,
            findings=("motion",) if reason == "R06" else (),
            age_band=chance.choices(("adult", "older_adult", "15y"), (7, 2, 1))[0],
            recorded_by=person,
            recorded_as="keeper" if person == JOREN else "technologist",
            taken_at=at.isoformat(timespec="milliseconds"),
        )

    def _suggest(self, line: ChartLine, read_cm: float, control: ExposureControl) -> Derived | None:
        key = (line.key, read_cm, control)
        if key not in self._suggested:
            projection, setup = catalogue.projection(line.projection), Setup(exposure_control=control)
            try:
                self._suggested[key] = derive(line, self.room, projection, Patient(read_cm), setup, self.chart.grid_table)
            except Refusal:
                self._suggested[key] = None
        return self._suggested[key]


def _of(dose: float | None, share: float) -> float | None:
    return None if dose is None else dose * share


def _spoiled(chance: random.Random) -> bool:
    return chance.random() < _POSITIONING_REJECTS


def _matches(plan: Plan, projection: str, support: str) -> bool:
    return (plan.projection, plan.support) == (projection, support)


def _working_moment(chance: random.Random, until: datetime, days: tuple[int, int]) -> datetime:
    """A moment between 7:30 and 17:30 on a weekday before `until`."""
    while True:
        day = until - timedelta(days=chance.randint(days[1], days[0]))
        if day.weekday() < 5:
            midnight = day.replace(hour=0, minute=0, second=0, microsecond=0)
            return midnight + timedelta(minutes=chance.uniform(450, 1050))
