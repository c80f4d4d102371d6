"""What makes a room's equipment whole: every list in order, every number possible, every chart line still served."""

from __future__ import annotations

import itertools
from collections.abc import Sequence

from oakbeam.core.equipment.generator import Generator
from oakbeam.core.equipment.index_scale import check_scale
from oakbeam.core.equipment.room import METHODS, NO_FILTER, Grid, Receptor, Room, Support
from oakbeam.core.errors import OutOfRange, Refusal, one_of, within
from oakbeam.core.lengths import LENGTH_UNITS
from oakbeam.core.physics.beam.model import (
    ANODE_ANGLE_RANGE_DEG,
    FILTRATION_RANGE_MM_AL,
    FILTRATION_RANGE_MM_CU,
    KVP_RANGE,
    SID_RANGE_CM,
    SUPPORT_RANGE_MM_AL,
    check_grid,
)
from oakbeam.core.physics.rules_of_thumb import GRID_FACTORS_AVERAGE
from oakbeam.core.projection import SUPPORT_NAMES, SUPPORTS

MOST_STATIONS = 300


def check_room(room: Room) -> Room:
    """Return the room when it is whole; raise Refusal or OutOfRange with the field at fault otherwise."""
    if not room.name.strip() or len(room.name) > 80:
        raise Refusal("Name needed", "A room needs a name of at most 80 characters.", None, "name")
    one_of("length_unit", room.length_unit, LENGTH_UNITS)
    _check_generator(room.generator)
    within("tube.filtration_mm_al", room.tube.filtration_mm_al, *FILTRATION_RANGE_MM_AL, "mm Al")
    within("tube.filtration_mm_cu", room.tube.filtration_mm_cu, *FILTRATION_RANGE_MM_CU, "mm Cu")
    within("tube.anode_angle_deg", room.tube.anode_angle_deg, *ANODE_ANGLE_RANGE_DEG, "deg")
    if len(room.tube.cathode_at) > 40:
        raise Refusal("Too long", "Where the cathode is takes at most 40 characters.", None, "tube.cathode_at")
    if len(room.outputs) < 2:
        raise Refusal("Output missing", "The tube output must be known at two kVp or more.", None, "outputs")
    _rising("outputs", [point.kvp for point in room.outputs], *KVP_RANGE, "kVp")
    for point in room.outputs:
        within("outputs", point.kerma_ugy_per_mas, 0.1, 1000, "µGy/mAs")
    _check_supports(room)
    _check_filters(room)
    _unique("receptors", [receptor.id for receptor in room.receptors])
    if not room.receptors:
        raise Refusal("No receptor", "A room needs at least one receptor.", None, "receptors")
    for receptor in room.receptors:
        _check_receptor(receptor)
    if room.aec:
        within("aec.density_step", room.aec.density_step, 1.01, 2.0, "")
        within("aec.minimum_response_ms", room.aec.minimum_response_ms, 0.5, 100, "ms")
        within("aec.backup_factor", room.aec.backup_factor, 1.5, 2.0, "")
        if room.aec.holds not in ("index", "kerma"):
            raise Refusal("Unknown AEC", "A chamber holds the index or its kerma.", ["index", "kerma"], "aec.holds")
        if not room.aec.cells or len(room.aec.cells) > 5:
            raise Refusal("No chamber", "AEC has one to five chambers; a room without AEC leaves it out.", None, "aec.cells")
        _unique("aec.cells", list(room.aec.cells))
    if room.school not in METHODS:
        raise Refusal(
            "Unknown method",
            "A room calculates by rules (of thumb) or by the (physics) model.",
            [*map(str, METHODS)],
            "school",
        )
    return room


def _check_generator(generator: Generator) -> None:
    _rising("generator.kvp", generator.kvp, *KVP_RANGE, "kVp")
    _rising("generator.ma", generator.ma, 0.1, 2000, "mA")
    _rising("generator.mas", generator.mas, 0.01, 2000, "mAs")
    if generator.time_ms:
        _rising("generator.time_ms", generator.time_ms, 0.1, 20_000, "ms")
    within("generator.mas_ceiling", generator.mas_ceiling, generator.mas[0], 2000, "mAs")
    if not generator.focal_spots:
        raise Refusal("No focal spot", "A tube has one focal spot or two.", None, "generator.focal_spots")
    _unique("generator.focal_spots", [spot.name for spot in generator.focal_spots])
    for spot in generator.focal_spots:
        within(f"{spot.name} focus", spot.size_mm, 0.05, 3, "mm")
        if spot.most_ma is not None:
            within(f"{spot.name} focus, most mA", spot.most_ma, generator.ma[0], 2000, "mA")
        _rising(f"{spot.name} focus, times", [point.time_ms for point in spot.power], 0.1, 20_000, "ms")
        powers = [point.power_kw for point in spot.power]
        for power in powers:
            within(f"{spot.name} focus, power", power, 0.1, 200, "kW")
        if any(a < b for a, b in itertools.pairwise(powers)):
            raise Refusal("Power must fall", f"The {spot.name} focus takes less power for longer times.", None, "power")


MOST_DETENTS = 12


def _check_detents(room: Room, support: Support) -> None:
    name = f"{SUPPORT_NAMES[support.id]}, SID detents"
    if len(support.sid_detents) > MOST_DETENTS or any(b <= a for a, b in itertools.pairwise(support.sid_detents)):
        raise Refusal("SID detents", f"{name}: at most {MOST_DETENTS}, from near to far.", None, "supports")
    for one in room.detents_cm(support) if support.sid_detents else ():
        within(name, one, *SID_RANGE_CM, "cm")


def _check_supports(room: Room) -> None:
    if not room.supports:
        raise Refusal("No support", "A room needs at least one support.", None, "supports")
    _unique("supports", [support.id for support in room.supports])
    for support in room.supports:
        if support.id not in SUPPORTS:
            raise Refusal("Unknown support", f"'{support.id}' is not a support.", [*map(str, SUPPORTS)], "supports")
        within(f"{SUPPORT_NAMES[support.id]}, gap", support.gap_cm, 0, 30, "cm")
        within(f"{SUPPORT_NAMES[support.id]}, attenuation", support.attenuation_mm_al, *SUPPORT_RANGE_MM_AL, "mm Al")
        if support.sid_range_cm:
            nearest, furthest = support.sid_range_cm
            within(f"{SUPPORT_NAMES[support.id]}, nearest SID", nearest, *SID_RANGE_CM, "cm")
            within(f"{SUPPORT_NAMES[support.id]}, furthest SID", furthest, nearest, SID_RANGE_CM[1], "cm")
        _check_detents(room, support)
        if support.grid:
            _check_grid(support.grid)
    for grid in room.loose_grids:
        _check_grid(grid)


def _check_grid(grid: Grid) -> None:
    if grid.ratio not in GRID_FACTORS_AVERAGE or not grid.ratio:
        known = [float(ratio) for ratio in GRID_FACTORS_AVERAGE if ratio]
        raise Refusal("Unknown grid ratio", f"A {grid.ratio}:1 grid is not known.", known, "grid.ratio")
    check_grid(grid.strips)
    within("grid.focal_cm", grid.focal_cm, *SID_RANGE_CM, "cm")
    low, high = grid.range_cm
    if not 0 < low <= grid.focal_cm <= high <= SID_RANGE_CM[1]:
        raise OutOfRange(
            "Grid range",
            f"The grid's range of {low:g} to {high:g} cm must hold its focal distance of {grid.focal_cm:g} cm.",
            {"min": 0.0, "max": SID_RANGE_CM[1], "unit": "cm"},
            "grid.range_cm",
        )


MOST_FILTERS = 10
MOST_FILTER_ID, MOST_FILTER_NAME = 60, 80


def _check_filters(room: Room) -> None:
    if len(room.filters) > MOST_FILTERS:
        raise Refusal("Too many filters", f"A room has at most {MOST_FILTERS} selectable filters.", None, "filters")
    _unique("filters", [one.id for one in room.filters])
    tube = room.tube
    for one in room.filters:
        named = one.name.strip() and len(one.name) <= MOST_FILTER_NAME and one.id and len(one.id) <= MOST_FILTER_ID
        if not named or one.id == NO_FILTER:
            raise Refusal("Name needed", f"A filter needs a name and an id other than '{NO_FILTER}'.", None, "filters")
        if one.mm_al + one.mm_cu <= 0:
            raise Refusal("No filter", f"'{one.name}' filters nothing: give mm Al or mm Cu.", None, "filters")
        within(f"{one.name}, mm Al", one.mm_al, 0.0, FILTRATION_RANGE_MM_AL[1] - tube.filtration_mm_al, "mm Al")
        within(f"{one.name}, mm Cu", one.mm_cu, 0.0, FILTRATION_RANGE_MM_CU[1] - tube.filtration_mm_cu, "mm Cu")


def _check_receptor(receptor: Receptor) -> None:
    if not receptor.name.strip() or len(receptor.name) > 80 or not receptor.id or len(receptor.id) > 60:
        raise Refusal("Name needed", "A receptor needs a name and an id.", None, "receptors")
    for size in receptor.size_cm:
        within(f"{receptor.name}, size", size, 5, 130, "cm")
    within(f"{receptor.name}, index over called for", receptor.ei_scale, 0.1, 10, "")
    if receptor.index_scale is not None:
        if not receptor.digital:
            raise Refusal("No index on film", f"{receptor.name} shows no index.", None, "index_scale")
        check_scale(receptor.index_scale)
    if receptor.digital:
        targets = [receptor.target_ei, *(target for _, target in receptor.region_targets)]
        for target in targets:
            within(f"{receptor.name}, target index", float("nan") if target is None else target, 50, 5000, "")
    else:
        within(f"{receptor.name}, speed class", float("nan") if receptor.speed is None else receptor.speed, 10, 1600, "")


def _rising(field: str, values: Sequence[float], low: float, high: float, unit: str) -> None:
    if not values or len(values) > MOST_STATIONS:
        raise Refusal("Empty list", f"{field} needs 1 to {MOST_STATIONS} values.", None, field)
    for value in values:
        within(field, value, low, high, unit)
    if any(a >= b for a, b in itertools.pairwise(values)):
        raise Refusal("Not rising", f"{field} must rise from value to value.", None, field)


def _unique(field: str, values: list[str]) -> None:
    if len(set(values)) < len(values):
        raise Refusal("Stands twice", f"{field} holds the same entry twice.", None, field)
