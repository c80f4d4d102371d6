"""The technique systems of charting: one part, one receptor exposure, and six ways to write its technique over thickness.

Switching keeps the receptor exposure at the line's own thickness; what the technique systems then make of other
thicknesses, and what it costs in dose, contrast and time, is laid side by side. Where technique systems disagree none is
called right: each says what it is.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from oakbeam.core.anatomy.composition import part_of
from oakbeam.core.cache import cached
from oakbeam.core.chart_check.expected_index import index_over_thickness
from oakbeam.core.chart_check.level import best_doubling_cm
from oakbeam.core.chart_making.from_model import KVP_PER_CM, KVP_PER_CM_FROM
from oakbeam.core.charts.levelled import level
from oakbeam.core.charts.line import ChartLine, usual_bands
from oakbeam.core.charts.receptor_exposure import signals_per_mas
from oakbeam.core.charts.systems import Band, Banded, FixedKvp, VariableKvp
from oakbeam.core.charts.validation import check_line
from oakbeam.core.equipment.room import Room
from oakbeam.core.equipment.room_beam import beam_setup, usual_field
from oakbeam.core.equipment.settings import nearest_generator_setting
from oakbeam.core.errors import Refusal
from oakbeam.core.physics import rules_of_thumb
from oakbeam.core.physics.beam.model import evaluate
from oakbeam.core.physics.beam.quality import contrast, detail_of
from oakbeam.core.projection import Projection

TechniqueSystem = Literal["fixed_kvp", "variable_kvp", "high_kvp", "banded", "levelled", "aec"]
SYSTEMS: Mapping[TechniqueSystem, str] = {
    "fixed_kvp": "One kVp for a part, mAs follows the thickness. Contrast is the same for everybody; easy to remember.",
    "variable_kvp": "One mAs for a part, kVp climbs with each centimetre. Fine steps where mAs settings are coarse; "
    "contrast falls and dose rises less as patients get thicker.",
    "high_kvp": "Fixed, at the upper end of what the part bears: less dose and shorter times, less contrast, more scatter.",
    "banded": "Small, average, large: what fits on a card. Within a band the exposure strays.",
    "levelled": "mAs from the physics model at each thickness, kVp in steps for thick parts: the index stays on target.",
    "aec": "The chamber ends the exposure; the mAs here is its prediction, the manual technique where it cannot be covered.",
}
HIGH_KVP_ABOVE = 10.0
"""How far above the usual window high kVp goes [kV]."""
TRUNK_KVP_PER_CM = 3.0
"""Taught for large trunk parts and above 85 kVp; 2 otherwise."""
PLACES = 25


def in_system(
    line: ChartLine, room: Room, projection: Projection, school: TechniqueSystem, taught: bool = False
) -> ChartLine:
    """The line written by another technique system, with the same receptor exposure at its own thickness by the physics
    model.

    taught: with the parameters as taught (4.5 cm doubling, 2 kVp per cm) and not fitted to the part. A line that followed
    another no longer does. Raises Refusal where the room cannot serve the technique system.
    """
    base_cm = line.thickness_cm
    kvp, mas = line.law.at(base_cm)
    window = projection.kvp_usual(line.support)
    if school == "aec" and (room.aec is None or line.support not in ("table_bucky", "upright_bucky")):
        raise Refusal("No AEC here", "There is no chamber behind this receptor.", None, "support")
    if school in ("high_kvp", "aec"):
        top = window[1] + (HIGH_KVP_ABOVE if school == "high_kvp" else 0.0)
        kvp, mas = _moved(line, room, projection, kvp, mas, min(max(top, kvp), room.generator.kvp[-1]))
    free = replace(line, link=None)
    if school in ("fixed_kvp", "high_kvp"):
        start = replace(free, law=FixedKvp(base_cm, kvp, mas))
        doubling = rules_of_thumb.DEFAULT_DOUBLING_CM if taught else best_doubling_cm(start, room, projection, kvp)
        return check_line(replace(free, law=FixedKvp(base_cm, kvp, mas, doubling)), projection, room)
    if school == "variable_kvp":
        return check_line(_variable(free, room, projection, kvp, mas, taught), projection, room)
    if school == "banded":
        return check_line(replace(free, law=_bands(free, room, projection, kvp, mas)), projection, room)
    per_cm = KVP_PER_CM if school == "levelled" and base_cm >= KVP_PER_CM_FROM else 0.0
    return check_line(replace(free, law=level(free, room, projection, base_cm, kvp, mas, per_cm)), projection, room)


def _moved(line: ChartLine, room: Room, projection: Projection, kvp: float, mas: float, to: float) -> tuple[float, float]:
    """(kVp, mAs) of the same receptor exposure at another kVp."""
    here = np.array([line.thickness_cm, line.thickness_cm])
    before, after = signals_per_mas(line, room, projection, here, np.array([kvp, to]))
    return to, mas * float(before / after)


def _variable(line: ChartLine, room: Room, projection: Projection, kvp: float, mas: float, taught: bool) -> ChartLine:
    """kVp per cm as taught for the part; the range is cut where the kVp would leave what a tube or a part bears."""
    base_cm = line.thickness_cm
    trunk = base_cm >= KVP_PER_CM_FROM and kvp > 85
    per_cm = TRUNK_KVP_PER_CM if trunk and not taught else rules_of_thumb.DEFAULT_KVP_PER_CM
    lowest, highest = room.generator.kvp[0], room.generator.kvp[-1]
    low = max(line.range_cm[0], base_cm - (kvp - lowest) / per_cm)
    high = min(line.range_cm[1], base_cm + (highest - kvp) / per_cm)
    return replace(line, range_cm=(low, high), law=VariableKvp(base_cm, kvp, mas, per_cm))


def _bands(line: ChartLine, room: Room, projection: Projection, kvp: float, mas: float) -> Banded:
    """The usual bands, levelled in their middles."""
    bands = usual_bands(projection, line.range_cm)
    middles = np.array([line.thickness_cm, *((low + high) / 2 for _, low, high in bands)])
    signals = signals_per_mas(line, room, projection, middles, np.full(len(middles), kvp))
    return Banded(
        tuple(Band(*band, kvp, float(mas * signals[0] / signal)) for band, signal in zip(bands, signals[1:], strict=True))
    )


@dataclass(frozen=True, slots=True)
class Place:
    """One thickness of a line: the room's stations (None where it has none), what the model expects of them."""

    thickness_cm: float
    kvp: float | None
    mas: float | None
    time_ms: float | None
    di: float | None
    incident_air_kerma_mgy: float | None
    contrast: float | None


@dataclass(frozen=True, slots=True)
class SystemView:
    """One technique system's line for the part, over its range; refusal where the room or the part cannot have it."""

    school: TechniqueSystem
    says: str
    line: ChartLine | None
    worst_di: float | None
    places: tuple[Place, ...]
    refusal: str | None = None


def side_by_side(line: ChartLine, room: Room, projection: Projection) -> tuple[SystemView, ...]:
    """The line in every technique system, with DI, dose, contrast of the region's detail, and time over thickness."""
    found = []
    for school, says in SYSTEMS.items():
        try:
            written = in_system(line, room, projection, school)
            found.append(_view(school, says, written, room, projection))
        except Refusal as refusal:
            found.append(SystemView(school, says, None, None, (), refusal.detail))
    return tuple(found)


def _view(school: TechniqueSystem, says: str, line: ChartLine, room: Room, projection: Projection) -> SystemView:
    checked = index_over_thickness(line, room, projection)
    return SystemView(school, says, line, checked.worst_di if checked else None, over_thickness(line, room, projection))


@cached(256)
def over_thickness(line: ChartLine, room: Room, projection: Projection) -> tuple[Place, ...]:
    """A line at PLACES thicknesses: the stations and what to expect of them, DI about the line's own thickness."""
    places = np.linspace(*line.range_cm, PLACES)
    kvp, mas = line.law.at(line.thickness_cm)
    own = mas * float(signals_per_mas(line, room, projection, np.array([line.thickness_cm]), np.array([kvp]))[0])
    receptor, support = room.receptor(line.receptor), room.support(line.support)
    field, detail = usual_field(line.field_cm, projection, receptor), detail_of(projection.region)
    found = []
    for place in places:
        thickness_cm = float(place)
        try:
            on = nearest_generator_setting(room, projection, *line.law.at(thickness_cm))
            setup = beam_setup(
                room, on.kvp, line.sid_cm, support, line.grid_ratio, receptor, field, added=room.filter(line.filter)
            )
            part = part_of(projection.composition, projection.thickness_cm[1], np.array([thickness_cm]))
            beam = evaluate(setup, part)
        except Refusal:
            found.append(Place(thickness_cm, None, None, None, None, None, None))
            continue
        given = on.mas * float(beam.rqa5_equivalent_kerma_ugy[0])
        found.append(
            Place(
                thickness_cm,
                on.kvp,
                on.mas,
                on.loading.time_ms,
                10 * math.log10(given / own),
                on.mas * float(beam.incident_air_kerma_ugy[0]) / 1000,
                float(contrast(beam, detail)[0]),
            )
        )
    return tuple(found)
