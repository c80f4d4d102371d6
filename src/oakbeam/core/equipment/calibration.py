"""Room calibration: readings of tube output, half-value layer and exposure index, what they say, and what would follow.

A physicist enters readings, looks at the fit and at what it changes, and accepts it; only then does the room change.
"""

from __future__ import annotations

import itertools
import math
import statistics
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace

from oakbeam.core.equipment.room import Calibration, Output, Receptor, Room
from oakbeam.core.errors import Refusal, positive, within
from oakbeam.core.image_review import EI_RANGE
from oakbeam.core.physics.beam.model import FILTRATION_RANGE_MM_AL, KVP_RANGE
from oakbeam.core.physics.beam.spectrum import beam_quality

REPRODUCIBLE_WITHIN = 0.05
"""Largest usual coefficient of variation of repeated exposures; local code rules."""
LINEAR_WITHIN = 0.10
"""Largest usual |X1 - X2| / (X1 + X2) of the output per mAs between two mA stations; local code rules."""
FIT_NOTICE = 0.05
"""A residual above this is pointed out: a misread meter, or a tube that does not follow its spectrum."""


@dataclass(frozen=True, slots=True)
class OutputReading:
    """One reading of air kerma free in air: kerma_ugy [µGy] at distance_cm from the focus for kvp, ma and mas."""

    kvp: float
    ma: float
    mas: float
    distance_cm: float
    kerma_ugy: float

    @property
    def at_100_ugy_per_mas(self) -> float:
        """Brought to 1 mAs at 100 cm by the inverse square law [µGy/mAs]."""
        return self.kerma_ugy / self.mas * (self.distance_cm / 100) ** 2


@dataclass(frozen=True, slots=True)
class HvlReading:
    """One half-value layer [mm Al] at a kvp."""

    kvp: float
    hvl_mm_al: float


@dataclass(frozen=True, slots=True)
class IndexReading:
    """The exposure index a receptor showed for a kerma [µGy] at its surface in an RQA5-like beam (70 kV, 21 mm Al added)."""

    receptor: str
    kerma_ugy: float
    ei: float


@dataclass(frozen=True, slots=True)
class OutputPoint:
    """All readings at one kVp: mean output [µGy/mAs at 100 cm], that of the fit, and the residual [%] of the mean.

    change_percent: against what the room gave there before; None where that was not read.
    """

    kvp: float
    readings: int
    output_ugy_per_mas: float
    fitted_ugy_per_mas: float
    residual_percent: float
    change_percent: float | None = None


@dataclass(frozen=True, slots=True)
class Check:
    """Reproducibility or linearity of some readings: the value [%], the usual limit [%], and whether it is kept."""

    name: str
    where: str
    value_percent: float
    limit_percent: float
    kept: bool


@dataclass(frozen=True, slots=True)
class IndexFit:
    """A receptor's index readings: scale (shown over called for) and the largest residual [%] about it."""

    receptor: str
    readings: int
    ei_scale: float
    residual_percent: float


@dataclass(frozen=True, slots=True)
class Fit:
    """What the readings say. room: the room as it would become. notices: what to look at before accepting."""

    room: Room
    outputs: tuple[OutputPoint, ...]
    output_scale: float
    checks: tuple[Check, ...]
    filtration_mm_al: float | None
    hvl_residual_percent: float | None
    indices: tuple[IndexFit, ...]
    notices: tuple[str, ...]


def fit(
    room: Room,
    outputs: Sequence[OutputReading],
    hvls: Sequence[HvlReading] = (),
    indices: Sequence[IndexReading] = (),
) -> Fit:
    """Fit readings to the model of the room's tube and receptors.

    Outputs: the mean at each kVp becomes the room's output there (at least two kVp, or none at all to leave it); beyond them
    the earlier points are carried on. The fit
    that residuals are taken from is the model's output times one scale. HVL: the total filtration that fits best. Index: a
    scale for each receptor read. Raises Refusal where there is nothing to fit, OutOfRange for an impossible reading.
    """
    if not outputs and not hvls and not indices:
        raise Refusal("No reading", "Enter at least one reading.", None, "outputs")
    for reading in outputs:
        within("kvp", reading.kvp, *KVP_RANGE, "kVp")
        for name in ("ma", "mas", "kerma_ugy"):
            positive(name, getattr(reading, name))
        within("distance_cm", reading.distance_cm, 20, 400, "cm")
    filtration, hvl_residual = _filtration(room, hvls) if hvls else (None, None)
    tube = room.tube if filtration is None else replace(room.tube, filtration_mm_al=round(filtration, 2))
    changed = replace(room, tube=tube)
    points, scale = _outputs(changed, outputs)
    if points:
        changed = replace(changed, outputs=_carried_on(room, points), typical_output=False)
    checks = (*_reproducibility(outputs), *_linearity(outputs))
    found = _indices(room, indices)
    scales = {one.receptor: one.ei_scale for one in found}
    changed = replace(changed, receptors=tuple(replace(r, ei_scale=scales.get(r.id, r.ei_scale)) for r in changed.receptors))
    notices = [
        f"{point.kvp:g} kVp lies {point.residual_percent:+.0f} % off the fit: read it again.".replace("-", "−")
        for point in points
        if abs(point.residual_percent) > 100 * FIT_NOTICE
    ]
    notices += [
        f"{check.name} {check.where}: {check.value_percent:.1f} % is over {check.limit_percent:g} %."
        for check in checks
        if not check.kept
    ]
    if filtration is not None and not 2.5 <= filtration <= 8:
        notices.append(f"{filtration:.1f} mm Al of total filtration is unusual: check the HVL readings.")
    return Fit(changed, points, scale, checks, filtration, hvl_residual, found, tuple(notices))


def accepted(found: Fit, at: str, by: str, note: str, instrument: str = "", read_on: str = "", due_on: str = "") -> Room:
    """The room with a fit taken over, and the record of it."""
    largest = max((abs(point.residual_percent) for point in found.outputs), default=0.0)
    points = sum(point.readings for point in found.outputs)
    record = Calibration(at, by, points, largest, note, instrument, read_on, due_on)
    return replace(found.room, calibration=record)


def _outputs(room: Room, readings: Sequence[OutputReading]) -> tuple[tuple[OutputPoint, ...], float]:
    by_kvp: dict[float, list[float]] = defaultdict(list)
    for reading in readings:
        by_kvp[reading.kvp].append(reading.at_100_ugy_per_mas)
    if not by_kvp:
        return (), 1.0
    if len(by_kvp) < 2:
        raise Refusal("One kVp is not enough", "Output needs readings at two kVp or more.", None, "outputs")
    tube = room.tube
    means = {kvp: statistics.fmean(values) for kvp, values in sorted(by_kvp.items())}
    model = {kvp: beam_quality(kvp, tube.filtration_mm_al, tube.filtration_mm_cu, tube.anode_angle_deg)[0] for kvp in means}
    # Each kVp counts once, in the logarithm: the scale is a geometric mean.
    scale = math.exp(statistics.fmean(math.log(means[kvp] / model[kvp]) for kvp in means))
    points = tuple(
        OutputPoint(
            kvp,
            len(by_kvp[kvp]),
            mean,
            scale * model[kvp],
            100 * (mean / (scale * model[kvp]) - 1),
            _change_percent(room, kvp, mean),
        )
        for kvp, mean in means.items()
    )
    return points, scale


def _change_percent(room: Room, kvp: float, output: float) -> float | None:
    if room.typical_output or not room.outputs[0].kvp <= kvp <= room.outputs[-1].kvp:
        return None
    return 100 * (output / room.output_ugy_per_mas(kvp) - 1)


def _carried_on(room: Room, points: Sequence[OutputPoint]) -> tuple[Output, ...]:
    """The outputs as read; beyond the kVp read, the room's earlier points, moved as much as the nearest end was."""
    read = {point.kvp: point.output_ugy_per_mas for point in points}
    low, high = min(read), max(read)
    for earlier in room.outputs:
        end = low if earlier.kvp < low else high
        if not low <= earlier.kvp <= high and room.outputs[0].kvp <= end <= room.outputs[-1].kvp:
            read[earlier.kvp] = earlier.kerma_ugy_per_mas * read[end] / room.output_ugy_per_mas(end)
    return tuple(Output(kvp, round(output, 4)) for kvp, output in sorted(read.items()))


def _reproducibility(readings: Sequence[OutputReading]) -> list[Check]:
    """Coefficient of variation of three or more readings with the same setting."""
    groups: dict[tuple[float, float, float], list[float]] = defaultdict(list)
    for reading in readings:
        groups[reading.kvp, reading.ma, reading.mas].append(reading.at_100_ugy_per_mas)
    found = []
    for (kvp, ma, mas), values in groups.items():
        if len(values) >= 3:
            variation = statistics.stdev(values) / statistics.fmean(values)
            where = f"at {kvp:g} kVp, {ma:g} mA, {mas:g} mAs"
            found.append(_check("Reproducibility", where, variation, REPRODUCIBLE_WITHIN))
    return found


def _linearity(readings: Sequence[OutputReading]) -> list[Check]:
    """|X1 - X2| / (X1 + X2) of the output per mAs between the mA stations next to each other at one kVp."""
    groups: dict[float, dict[float, list[float]]] = defaultdict(lambda: defaultdict(list))
    for reading in readings:
        groups[reading.kvp][reading.ma].append(reading.at_100_ugy_per_mas)
    found = []
    for kvp, stations in groups.items():
        means = sorted((ma, statistics.fmean(values)) for ma, values in stations.items())
        for (low, x1), (high, x2) in itertools.pairwise(means):
            where = f"at {kvp:g} kVp, {low:g} to {high:g} mA"
            found.append(_check("Linearity", where, abs(x1 - x2) / (x1 + x2), LINEAR_WITHIN))
    return found


def _check(name: str, where: str, value: float, limit: float) -> Check:
    return Check(name, where, 100 * value, 100 * limit, value <= limit)


def _filtration(room: Room, readings: Sequence[HvlReading]) -> tuple[float, float]:
    """(total filtration [mm Al] whose HVLs fit best, largest residual [%]), by golden-section search."""
    for reading in readings:
        within("kvp", reading.kvp, *KVP_RANGE, "kVp")
        within("hvl_mm_al", reading.hvl_mm_al, 0.3, 15, "mm Al")
    tube = room.tube

    def off(mm_al: float) -> list[float]:
        return [
            math.log(beam_quality(r.kvp, mm_al, tube.filtration_mm_cu, tube.anode_angle_deg)[1] / r.hvl_mm_al)
            for r in readings
        ]

    low, high = FILTRATION_RANGE_MM_AL
    while high - low > 0.01:
        a, b = high - (high - low) * 0.618, low + (high - low) * 0.618
        if sum(x * x for x in off(a)) < sum(x * x for x in off(b)):
            high = b
        else:
            low = a
    best = (low + high) / 2
    return best, 100 * max(abs(math.expm1(x)) for x in off(best))


def _indices(room: Room, readings: Sequence[IndexReading]) -> tuple[IndexFit, ...]:
    groups: dict[str, list[float]] = defaultdict(list)
    for reading in readings:
        receptor: Receptor = room.receptor(reading.receptor)
        if not receptor.digital:
            raise Refusal("No index on film", f"{receptor.name} gives no exposure index.", None, "receptor")
        within("kerma_ugy", reading.kerma_ugy, 0.1, 1000, "µGy")
        groups[reading.receptor].append(within("ei", reading.ei, *EI_RANGE, "") / (100 * reading.kerma_ugy))
    found = []
    for receptor_id, ratios in groups.items():
        scale = math.exp(statistics.fmean(map(math.log, ratios)))
        found.append(IndexFit(receptor_id, len(ratios), scale, 100 * max(abs(ratio / scale - 1) for ratio in ratios)))
    return tuple(found)
