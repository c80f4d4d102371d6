"""The schools of charting: one part, one receptor exposure, and six ways to write its technique over thickness.

Switching keeps the receptor exposure at the line's own thickness; what the schools then make of other thicknesses, and what
it costs in dose, contrast and time, is laid side by side. Where schools disagree none is called right: each says what it is.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Literal

import numpy as np

from oakbeam.core import rules
from oakbeam.core.beam.model import evaluate
from oakbeam.core.beam.quality import contrast, detail_of
from oakbeam.core.chart import Band, Banded, ChartLine, FixedKvp, VariableKvp, check_line, usual_bands
from oakbeam.core.drafting import KVP_PER_CM, KVP_PER_CM_FROM
from oakbeam.core.levelcheck import best_doubling_cm, strip
from oakbeam.core.levelling import level, signals_per_mas
from oakbeam.core.modelling import beam_setup, part_of, usual_field
from oakbeam.core.projection import Projection
from oakbeam.core.refusal import Refusal
from oakbeam.core.room import Room
from oakbeam.core.stations import put_on_stations

ChartSchool = Literal["fixed_kvp", "variable_kvp", "high_kvp", "banded", "levelled", "aec"]
SCHOOLS: Mapping[ChartSchool, str] = {
    "fixed_kvp": "One kVp for a part, mAs follows the thickness. Contrast is the same for everybody; easy to remember.",
    "variable_kvp": "One mAs for a part, kVp climbs with each centimetre. Fine steps where mAs stations are coarse; "
    "contrast falls and dose rises less as patients get thicker.",
    "high_kvp": "Fixed, at the upper end of what the part bears: less dose and shorter times, less contrast, more scatter.",
    "banded": "Small, average, large: what fits on a card. Within a band the exposure strays.",
    "levelled": "mAs from the beam model at each thickness, kVp in steps for thick parts: the exposure index stays level.",
    "aec": "The chamber ends the exposure; the mAs here is its prediction, the manual technique where it cannot be covered.",
}
HIGH_KVP_ABOVE = 10.0
"""How far above the usual window the high school goes [kV]."""
TRUNK_KVP_PER_CM = 3.0
"""Taught for large trunk parts and above 85 kVp; 2 otherwise."""
PLACES = 25


def as_school(line: ChartLine, room: Room, projection: Projection, school: ChartSchool, taught: bool = False) -> ChartLine:
    """The line written by another school, with the same receptor exposure at its own thickness by the beam model.

    taught: with the parameters as taught (4.5 cm doubling, 2 kVp per cm) and not fitted to the part. A line that followed
    another no longer does. Raises Refusal where the room cannot serve the school.
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
        doubling = rules.DEFAULT_DOUBLING_CM if taught else best_doubling_cm(start, room, projection, kvp)
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
    per_cm = TRUNK_KVP_PER_CM if trunk and not taught else rules.DEFAULT_KVP_PER_CM
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
class SchoolView:
    """One school's line for the part, over its range; refusal where the room or the part cannot have it."""

    school: ChartSchool
    says: str
    line: ChartLine | None
    worst_di: float | None
    places: tuple[Place, ...]
    refusal: str | None = None


def side_by_side(line: ChartLine, room: Room, projection: Projection) -> tuple[SchoolView, ...]:
    """The line in every school, with DI, dose, contrast of the region's detail, and time over thickness."""
    found = []
    for school, says in SCHOOLS.items():
        try:
            written = as_school(line, room, projection, school)
            found.append(_view(school, says, written, room, projection))
        except Refusal as refusal:
            found.append(SchoolView(school, says, None, None, (), refusal.detail))
    return tuple(found)


def _view(school: ChartSchool, says: str, line: ChartLine, room: Room, projection: Projection) -> SchoolView:
    checked = strip(line, room, projection)
    return SchoolView(school, says, line, checked.worst_di if checked else None, over_thickness(line, room, projection))


@lru_cache(maxsize=256)
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
            on = put_on_stations(room, projection, *line.law.at(thickness_cm))
            setup = beam_setup(room, on.kvp, line.sid_cm, support, line.grid_ratio, receptor, field)
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
