"""Images with a reliable index as evidence sees them, and what those of one line say of it."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import NamedTuple

import numpy as np

from oakbeam.core.anatomy.composition import PatientPart, beam_and_spread
from oakbeam.core.charts.line import ChartLine
from oakbeam.core.equipment.room import Room
from oakbeam.core.equipment.room_beam import beam_setup, usual_field
from oakbeam.core.errors import Refusal
from oakbeam.core.log.control_chart import control_chart
from oakbeam.core.log.tuning import LineImages, di_per_cm, off_di
from oakbeam.core.patient.patient import CALIPER_SPREAD_CM
from oakbeam.core.projection import Projection

MOST_OF_A_LINE = 400
"""Images of a line that count, the newest."""


class SeriesKey(NamedTuple):
    """Images that belong together: one view under one set of conditions."""

    projection: str
    support: str
    grid_ratio: int
    receptor: str
    exposure_control: str


class SeenImage(NamedTuple):
    """An image with a reliable index as evidence needs it. di: against its own target, moved by what calibrations did to the
    room since. day: since 1970, with its part."""

    id: int
    day: float
    taken_at: str
    projection: str
    support: str
    grid_ratio: int
    receptor: str
    filter: str | None
    exposure_control: str
    thickness_cm: float
    thickness_from: str
    thickness_spread_cm: float | None
    di: float
    target_ei: float | None
    kvp: float
    mas: float
    suggested_kvp: float | None
    suggested_mas: float | None
    sid_cm: float
    chart_version: int | None
    line_key: int | None
    recorded_by: str | None
    sex: str | None
    weight_kg: float | None
    height_cm: float | None
    outcome: str

    @property
    def series(self) -> SeriesKey:
        return SeriesKey(self.projection, self.support, self.grid_ratio, self.receptor, self.exposure_control)


def of_line(found: Iterable[SeenImage], line: ChartLine) -> list[SeenImage]:
    """Those of some images that were made under a line's own conditions and within its range, by hand."""
    low, high = line.range_cm
    return [
        one
        for one in found
        if one.projection == line.projection
        and (one.support, one.grid_ratio, one.receptor, one.filter)
        == (line.support, line.grid_ratio, line.receptor, line.filter)
        and one.exposure_control != "aec"
        and low <= one.thickness_cm <= high
    ]


def line_images(seen: Iterable[SeenImage], line: ChartLine, room: Room, projection: Projection) -> LineImages | None:
    """What a line's images say, from its last change of level on; None where they say nothing."""
    own = of_line(seen, line)[-MOST_OF_A_LINE:]
    if not own or line.exposure_control == "aec" or not room.receptor(line.receptor).digital:
        return None
    target = room.receptor(line.receptor).target_for(projection.region, line.target_ei)
    cm = np.array([one.thickness_cm for one in own])
    moved = [10 * math.log10(one.target_ei / target) if one.target_ei and target else 0.0 for one in own]
    try:
        off = off_di(
            line,
            room,
            projection,
            cm,
            np.array([one.di for one in own]) + np.array(moved),
            np.array([one.kvp for one in own]),
            np.array([one.mas for one in own]),
            np.array([one.sid_cm for one in own]),
        )
        per_cm = max(0.05, di_per_cm(line, room, projection))
        patient_di = _patient_di(line, room, projection)
    except Refusal:
        return None
    shifts = control_chart(list(off), [one.day for one in own]).shifts
    since = shifts[-1].begins if shifts else 0
    spread = np.array([one.thickness_spread_cm or CALIPER_SPREAD_CM for one in own])
    return LineImages(line, cm[since:], spread[since:], off[since:], patient_di, per_cm, projection.composition.site)


def _patient_di(line: ChartLine, room: Room, projection: Projection) -> float:
    """The spread of patients at a line's own thickness, as the model estimates it [DI]."""
    receptor, kvp = room.receptor(line.receptor), line.law.at(line.thickness_cm)[0]
    field = usual_field(line.field_cm, projection, receptor)
    added = room.filter(line.filter)
    setup = beam_setup(room, kvp, line.sid_cm, room.support(line.support), line.grid_ratio, receptor, field, added=added)
    average = projection.thickness_cm[1]
    part = PatientPart(projection.composition, average, line.thickness_cm, None, (), CALIPER_SPREAD_CM)
    return max(0.2, beam_and_spread(setup, part)[1])
