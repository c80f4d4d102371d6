"""The invented Lindenmoor Clinic: Room 1, its approved chart, and the attenuation its simulated patients have.

Nothing here was measured on a real patient or machine. docs/demo-data.md explains where the numbers come from; `needed_mas`
is the whole of it.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

from oakbeam import catalogue
from oakbeam.core import rules
from oakbeam.core.chart import Band, Banded, ChartLine, FixedKvp, Law, VariableKvp, check_line, usual_range_cm
from oakbeam.core.generator import FocalSpot, Generator, PowerPoint, nearest_station, renard_r10
from oakbeam.core.room import Grid, Output, Receptor, Room, Support, SupportId

CLINIC = "Lindenmoor Clinic (invented)"
CHART_NAME = "Room 1 adult chart"
AUTHOR, APPROVER = "chart keeper", "physicist"


def output_ugy_per_mas(kvp: float) -> float:
    """Room 1's tube output [µGy/mAs at 100 cm]: 48 at 80 kVp, rising with the power 2.1 (usual for about 3 mm Al)."""
    return 48 * math.pow(kvp / 80, 2.1)


def room_1() -> Room:
    """A fixed digital room with a table and an upright Bucky, and a cassette kept for the days the network is down."""
    stations = tuple(float(kvp) for kvp in range(40, 151))
    small = FocalSpot("small", 0.6, (PowerPoint(10, 34), PowerPoint(100, 28), PowerPoint(1000, 20), PowerPoint(6300, 9)))
    large = FocalSpot("large", 1.2, (PowerPoint(10, 82), PowerPoint(100, 72), PowerPoint(1000, 48), PowerPoint(6300, 20)))
    generator = Generator(
        stations, renard_r10(10, 630), renard_r10(0.5, 500), renard_r10(1, 6300), (small, large), mas_ceiling=500
    )
    supports = (
        Support("tabletop", 0, None),
        Support("table_bucky", 7, Grid(12, 40, 110, (95, 130))),
        Support("upright_bucky", 5, Grid(10, 40, 180, (150, 210))),
        Support("detector", 1, None),
    )
    receptors = (
        Receptor("panel-43", "Fixed panel 43×43", "dr_csi", (43, 43), 250, None),
        Receptor("panel-24", "Loose panel 24×30", "dr_csi", (24, 30), 400, None),
        Receptor("plate-24", "Storage plate 24×30", "cr", (24, 30), 500, None),
        Receptor("film-24", "Film cassette 24×30, speed 200", "film_screen", (24, 30), None, 200),
    )
    outputs = tuple(Output(kvp, round(output_ugy_per_mas(kvp), 2)) for kvp in (40, 50, 60, 70, 80, 90, 100, 120, 140, 150))
    return Room("room-1", "Room 1", generator, outputs, supports, receptors, (Grid(6, 40, 110, (90, 140)),))


@dataclass(frozen=True, slots=True)
class Part:
    """What a simulated part is made of: the share of its thickness that attenuates like soft tissue, and bone as the
    centimetres of soft tissue that attenuate as much."""

    tissue_share: float
    bone_as_tissue_cm: float


@dataclass(frozen=True, slots=True)
class Plan:
    """A line that the clinic's chart keeper wants: the part, the conditions, the school and the kVp at average thickness."""

    projection: str
    part: Part
    receptor: str
    support: SupportId
    grid_ratio: int
    sid_cm: float
    kvp: float
    school: str = "fixed_kvp"
    parameter: float = rules.DEFAULT_DOUBLING_CM
    target_ei: float | None = None
    field_cm: tuple[float, float] | None = None


_HAND, _ELBOW, _KNEE = Part(1, 1.2), Part(1, 2.0), Part(1, 2.5)
PLANS = (
    Plan("hand-pa", _HAND, "panel-24", "tabletop", 0, 100, 57, parameter=2.5),
    Plan("hand-oblique", _HAND, "panel-24", "tabletop", 0, 100, 58, parameter=2.5),
    Plan("hand-lateral", _HAND, "panel-24", "tabletop", 0, 100, 62, parameter=2.5),
    Plan("elbow-ap", _ELBOW, "panel-24", "tabletop", 0, 100, 63, parameter=2.5),
    Plan("elbow-oblique-external", _ELBOW, "panel-24", "tabletop", 0, 100, 63, parameter=2.5),
    Plan("elbow-lateral", _ELBOW, "panel-24", "tabletop", 0, 100, 63, parameter=2.5),
    Plan("knee-ap", _KNEE, "panel-24", "tabletop", 0, 100, 66, "variable_kvp", 2.5),
    Plan("knee-ap", _KNEE, "panel-43", "table_bucky", 12, 107, 72, parameter=3, field_cm=(24, 30)),
    Plan("knee-lateral", _KNEE, "panel-24", "tabletop", 0, 100, 65, "variable_kvp", 2.5),
    Plan("chest-pa", Part(0.55, 0), "panel-43", "upright_bucky", 10, 180, 117, "banded", field_cm=(35, 43)),
    Plan("chest-lateral", Part(0.62, 0), "panel-43", "upright_bucky", 10, 180, 120, parameter=7, field_cm=(35, 43)),
    Plan("abdomen-supine", Part(1, 0.5), "panel-43", "table_bucky", 12, 107, 78, parameter=3.5, field_cm=(35, 43)),
    Plan("abdomen-upright", Part(1, 0.5), "panel-43", "upright_bucky", 10, 180, 85, parameter=3.5, field_cm=(35, 43)),
    Plan("lspine-ap", Part(1, 2.5), "panel-43", "table_bucky", 12, 107, 80, parameter=4.5, field_cm=(20, 43)),
    Plan("lspine-lateral", Part(1, 1.5), "panel-43", "table_bucky", 12, 107, 92, parameter=4, field_cm=(20, 43)),
)


def needed_mas(part: Part, thickness_cm: float, kvp: float, sid_cm: float, grid_ratio: int, target_ei: float) -> float:
    """mAs that a simulated part needs for a target exposure index.

    The kerma wanted behind the part (EI_T / 100 µGy, more below 80 kVp where a caesium-iodide panel answers less) over the
    output at the receptor's distance, the part's transmission, and the grid's average factor. Transmission halves every
    2.1 + 0.04 (kVp - 50) cm of soft tissue, scatter counted in.
    """
    response = min(1.0, 0.55 + 0.015 * (kvp - 50))
    halving_cm = 2.1 + 0.04 * (kvp - 50)
    depth_cm = part.tissue_share * thickness_cm + part.bone_as_tissue_cm
    at_receptor = output_ugy_per_mas(kvp) * (100 / sid_cm) ** 2 * math.pow(0.5, depth_cm / halving_cm)
    return target_ei / 100 / response * rules.grid_factor(grid_ratio, kvp) / at_receptor


def chart_lines(room: Room) -> tuple[ChartLine, ...]:
    """The clinic's chart: each plan at its projection's average thickness, rounded to the room's mAs stations."""
    return tuple(_line(plan, room) for plan in PLANS)


def _line(plan: Plan, room: Room) -> ChartLine:
    projection = catalogue.projection(plan.projection)
    low, high = usual_range_cm(projection)
    target = plan.target_ei or room.receptor(plan.receptor).target_ei or 250

    def station(thickness_cm: float) -> float:
        wanted = needed_mas(plan.part, thickness_cm, plan.kvp, plan.sid_cm, plan.grid_ratio, target)
        return nearest_station("mas", wanted, room.generator.mas, "mAs")

    small, average, large = projection.thickness_cm
    law: Law
    if plan.school == "banded":
        edges = (low, (small + average) / 2, (average + large) / 2, high)
        names = ("small", "average", "large")
        law = Banded(
            tuple(
                Band(name, a, b, plan.kvp, station((a + b) / 2)) for name, a, b in zip(names, edges, edges[1:], strict=False)
            )
        )
    elif plan.school == "variable_kvp":
        law = VariableKvp(average, plan.kvp, station(average), plan.parameter)
    else:
        law = FixedKvp(average, plan.kvp, station(average), plan.parameter)
    line = ChartLine(
        plan.projection,
        plan.receptor,
        plan.support,
        plan.grid_ratio,
        plan.sid_cm,
        (low, high),
        law,
        plan.target_ei,
        plan.field_cm,
    )
    return check_line(line, projection, room)
