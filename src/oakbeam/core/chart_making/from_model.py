"""A whole chart from the physics model: for each projection the conditions that a room offers, and a line held level.

A drafted line is a starting point: the room's output, filtration and index scale are in it, its patients are not.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Iterator
from contextlib import suppress

import numpy as np

from oakbeam.core.anatomy.composition import part_of
from oakbeam.core.charts.levelled import level
from oakbeam.core.charts.line import ChartLine, usual_range_cm
from oakbeam.core.charts.systems import Banded
from oakbeam.core.charts.validation import check_line
from oakbeam.core.equipment.room import Grid, Room, Support
from oakbeam.core.equipment.room_beam import beam_setup, usual_field, wanted_rqa5_ugy
from oakbeam.core.equipment.usual import best_support, grid_for, served, smallest_receptor
from oakbeam.core.errors import Refusal
from oakbeam.core.patient.thickness import BELIEVED, LIMB_SHARE, usual_child_cm
from oakbeam.core.physics.beam.model import rqa5_equivalent_ugy
from oakbeam.core.projection import Projection

KVP_PER_CM_FROM = 20.0
"""From this average thickness on, a drafted line steps its kVp: a trunk varies too much for mAs alone."""
KVP_PER_CM = 1.0
STAND_OR_LIE = ("shoulder", "spine", "chest")
"""Regions whose patients are taken as they come: who stands is not made to lie down for a line, nor the other way round."""
CHILDREN_NOTE = "children, no grid; drafted by the physics model"


def drafted_lines(projections: Iterable[Projection], room: Room) -> Iterator[ChartLine]:
    """Lines for the projections that the room can serve: each on its best support; on tabletop and Bucky both where the
    thickness decides between them, on table and wall stand both where patients stand or lie (`STAND_OR_LIE`)."""
    for projection in projections:
        supports = served(projection, room)
        if not supports:
            continue
        wanted = [best_support(projection, room)]
        either = [("tabletop", "table_bucky")]
        if projection.region in STAND_OR_LIE:
            either.append(("table_bucky", "upright_bucky"))
        for pair in either:
            twins = [support for support in supports if support.id in pair]
            wanted += [twin for twin in twins if len(twins) == 2 and twin not in wanted]
        for support in wanted:
            with suppress(Refusal):
                yield drafted_line(projection, room, support)
        with suppress(Refusal):
            yield from _child_lines(projection, room)


def _child_lines(projection: Projection, room: Room) -> Iterator[ChartLine]:
    """A line without grid for the children below the adult line's range, where that has a grid: they need none."""
    sizes = [cm for band in LIMB_SHARE if (cm := usual_child_cm(projection, band)) is not None]
    support = best_support(projection, room)
    if not sizes or projection.child == "own" or grid_for(projection, room, support) is None:
        return
    low, high = usual_range_cm(projection)
    if min(sizes) >= low:
        return
    place = next((one for one in served(projection, room) if one.id in ("tabletop", "detector")), support)
    top = max(low, (projection.grid_over_cm or 0) + 2)
    window = projection.kvp_usual(place.id)
    reach = (smallest_cm(projection, sizes), min(top, high))
    yield drafted_line(projection, room, place, 0, window[0], reach, _middle(sizes, top), CHILDREN_NOTE)


def _middle(sizes: list[float], top: float) -> float:
    """The size in the middle of those below the top."""
    below = sorted(cm for cm in sizes if cm <= top) or [min(sizes)]
    return below[len(below) // 2]


def smallest_cm(projection: Projection, sizes: list[float]) -> float:
    """Where a line for children begins: a little below the smallest of them, but no further down than a reading is believed
    without asking (see `measurement.plausibility`), unless the smallest lies there."""
    below, believed = math.floor(2 * 0.8 * min(sizes)) / 2, math.ceil(2 * BELIEVED[0] * projection.thickness_cm[0]) / 2
    return max(0.5, min(min(sizes), max(below, believed)))


def drafted_line(
    projection: Projection,
    room: Room,
    support: Support,
    grid_ratio: int | None = None,
    kvp: float | None = None,
    range_cm: tuple[float, float] | None = None,
    base_cm: float | None = None,
    note: str = "drafted by the physics model",
) -> ChartLine:
    """A levelled line for a projection on a support: the grid by the projection's threshold, the SID the usual one that the
    grid allows, the kVp the middle of the usual window, the mAs by the model at the average patient; each as given where it
    is. Without a grid the range goes down to the smallest child that the projection is for.

    Raises Refusal where the room cannot serve it: no receptor large enough, no station that gives it.
    """
    grid = grid_for(projection, room, support) if grid_ratio is None else room.grid(support, grid_ratio)
    receptor = smallest_receptor(projection, room, support)
    low, high = projection.kvp_usual(support.id)
    base_kvp = float(round((low + high) / 2)) if kvp is None else kvp
    base_cm = base_cm or projection.thickness_cm[1]
    line = ChartLine(
        projection.id,
        receptor.id,
        support.id,
        grid.ratio if grid else 0,
        room.sid_near_cm(projection.sid_cm, support, grid),
        range_cm or _range_cm(projection, grid),
        Banded(()),
        None,
        usual_field(None, projection, receptor),
        note,
        exposure_control="breathing" if projection.breathing[0] == "slow" else "manual",
        origin="model",
    )
    field, added = line.field_cm or projection.field_cm, room.filter(line.filter)
    setup = beam_setup(room, base_kvp, line.sid_cm, support, line.grid_ratio, receptor, field, added=added)
    part = part_of(projection.composition, projection.thickness_cm[1], np.array([base_cm]))
    mas = wanted_rqa5_ugy(receptor, receptor.target_for(projection.region)) / float(rqa5_equivalent_ugy(setup, part)[0])
    per_cm = KVP_PER_CM if base_cm >= KVP_PER_CM_FROM else 0.0
    law = level(line, room, projection, base_cm, base_kvp, mas, per_cm)
    return check_line(
        ChartLine(**{**{name: getattr(line, name) for name in ChartLine.__dataclass_fields__}, "law": law}), projection, room
    )


def _range_cm(projection: Projection, grid: Grid | None) -> tuple[float, float]:
    low, high = usual_range_cm(projection)
    sizes = [cm for band in LIMB_SHARE if (cm := usual_child_cm(projection, band)) is not None]
    return (min(low, smallest_cm(projection, sizes)) if sizes and grid is None else low), high
