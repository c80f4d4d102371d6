"""The set-up of one exposure: what differs from the chart line, and the whole of it once, checked on the way in.

`resolve` puts what differs over what the chart line says and refuses what cannot be, with what is allowed. Every later step
reads the resolved set-up, and checks nothing again.
"""

from __future__ import annotations

import math
from contextlib import suppress
from dataclasses import dataclass

from oakbeam.core.cache import cached_beside
from oakbeam.core.charts.line import KVP_RANGE, MAS_RANGE, SID_RANGE_CM, ChartLine
from oakbeam.core.equipment.aec import DENSITY_STEPS, chambers_behind
from oakbeam.core.equipment.generator import ExposureControl, SpotName
from oakbeam.core.equipment.room import NO_FILTER, Filter, Grid, Receptor, Room, Support
from oakbeam.core.equipment.room_beam import usual_field, usual_grid, within_receptor
from oakbeam.core.equipment.usual import BUCKYS, PANELS, smallest_receptor
from oakbeam.core.errors import Refusal, within
from oakbeam.core.patient.patient import Patient
from oakbeam.core.patient.thickness import refuse_unbelievable
from oakbeam.core.physics import geometry
from oakbeam.core.projection import SUPPORT_NAMES, Projection, SupportId

GAP_RANGE_CM = (0.0, 60.0)
LEAST_FIELD_CM = 1.0


@dataclass(frozen=True, slots=True)
class Setup:
    """What differs from the chart. None means: as the chart line says. sid_cm is along the central ray.

    grid_offset_cm and grid_tilt_deg: how far the ray is off the grid's centre line, and the grid off level, both across the
    strips and signed. height_measured: sid_cm was worked out from a tilted tube's height. sid_guessed: nobody could measure
    it. filter: a selectable filter of the room, NO_FILTER for none. kvp, mas and focal_spot: set by hand. aec_cells:
    chambers, joined by "+". diagonal: the receptor lies corner to corner along a part that is longer than it.
    """

    sid_cm: float | None = None
    support: SupportId | None = None
    grid_ratio: int | None = None
    receptor: str | None = None
    filter: str | None = None
    field_cm: tuple[float, float] | None = None
    tube_angle_deg: float | None = None
    height_measured: bool = False
    sid_guessed: bool = False
    gap_cm: float | None = None
    grid_offset_cm: float = 0.0
    grid_tilt_deg: float = 0.0
    kvp: float | None = None
    mas: float | None = None
    exposure_control: ExposureControl | None = None
    aec_cells: str | None = None
    aec_density: int | None = None
    focal_spot: SpotName | None = None
    diagonal: bool = False


@dataclass(frozen=True, slots=True)
class ResolvedSetup:
    """The whole set-up of one exposure, every number within its range. Lengths cm, angles degrees.

    sid_measured: the SID was given, not taken from the chart. grid: the one in use, as usually built where the room lists
    none of its ratio; None without. gap_cm: exit skin to receptor. target_ei: index aimed at, None on film. kvp, mas,
    focal_spot: set by hand, else None. aec_cells: the chambers selected, () without AEC.
    """

    support: Support
    receptor: Receptor
    target_ei: float | None
    grid_ratio: int
    grid: Grid | None
    sid_cm: float
    sid_measured: bool
    gap_cm: float
    field_cm: tuple[float, float]
    filter: Filter | None = None
    tube_angle_deg: float = 0.0
    height_measured: bool = False
    sid_guessed: bool = False
    grid_offset_cm: float = 0.0
    grid_tilt_deg: float = 0.0
    kvp: float | None = None
    mas: float | None = None
    exposure_control: ExposureControl = "manual"
    aec_cells: tuple[str, ...] = ()
    aec_density: int = 0
    focal_spot: SpotName | None = None

    @property
    def misaligned(self) -> bool:
        """The grid is off its centre line or off level."""
        return bool(self.grid_offset_cm or self.grid_tilt_deg)


MOST_GRID_TILT_DEG = 3.0
MOST_LOSS_MADE_UP = 0.5
"""A grid further off level [degrees], or one that loses more of the primary, is put right: mAs instead would be dose."""


@cached_beside(3, 1024)
def as_charted(line: ChartLine, room: Room, projection: Projection) -> ResolvedSetup:
    """The set-up that the chart line itself was made for. Raises Refusal where the room no longer has what it names."""
    support, receptor = room.support(line.support), room.receptor(line.receptor)
    return ResolvedSetup(
        support=support,
        receptor=receptor,
        target_ei=receptor.target_for(projection.region, line.target_ei),
        grid_ratio=line.grid_ratio,
        grid=room.grid(support, line.grid_ratio) or usual_grid(line.grid_ratio, line.sid_cm),
        sid_cm=line.sid_cm,
        sid_measured=False,
        gap_cm=support.gap_cm,
        field_cm=usual_field(line.field_cm, projection, receptor),
        filter=room.filter(line.filter),
    )


def resolve(line: ChartLine, room: Room, projection: Projection, patient: Patient, setup: Setup) -> ResolvedSetup:
    """What differs put over what the chart line says, checked for this room and patient.

    Raises Refusal or OutOfRange, with the field at fault and what is allowed, for anything that is not in the room, is out
    of range, or cannot be together (a grid on the tabletop, AEC without a chamber, a focus within 15 cm of the skin).
    """
    refuse_unbelievable(projection, patient.thickness_cm, patient.age_band, patient.thickness_confirmed)
    charted = as_charted(line, room, projection)
    support = room.support(setup.support) if setup.support else charted.support
    if setup.diagonal and support.id in BUCKYS:
        _refuse_diagonal(support)
    receptor = _receptor(charted, room, projection, support, setup)
    grid_ratio = _grid_ratio(charted, support, setup)
    sid_cm = _sid(charted, room, projection, support, room.grid(support, grid_ratio), setup)
    gap_cm = support.gap_cm if setup.gap_cm is None else within("gap_cm", setup.gap_cm, *GAP_RANGE_CM, "cm")
    geometry.source_to_skin_cm(sid_cm, patient.thickness_cm, gap_cm)
    if setup.kvp is not None:
        within("kvp", setup.kvp, *KVP_RANGE, "kVp")
    if setup.mas is not None:
        within("mas", setup.mas, *MAS_RANGE, "mAs")
    control = _control(line, room, support, setup)
    cells = setup.aec_cells or line.aec_cells or projection.aec_cells
    density = line.aec_density if setup.aec_density is None else setup.aec_density
    resolved = ResolvedSetup(
        support=support,
        receptor=receptor,
        target_ei=charted.target_ei if receptor.id == line.receptor else receptor.target_for(projection.region),
        grid_ratio=grid_ratio,
        grid=room.grid(support, grid_ratio) or usual_grid(grid_ratio, sid_cm),
        sid_cm=sid_cm,
        sid_measured=setup.sid_cm is not None,
        gap_cm=gap_cm,
        field_cm=_field(charted, receptor, setup),
        filter=_filter(charted, room, setup),
        tube_angle_deg=geometry.within_tube_angle(setup.tube_angle_deg or 0.0),
        height_measured=setup.height_measured,
        sid_guessed=setup.sid_guessed,
        grid_offset_cm=within("grid_offset_cm", setup.grid_offset_cm, *geometry.GRID_OFFSET_RANGE_CM, "cm"),
        grid_tilt_deg=within("grid_tilt_deg", setup.grid_tilt_deg, *geometry.GRID_TILT_RANGE_DEG, "deg"),
        kvp=setup.kvp,
        mas=setup.mas,
        exposure_control=control,
        aec_cells=chambers_behind(room, support.id, cells) if control == "aec" else (),
        aec_density=int(within("aec_density", density, *DENSITY_STEPS, "")),
        focal_spot=_spot(room, setup.focal_spot),
    )
    if resolved.misaligned:
        _refuse_cut_off(resolved)
    return resolved


def _grid_ratio(charted: ResolvedSetup, support: Support, setup: Setup) -> int:
    """The grid in use: as said; else what comes with another support; else the line's."""
    if setup.grid_ratio is not None:
        if setup.grid_ratio and support.id == "tabletop":
            raise Refusal(
                "No grid on the tabletop", "A receptor on the tabletop has no grid; set the grid to 0.", [0.0], "grid_ratio"
            )
        return setup.grid_ratio
    if support.id != charted.support.id:
        return support.grid.ratio if support.grid else 0
    return charted.grid_ratio


def tube_stays(before: SupportId, after: SupportId) -> bool:
    """The tube hangs over both: from the tabletop to the table Bucky and back only the receptor moves."""
    return {before, after} == {"tabletop", "table_bucky"}


def _sid(
    charted: ResolvedSetup, room: Room, projection: Projection, support: Support, grid: Grid | None, setup: Setup
) -> float:
    """The SID in use: as measured; else the chart's, moved by the gaps where the receptor changes place under the tube;
    else, on a support that the tube has to be brought to, the projection's usual one there."""
    if setup.sid_cm is not None:
        return within("sid_cm", setup.sid_cm, *SID_RANGE_CM, "cm")
    if support.id == charted.support.id:
        return charted.sid_cm
    if tube_stays(charted.support.id, support.id):
        return geometry.sid_when_support_changes_cm(charted.sid_cm, charted.support.gap_cm, support.gap_cm)
    return room.sid_near_cm(projection.sid_cm, support, grid)


def _receptor(charted: ResolvedSetup, room: Room, projection: Projection, support: Support, setup: Setup) -> Receptor:
    """The receptor in use: as said; else the line's. A panel does not go from a Bucky to the tabletop or back: the usual one
    there takes its place. A cassette goes anywhere."""
    if setup.receptor:
        return room.receptor(setup.receptor)
    moves = (support.id in BUCKYS) != (charted.support.id in BUCKYS)
    if not moves or charted.receptor.kind not in PANELS:
        return charted.receptor
    with suppress(Refusal):
        return smallest_receptor(projection, room, support)
    return charted.receptor


def _filter(charted: ResolvedSetup, room: Room, setup: Setup) -> Filter | None:
    """The filter before the tube: as said, or the line's."""
    if setup.filter is None:
        return charted.filter
    return None if setup.filter == NO_FILTER else room.filter(setup.filter)


def _field(charted: ResolvedSetup, receptor: Receptor, setup: Setup) -> tuple[float, float]:
    """The field at the receptor: as said, no side longer than the receptor's longer, or than its diagonal where it lies so;
    else the usual one."""
    if setup.field_cm is None:
        return within_receptor(charted.field_cm, receptor)
    longest = round(math.hypot(*receptor.size_cm), 1) if setup.diagonal else max(receptor.size_cm)
    for side, value in zip(("width", "height"), setup.field_cm, strict=True):
        within(f"field_cm.{side}", value, LEAST_FIELD_CM, longest, "cm")
    return setup.field_cm


def _refuse_diagonal(support: Support) -> None:
    there = f"In the {SUPPORT_NAMES[support.id]} it lies as the tray holds it."
    raise Refusal("The receptor cannot lie diagonally", there, None, "diagonal")


def _control(line: ChartLine, room: Room, support: Support, setup: Setup) -> ExposureControl:
    """How it is exposed: as said; else as the line is, where the support has what that needs."""
    if setup.exposure_control is not None:
        return setup.exposure_control
    bare = support.id not in BUCKYS or room.aec is None
    return "manual" if line.exposure_control == "aec" and bare else line.exposure_control


def _spot(room: Room, wanted: SpotName | None) -> SpotName | None:
    """The focal spot set by hand, where the tube has it."""
    there: list[str] = [spot.name for spot in room.generator.focal_spots]
    if wanted is not None and wanted not in there:
        raise Refusal("No such focal spot", f"This tube has no {wanted} focal spot.", there, "focal_spot")
    return wanted


def _refuse_cut_off(setup: ResolvedSetup) -> None:
    grid, offset_cm, tilt_deg = setup.grid, setup.grid_offset_cm, setup.grid_tilt_deg
    if grid is None:
        raise Refusal(
            "No grid to align", "Without a grid there is no decentring and no tilt; set both to 0.", [0.0], "grid_ratio"
        )
    lost = geometry.grid_loss(grid.ratio, min(setup.field_cm), grid.focal_cm, setup.sid_cm, offset_cm, tilt_deg)
    if abs(tilt_deg) > MOST_GRID_TILT_DEG:
        raise Refusal(
            "Straighten the grid",
            f"A {grid.ratio}:1 grid {abs(tilt_deg):g}° off level loses {100 * lost:.0f} % of the primary. No mAs makes up"
            " for that: the image is lost at one side first, and the dose is not. Straighten it, or take it out.",
            {"max": MOST_GRID_TILT_DEG, "unit": "deg"},
            "grid_tilt_deg",
        )
    if lost > MOST_LOSS_MADE_UP:
        where = [f"{abs(offset_cm):g} cm off its centre line"] if offset_cm else []
        where += [f"{abs(tilt_deg):g}° off level"] if tilt_deg else []
        raise Refusal(
            "Centre the grid",
            f"A {grid.ratio}:1 grid {' and '.join(where)} loses {100 * lost:.0f} % of the primary, which no mAs should make"
            " up for. Centre and straighten it, or take it out.",
            None,
            "grid_offset_cm" if offset_cm else "grid_tilt_deg",
        )
