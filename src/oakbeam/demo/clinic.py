"""The invented Lindenmoor Clinic: two fixed rooms, a portable unit, and their approved charts.

Nothing here was measured on a real patient or machine. docs/demo-data.md explains where the numbers come from: the lines are
what the physics model needs for the average adult in that room, on the room's stations.
"""

from __future__ import annotations

import functools
from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from oakbeam import catalogue
from oakbeam.core.anatomy.composition import part_of
from oakbeam.core.chart_making.from_exposure import AcceptedExposure, line_from_exposure
from oakbeam.core.chart_making.from_model import CHILDREN_NOTE, drafted_line, drafted_lines, smallest_cm
from oakbeam.core.charts.line import ChartLine, usual_range_cm
from oakbeam.core.charts.systems import Band, Banded, SystemName
from oakbeam.core.charts.validation import check_line
from oakbeam.core.equipment.generator import FocalSpot, Generator, PowerPoint, nearest_setting, renard_r10
from oakbeam.core.equipment.room import Aec, Filter, Grid, Receptor, Room, Support, Tube
from oakbeam.core.equipment.room_beam import beam_setup, usual_field, wanted_rqa5_ugy
from oakbeam.core.equipment.templates import outputs_along_spectrum
from oakbeam.core.patient.thickness import LIMB_SHARE, usual_child_cm
from oakbeam.core.physics import rules_of_thumb
from oakbeam.core.physics.beam.model import rqa5_equivalent_ugy
from oakbeam.core.projection import Projection, SupportId
from oakbeam.store import people

NAME = "Lindenmoor Clinic"
AUTHOR, APPROVER = "joren", "ilse"
PASSWORD = "oak and beam"
"""Everybody's in the demo, and offered on its sign-in page."""
PEOPLE: tuple[tuple[str, str, tuple[people.Role, ...]], ...] = (
    ("tamsin", "Tamsin Orrel", ("technologist",)),
    (AUTHOR, "Joren Vask", ("technologist", "keeper")),
    (APPROVER, "Ilse Marrow", ("physicist",)),
    ("pim", "Pim Adler", ("trainee",)),
    ("noor", "Noor Fenwick", ("admin",)),
)
_KVPS = tuple(float(kvp) for kvp in range(40, 151))


def room_1() -> Room:
    """A fixed digital room with a table and an upright Bucky, and a cassette kept for the days the network is down."""
    small = FocalSpot("small", 0.6, (PowerPoint(10, 34), PowerPoint(100, 28), PowerPoint(1000, 20), PowerPoint(6300, 9)))
    large = FocalSpot("large", 1.2, (PowerPoint(10, 82), PowerPoint(100, 72), PowerPoint(1000, 48), PowerPoint(6300, 20)))
    generator = Generator(
        _KVPS, renard_r10(10, 630), renard_r10(0.25, 500), renard_r10(1, 6300), (small, large), mas_ceiling=500
    )
    supports = (
        Support("tabletop", 0, None),
        Support("table_bucky", 7, Grid(12, 40, 110, (95, 130)), 0.7),
        Support("upright_bucky", 5, Grid(10, 40, 180, (150, 210)), 0.5),
        Support("detector", 1, None),
    )
    receptors = (
        Receptor("panel-43", "Fixed panel 43×43", "dr_csi", (43, 43), 250, None),
        Receptor("panel-24", "Loose panel 24×30", "dr_csi", (24, 30), 400, None),
        Receptor("panel-35", "Loose panel 35×43", "dr_csi", (35, 43), 300, None),
        Receptor("plate-24", "Storage plate 24×30", "cr", (24, 30), 500, None),
        Receptor("film-24", "Film cassette 24×30, speed 200", "film_screen", (24, 30), None, 200),
    )
    tube = Tube(3.2, cathode_at="foot end")
    outputs = outputs_along_spectrum((40, 50, 60, 70, 80, 90, 100, 120, 140, 150), 48, tube)
    copper = (Filter("cu-01", "1 mm Al + 0.1 mm Cu", 1, 0.1), Filter("cu-02", "1 mm Al + 0.2 mm Cu", 1, 0.2))
    loose = (Grid(6, 40, 110, (90, 140)),)
    return Room("room-1", "Room 1", generator, outputs, supports, receptors, loose, tube, school="rules", filters=copper)


def room_2() -> Room:
    """An older fixed room: storage plates, an 8:1 fibre grid in the table, a tube with less filtration, a steeper anode."""
    small = FocalSpot("small", 0.6, (PowerPoint(10, 27), PowerPoint(100, 22), PowerPoint(1000, 15), PowerPoint(5000, 7)))
    large = FocalSpot("large", 1.2, (PowerPoint(10, 62), PowerPoint(100, 54), PowerPoint(1000, 36), PowerPoint(5000, 15)))
    generator = Generator(
        _KVPS[:-14], renard_r10(25, 500), renard_r10(1, 400), renard_r10(2, 5000), (small, large), mas_ceiling=400
    )
    supports = (
        Support("tabletop", 0, None),
        Support("table_bucky", 8, Grid(8, 36, 100, (85, 120), 0.05, "fibre", 0.4), 0.9),
        Support("upright_bucky", 6, Grid(12, 36, 150, (125, 200), 0.05, "fibre", 0.4), 0.6),
        Support("detector", 1, None),
    )
    receptors = (
        Receptor("plate-35", "Storage plate 35×43", "cr", (35, 43), 400, None, (("spine", 320), ("chest", 500))),
        Receptor("plate-24", "Storage plate 24×30", "cr", (24, 30), 500, None),
        Receptor("film-18", "Film cassette 18×24, speed 100", "film_screen", (18, 24), None, 100),
    )
    tube = Tube(2.7, 0.0, 14.0)
    outputs = outputs_along_spectrum((40, 55, 70, 81, 100, 121, 136), 53, tube)
    return Room("room-2", "Room 2", generator, outputs, supports, receptors, (), tube, Aec(("C",), 1.2, 10), "model")


def portable() -> Room:
    """A battery-driven unit with a loose panel and a clip-on grid; no Bucky, no AEC."""
    tube = Tube(3.5)
    single = FocalSpot("large", 0.8, (PowerPoint(10, 30), PowerPoint(100, 24), PowerPoint(500, 14), PowerPoint(2000, 7)))
    generator = Generator(_KVPS[:-25], renard_r10(50, 320), renard_r10(0.32, 200), (), (single,), mas_ceiling=200)
    receptors = (
        Receptor("panel-35", "Loose panel 35×43", "dr_gos", (35, 43), 300, None),
        Receptor("panel-24", "Loose panel 24×30", "dr_gos", (24, 30), 400, None),
    )
    return Room(
        "portable",
        "Portable unit",
        generator,
        outputs_along_spectrum((40, 60, 80, 100, 125), 44, tube),
        (Support("detector", 1, None),),
        receptors,
        (Grid(6, 60, 110, (90, 140), 0.03, "fibre", 0.2),),
        tube,
        None,
        "rules",
    )


@dataclass(frozen=True, slots=True)
class Plan:
    """A line that the clinic's chart keeper wants: the conditions, the technique system and the kVp at average thickness."""

    projection: str
    receptor: str
    support: SupportId
    grid_ratio: int
    sid_cm: float
    kvp: float
    school: SystemName = "fixed_kvp"
    parameter: float = rules_of_thumb.DEFAULT_DOUBLING_CM
    field_cm: tuple[float, float] | None = None


@dataclass(frozen=True, slots=True)
class ChartPlan:
    """A room's chart: its name, the lines wanted, and what it lacks, said by name."""

    name: str
    plans: tuple[Plan, ...]
    lacks: str = ""


_WIDE, _TALL = (35.0, 43.0), (20.0, 43.0)
CHARTS: Mapping[str, ChartPlan] = {
    "room-1": ChartPlan(
        "Room 1 adult chart",
        (
            Plan("hand-pa", "panel-24", "tabletop", 0, 100, 57, parameter=2.5),
            Plan("hand-oblique", "panel-24", "tabletop", 0, 100, 58, parameter=2.5),
            Plan("hand-lateral", "panel-24", "tabletop", 0, 100, 62, parameter=2.5),
            Plan("elbow-ap", "panel-24", "tabletop", 0, 100, 63, parameter=3),
            Plan("elbow-oblique-external", "panel-24", "tabletop", 0, 100, 63, parameter=3),
            Plan("elbow-lateral", "panel-24", "tabletop", 0, 100, 63, parameter=3),
            Plan("knee-ap", "panel-24", "tabletop", 0, 100, 66, "variable_kvp", 2),
            Plan("knee-ap", "panel-43", "table_bucky", 12, 107, 72, parameter=3.5, field_cm=(24, 30)),
            Plan("knee-lateral", "panel-24", "tabletop", 0, 100, 65, "variable_kvp", 2),
            Plan("chest-pa", "panel-43", "upright_bucky", 10, 180, 117, "banded", field_cm=_WIDE),
            Plan("chest-lateral", "panel-43", "upright_bucky", 10, 180, 120, parameter=7, field_cm=_WIDE),
            Plan("abdomen-supine", "panel-43", "table_bucky", 12, 107, 78, parameter=4, field_cm=_WIDE),
            Plan("abdomen-upright", "panel-43", "upright_bucky", 10, 180, 85, parameter=4, field_cm=_WIDE),
            Plan("lspine-ap", "panel-43", "table_bucky", 12, 107, 80, parameter=4.5, field_cm=_TALL),
            Plan("lspine-lateral", "panel-43", "table_bucky", 12, 107, 92, parameter=4.5, field_cm=_TALL),
        ),
    ),
    "room-2": ChartPlan(
        "Room 2 chart, storage plates",
        (
            Plan("hand-pa", "plate-24", "tabletop", 0, 100, 55, parameter=2.5),
            Plan("elbow-ap", "plate-24", "tabletop", 0, 100, 60, "levelled", 0),
            Plan("elbow-lateral", "plate-24", "tabletop", 0, 100, 60, "levelled", 0),
            Plan("knee-ap", "plate-24", "tabletop", 0, 100, 65, "levelled", 0),
            Plan("knee-lateral", "plate-24", "tabletop", 0, 100, 65, "levelled", 0),
            Plan("chest-pa", "plate-35", "upright_bucky", 12, 180, 115, "levelled", 0, _WIDE),
            Plan("chest-lateral", "plate-35", "upright_bucky", 12, 180, 120, "levelled", 0, _WIDE),
            Plan("abdomen-supine", "plate-35", "table_bucky", 8, 100, 76, "levelled", 1, _WIDE),
            Plan("lspine-ap", "plate-35", "table_bucky", 8, 100, 80, "levelled", 1, _TALL),
            Plan("lspine-lateral", "plate-35", "table_bucky", 8, 100, 90, "levelled", 1, _TALL),
        ),
        "Lacks skull and sinuses, infants, whole spine and long legs: Room 1 has them.",
    ),
    "portable": ChartPlan(
        "Portable chart",
        (
            Plan("hand-pa", "panel-24", "detector", 0, 100, 57, parameter=2.5),
            Plan("elbow-ap", "panel-24", "detector", 0, 100, 63, parameter=3),
            Plan("knee-ap", "panel-24", "detector", 0, 100, 68, parameter=3.5),
            Plan("knee-lateral", "panel-24", "detector", 0, 100, 68, parameter=3.5),
            Plan("chest-pa", "panel-35", "detector", 0, 180, 90, parameter=6, field_cm=_WIDE),
            Plan("abdomen-supine", "panel-35", "detector", 6, 110, 80, parameter=4, field_cm=_WIDE),
        ),
        "For the bedside: lacks obliques, skull and the spine but for horizontal beam; those come to Room 1.",
    ),
}


def rooms() -> tuple[Room, ...]:
    """The clinic's rooms."""
    return room_1(), room_2(), portable()


def needed_mas(
    room: Room, plan: Plan, thickness_cm: float, kvp: float, sid_cm: float, fat_shift: float = 0.0, bone_scale: float = 1.0
) -> float:
    """mAs that a simulated patient needs for the target index under a plan's conditions, by the physics model."""
    projection, receptor = catalogue.projection(plan.projection), room.receptor(plan.receptor)
    field = usual_field(plan.field_cm, projection, receptor)
    setup = beam_setup(room, kvp, sid_cm, room.support(plan.support), plan.grid_ratio, receptor, field)
    average = projection.thickness_cm[1]
    part = part_of(projection.composition, average, np.array([thickness_cm]), None, (), fat_shift, bone_scale)
    target = receptor.target_for(projection.region)
    return wanted_rqa5_ugy(receptor, target) / float(rqa5_equivalent_ugy(setup, part)[0])


@functools.cache
def chart_lines(room: Room) -> tuple[ChartLine, ...]:
    """The room's chart: each plan at its projection's average thickness, rounded to the room's mAs settings; then, for the
    projections that the keeper left to the model, drafted lines."""
    planned = tuple(_line(plan, room) for plan in CHARTS[room.id].plans)
    children = tuple(line for one in planned if room.id != "room-2" and (line := _for_children(one, room)))
    there = {(line.projection, line.support) for line in planned}
    drafted = drafted_lines((one for one in catalogue.shipped().projections.values() if _left_to_model(one, room)), room)
    return (*planned, *children, *(line for line in drafted if _new(line, there)))


def _new(line: ChartLine, there: set[tuple[str, SupportId]]) -> bool:
    return (line.projection, line.support) not in there or line.note == CHILDREN_NOTE


def _for_children(line: ChartLine, room: Room) -> ChartLine | None:
    """A drafted line below a planned one without grid, down to the smallest child."""
    projection = catalogue.projection(line.projection)
    sizes = [cm for band in LIMB_SHARE if (cm := usual_child_cm(projection, band)) is not None]
    low = line.range_cm[0]
    if line.grid_ratio or not sizes or min(sizes) >= low:
        return None
    reach = (smallest_cm(projection, sizes), low)
    return drafted_line(projection, room, room.support(line.support), 0, None, reach, low, CHILDREN_NOTE)


def _left_to_model(projection: Projection, room: Room) -> bool:
    """Room 1 takes everything; Room 2 limbs, pelvis and spine; the portable unit what is done where the patient lies."""
    if room.id == "room-1":
        return True
    if room.id == "room-2":
        return projection.region in ROOM_2_REGIONS and projection.child != "own" and projection.exam not in ROOM_1_ONLY
    return projection.supports[0] == "detector" or projection.id in AT_THE_BEDSIDE


ROOM_2_REGIONS = ("upper_limb", "shoulder", "lower_limb", "pelvis", "spine")
ROOM_1_ONLY = ("Scoliosis", "Long legs")
AT_THE_BEDSIDE = (
    *("hand-lateral", "wrist-pa", "wrist-lateral", "forearm-ap", "forearm-lateral", "elbow-lateral", "humerus-ap"),
    *("shoulder-ap-neutral", "foot-ap", "ankle-ap", "ankle-lateral", "tibfib-ap", "tibfib-lateral"),
    *("femur-ap-distal", "femur-ap-proximal", "hip-ap", "pelvis-ap"),
)


def _line(plan: Plan, room: Room) -> ChartLine:
    projection = catalogue.projection(plan.projection)
    low, high = usual_range_cm(projection)

    def station(thickness_cm: float) -> float:
        return nearest_setting("mas", needed_mas(room, plan, thickness_cm, plan.kvp, plan.sid_cm), room.generator.mas, "mAs")

    small, average, large = projection.thickness_cm
    blank = ChartLine(
        plan.projection,
        plan.receptor,
        plan.support,
        plan.grid_ratio,
        plan.sid_cm,
        (low, high),
        Banded(()),
        None,
        plan.field_cm,
    )
    if plan.school == "banded":
        edges = (low, (small + average) / 2, (average + large) / 2, high)
        bands = tuple(
            Band(name, a, b, plan.kvp, station((a + b) / 2))
            for name, a, b in zip(("small", "average", "large"), edges, edges[1:], strict=False)
        )
        return check_line(replace(blank, law=Banded(bands)), projection, room)
    exposure = AcceptedExposure(average, plan.kvp, station(average))
    return line_from_exposure(exposure, blank, projection, room, plan.school, plan.parameter)
