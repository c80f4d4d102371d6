"""The programs of a room's generator: what is stored there for each view and size, as its chart says it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, fields

from oakbeam.core.charts.line import ChartLine
from oakbeam.core.charts.printed_page import AGE_WORDS, for_children
from oakbeam.core.equipment.generator import ExposureControl, SpotName, aec_backup_mas
from oakbeam.core.equipment.room import Room
from oakbeam.core.equipment.settings import nearest_generator_setting
from oakbeam.core.errors import Refusal
from oakbeam.core.patient.thickness import usual_children
from oakbeam.core.projection import Projection

SIZES = ("small", "average", "large")


@dataclass(frozen=True, slots=True)
class Stored:
    """What is typed into the generator: kVp, mAs (under AEC its back-up), mA, time [ms], focal spot; AEC chambers joined by
    "+" and density step, "" and 0 where the exposure is by hand."""

    kvp: float
    mas: float
    ma: float
    time_ms: float
    focal_spot: SpotName
    exposure_control: ExposureControl
    aec_cells: str = ""
    aec_density: int = 0


@dataclass(frozen=True, slots=True)
class Program:
    """One program: of which line (by key) and size, for a part of thickness_cm."""

    line_key: int
    projection: str
    support: str
    size: str
    thickness_cm: float
    stored: Stored


def programs(lines: Iterable[ChartLine], room: Room, projections: Mapping[str, Projection]) -> tuple[Program, ...]:
    """A program for each line and size, in the chart's order; none for what the room cannot set."""
    return tuple(one for line in lines for one in _of_line(line, room, projections[line.projection]))


def _of_line(line: ChartLine, room: Room, projection: Projection) -> Iterator[Program]:
    if line.key is None:
        return
    for size, cm in _sizes(line, projection):
        try:
            stored = _stored(line, room, projection, cm)
        except Refusal:
            continue
        yield Program(line.key, line.projection, line.support, size, cm, stored)


def _sizes(line: ChartLine, projection: Projection) -> Iterator[tuple[str, float]]:
    """(size in words, thickness [cm]) of the usual patients that a line serves."""
    low, high = line.range_cm
    if for_children(line, projection):
        found = [(AGE_WORDS[age], cm) for age, cm in usual_children(projection, line.range_cm)]
    else:
        found = [(size, cm) for size, cm in zip(SIZES, projection.thickness_cm, strict=True) if low <= cm <= high]
    yield from found or [("all", line.thickness_cm)]


def _stored(line: ChartLine, room: Room, projection: Projection, thickness_cm: float) -> Stored:
    kvp, mas = line.law.at(thickness_cm)
    on = nearest_generator_setting(room, projection, kvp, mas, line.exposure_control)
    by_aec = line.exposure_control == "aec" and room.aec is not None
    backup = aec_backup_mas(room.generator, mas, room.aec.backup_factor) if by_aec and room.aec else on.mas
    return Stored(
        on.kvp,
        backup,
        on.loading.ma,
        round(on.loading.time_ms, 1),
        on.loading.focal_spot,
        line.exposure_control,
        (line.aec_cells or projection.aec_cells) if by_aec else "",
        line.aec_density if by_aec else 0,
    )


NAMES: Mapping[str, str] = {
    "kvp": "kVp",
    "mas": "mAs",
    "ma": "mA",
    "time_ms": "ms",
    "focal_spot": "focus",
    "exposure_control": "control",
    "aec_cells": "chambers",
    "aec_density": "density",
}


def differences(entered: Stored, charted: Stored) -> tuple[str, ...]:
    """What the generator holds against what the chart says now, "mAs 25, now 32"; nothing where they agree."""
    found = []
    for one in fields(Stored):
        was, now = getattr(entered, one.name), getattr(charted, one.name)
        if was != now:
            found.append(f"{NAMES[one.name]} {_said(was)}, now {_said(now)}")
    return tuple(found)


def _said(value: object) -> str:
    return f"{value:g}" if isinstance(value, int | float) else str(value) or "none"
