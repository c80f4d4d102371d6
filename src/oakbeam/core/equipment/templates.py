"""Rooms to start from: the equipment that such rooms usually have, to be changed to what stands in the own one.

No figure is of a maker's: stations are preferred numbers (ISO 3, ISO 497), tubes and grids what imaging texts call usual,
the output what a tube of that filtration and 45 µGy/mAs at 80 kVp and 1 m gives over its spectrum. Until somebody reads it,
it is typical.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cache

from oakbeam.core.equipment.generator import FocalSpot, Generator, PowerPoint, renard_r10, renard_r20
from oakbeam.core.equipment.room import Aec, Filter, Grid, Output, Receptor, Room, Support, Tube
from oakbeam.core.physics.beam.spectrum import beam_quality

TYPICAL_OUTPUT_UGY_PER_MAS = 45.0
"""Air kerma at 80 kVp and 100 cm of a usual tube with some 3 mm Al; 30 to 70 is common (after texts, from memory)."""


@dataclass(frozen=True, slots=True)
class RoomTemplate:
    """A room to start from. says: which rooms it is for."""

    id: str
    name: str
    says: str
    room: Room


def outputs_along_spectrum(kvps: Sequence[float], at_80_ugy_per_mas: float, tube: Tube) -> tuple[Output, ...]:
    """Outputs of a tube [µGy/mAs at 100 cm] that gives so much at 80 kVp and follows its spectrum."""
    quality = {
        kvp: beam_quality(kvp, tube.filtration_mm_al, tube.filtration_mm_cu, tube.anode_angle_deg)[0]
        for kvp in (80.0, *kvps)
    }
    return tuple(Output(kvp, round(at_80_ugy_per_mas * quality[kvp] / quality[80.0], 2)) for kvp in kvps)


@cache
def room_templates() -> Mapping[str, RoomTemplate]:
    """The templates by id, the most usual room first."""
    dr = _fixed()
    plates = (
        Receptor("plate-24", "Storage plate 24×30", "cr", (24, 30), 400, None),
        Receptor("plate-35", "Storage plate 35×43", "cr", (35, 43), 400, None),
    )
    films = (
        Receptor("film-24", "Film cassette 24×30, speed 200", "film_screen", (24, 30), None, 200),
        Receptor("film-35", "Film cassette 35×43, speed 400", "film_screen", (35, 43), None, 400),
    )
    fine = replace(dr.generator, ma=renard_r20(10, 630), mas=renard_r20(0.2, 500), time_ms=renard_r20(1, 6300))
    found = (
        RoomTemplate("fixed-dr", "Fixed digital room", "Table and wall stand with Bucky, panels, R'10 stations.", dr),
        RoomTemplate(
            "fixed-dr-fine",
            "Fixed digital room, fine stations",
            "The same with twice as many stations (R'20), as newer consoles have.",
            replace(dr, generator=fine),
        ),
        RoomTemplate(
            "fixed-cr", "Fixed room with storage plates", "Two Buckys, cassettes with storage plates.", _with(dr, plates)
        ),
        RoomTemplate("fixed-film", "Fixed room with film", "Two Buckys, film-screen cassettes; no index.", _with(dr, films)),
        RoomTemplate(
            "portable", "Portable unit", "Wheeled to the patient: a loose panel, a clip-on grid, no AEC.", _portable()
        ),
        RoomTemplate(
            "paediatric",
            "Children's room",
            "Fine stations down to 0.1 mAs, copper filter, grids that come out of the Buckys.",
            _paediatric(dr, fine),
        ),
        RoomTemplate(
            "older",
            "Older room, three-phase",
            "Few kVp, mA and time stations: mAs is mA × time. Storage plates.",
            _older(dr, plates),
        ),
        RoomTemplate("plain", "From nothing", "One support and one receptor, no grid, no AEC: add what there is.", _plain()),
    )
    return {one.id: one for one in found}


def _with(room: Room, receptors: tuple[Receptor, ...]) -> Room:
    return replace(room, receptors=receptors)


def _kvps(low: int, high: int, step: int = 1) -> tuple[float, ...]:
    return tuple(float(kvp) for kvp in range(low, high + 1, step))


def _typical(kvps: Sequence[float], tube: Tube) -> tuple[Output, ...]:
    tens = [kvp for kvp in kvps if kvp % 20 == 0 or kvp in (kvps[0], kvps[-1])]
    return outputs_along_spectrum(tens, TYPICAL_OUTPUT_UGY_PER_MAS, tube)


def _spots(small_kw: float, large_kw: float) -> tuple[FocalSpot, ...]:
    """Two focal spots whose power falls with time as anodes' do: to a quarter over some seconds."""
    shares = ((10.0, 1.0), (100.0, 0.85), (1000.0, 0.58), (6300.0, 0.25))

    def points(kw: float) -> tuple[PowerPoint, ...]:
        return tuple(PowerPoint(time_ms, round(kw * share, 1)) for time_ms, share in shares)

    return FocalSpot("small", 0.6, points(small_kw)), FocalSpot("large", 1.2, points(large_kw))


def _fixed() -> Room:
    kvps, tube = _kvps(40, 150), Tube(3.0)
    generator = Generator(kvps, renard_r10(10, 630), renard_r10(0.25, 500), renard_r10(1, 6300), _spots(32, 75))
    supports = (
        Support("tabletop", 0, None),
        Support("table_bucky", 7, Grid(12, 40, 110, (95, 130)), 0.7),
        Support("upright_bucky", 5, Grid(12, 40, 150, (125, 200)), 0.5),
        Support("detector", 1, None),
    )
    receptors = (
        Receptor("panel-43", "Fixed panel 43×43", "dr_csi", (43, 43), 250, None),
        Receptor("panel-24", "Loose panel 24×30", "dr_csi", (24, 30), 400, None),
        Receptor("panel-35", "Loose panel 35×43", "dr_csi", (35, 43), 300, None),
    )
    return Room("", "", generator, _typical(kvps, tube), supports, receptors, (), tube, typical_output=True)


def _portable() -> Room:
    kvps, tube = _kvps(40, 125), Tube(3.2)
    (_, large) = _spots(20, 30)
    generator = Generator(kvps, renard_r10(50, 320), renard_r10(0.32, 200), (), (replace(large, size_mm=0.8),), 200)
    receptors = (
        Receptor("panel-35", "Loose panel 35×43", "dr_csi", (35, 43), 300, None),
        Receptor("panel-24", "Loose panel 24×30", "dr_csi", (24, 30), 400, None),
    )
    grids = (Grid(6, 60, 110, (90, 140), 0.03, "fibre", 0.2),)
    supports = (Support("detector", 1, None),)
    return Room("", "", generator, _typical(kvps, tube), supports, receptors, grids, tube, None, typical_output=True)


def _paediatric(dr: Room, fine: Generator) -> Room:
    generator = replace(fine, mas=renard_r20(0.1, 320), time_ms=renard_r20(1, 3200))
    grids = (Grid(8, 40, 110, (90, 150), 0.04, "fibre", 0.3),)
    supports = tuple(replace(one, grid=None) for one in dr.supports)
    copper = (Filter("cu-01", "1 mm Al + 0.1 mm Cu", 1, 0.1), Filter("cu-02", "1 mm Al + 0.2 mm Cu", 1, 0.2))
    return replace(dr, generator=generator, supports=supports, loose_grids=grids, filters=copper)


def _older(dr: Room, plates: tuple[Receptor, ...]) -> Room:
    kvps, tube = _kvps(40, 124, 2), Tube(2.7, anode_angle_deg=14.0)
    ma = (50.0, 100.0, 200.0, 300.0, 400.0)
    generator = Generator(kvps, ma, renard_r10(0.5, 400), renard_r10(10, 2000), _spots(24, 55), 400)
    supports = (
        Support("tabletop", 0, None),
        Support("table_bucky", 8, Grid(8, 36, 100, (85, 120), 0.05, "fibre", 0.4), 0.9),
        Support("upright_bucky", 6, Grid(8, 36, 150, (125, 200), 0.05, "fibre", 0.4), 0.6),
        Support("detector", 1, None),
    )
    aec = Aec(("L", "C", "R"), 1.25, 10)
    outputs = _typical(kvps, tube)
    return replace(dr, generator=generator, supports=supports, receptors=plates, tube=tube, aec=aec, outputs=outputs)


def _plain() -> Room:
    kvps, tube = _kvps(40, 120), Tube(2.5)
    generator = Generator(kvps, renard_r10(50, 400), renard_r10(0.5, 320), (), _spots(24, 50))
    receptors = (Receptor("panel-35", "Panel 35×43", "dr_csi", (35, 43), 300, None),)
    supports = (Support("tabletop", 0, None),)
    return Room("", "", generator, _typical(kvps, tube), supports, receptors, (), tube, None, typical_output=True)
