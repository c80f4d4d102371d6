"""A room's tube, support, grid and receptor as the physics model takes them."""

from __future__ import annotations

from oakbeam.core.cache import cached_beside
from oakbeam.core.equipment.room import Filter, Grid, Receptor, Room, Support
from oakbeam.core.errors import Refusal
from oakbeam.core.physics import geometry
from oakbeam.core.physics.beam.model import BeamSetup
from oakbeam.core.physics.beam.spectrum import beam_quality
from oakbeam.core.projection import Projection

MOST_GRID_LOSS = 0.95
"""No more of the primary than this counts as lost: between the strips some always passes."""

STANDARD_STRIPS = {5: 30.0, 6: 36.0, 8: 40.0, 10: 40.0, 12: 40.0, 16: 44.0}
"""Lines per cm taken for a ratio that the room has no grid of."""


def usual_grid(ratio: int, sid_cm: float) -> Grid | None:
    """A grid of a ratio as usually built, focused where it is used: for a ratio that the room does not list."""
    return Grid(ratio, STANDARD_STRIPS[ratio], sid_cm, (sid_cm, sid_cm)) if ratio else None


def beam_setup(
    room: Room,
    kvp: float,
    sid_cm: float,
    support: Support,
    grid_ratio: int,
    receptor: Receptor,
    field_cm: tuple[float, float],
    gap_cm: float | None = None,
    grid_offset_cm: float = 0.0,
    grid_tilt_deg: float = 0.0,
    added: Filter | None = None,
) -> BeamSetup:
    """The room's tube, support, grid and receptor as the model takes them. gap_cm None: the support's own. added: the filter
    selected."""
    gap_cm = support.gap_cm if gap_cm is None else gap_cm
    return _beam_setup(
        room, support, receptor, added, kvp, sid_cm, grid_ratio, field_cm, gap_cm, grid_offset_cm, grid_tilt_deg
    )


@cached_beside(4, 4096)
def _beam_setup(
    room: Room,
    support: Support,
    receptor: Receptor,
    added: Filter | None,
    kvp: float,
    sid_cm: float,
    grid_ratio: int,
    field_cm: tuple[float, float],
    gap_cm: float,
    grid_offset_cm: float,
    grid_tilt_deg: float,
) -> BeamSetup:
    grid = room.grid(support, grid_ratio) or usual_grid(grid_ratio, sid_cm)
    loss = 0.0
    if grid:
        loss = geometry.grid_loss(grid.ratio, min(field_cm), grid.focal_cm, sid_cm, grid_offset_cm, grid_tilt_deg)
    mm_al, mm_cu = filtration_mm(room, added)
    return BeamSetup(
        kvp=kvp,
        sid_cm=sid_cm,
        field_cm=field_cm,
        filtration_mm_al=mm_al,
        filtration_mm_cu=mm_cu,
        anode_angle_deg=room.tube.anode_angle_deg,
        gap_cm=gap_cm,
        support_mm_al=support.attenuation_mm_al,
        grid=grid.strips if grid else None,
        receptor=receptor.kind,
        output_scale=output_scale(room, kvp),
        primary_loss=min(loss, MOST_GRID_LOSS),
    )


def filtration_mm(room: Room, added: Filter | None) -> tuple[float, float]:
    """What stands before the tube in all, its own and the filter selected: (mm Al, mm Cu)."""
    tube = room.tube
    return tube.filtration_mm_al + (added.mm_al if added else 0.0), tube.filtration_mm_cu + (added.mm_cu if added else 0.0)


def output_behind_ugy_per_mas(room: Room, kvp: float, added: Filter | None) -> float:
    """Tube output [µGy/mAs at 100 cm] behind a selected filter: the measured one, times the model's transmission of it.

    Raises OutOfRange where the output was not measured.
    """
    output = room.output_ugy_per_mas(kvp)
    if added is None:
        return output
    tube = room.tube
    without = beam_quality(kvp, tube.filtration_mm_al, tube.filtration_mm_cu, tube.anode_angle_deg)[0]
    return output * beam_quality(kvp, *filtration_mm(room, added), tube.anode_angle_deg)[0] / without


def output_scale(room: Room, kvp: float) -> float:
    """The room's measured output over the model's at a kVp; beyond the measured kVp the scale of the nearest end."""
    inside = min(max(kvp, room.outputs[0].kvp), room.outputs[-1].kvp)
    tube = room.tube
    k100, _ = beam_quality(inside, tube.filtration_mm_al, tube.filtration_mm_cu, tube.anode_angle_deg)
    return room.output_ugy_per_mas(inside) / k100


def wanted_rqa5_ugy(receptor: Receptor, target_ei: float | None) -> float:
    """RQA5-equivalent kerma [µGy] that a receptor wants: target index / 100 over its scale, or 1000 / speed for film."""
    if not receptor.digital:
        return 1000 / receptor.speed_class()
    wanted = target_ei or receptor.target_ei
    if wanted is None:
        raise Refusal("No target index", f"{receptor.name} has no target exposure index.", None, "target_ei")
    return wanted / 100 / receptor.ei_scale


def usual_field(line_field: tuple[float, float] | None, projection: Projection, receptor: Receptor) -> tuple[float, float]:
    """The field [cm] at the receptor that is usual: the line's, else the projection's, no larger than the receptor."""
    return within_receptor(line_field or projection.field_cm, receptor)


def within_receptor(field_cm: tuple[float, float], receptor: Receptor) -> tuple[float, float]:
    """A field no larger than a receptor, which may be turned to take it."""
    short, long = (min(a, b) for a, b in zip(sorted(field_cm), sorted(receptor.size_cm), strict=True))
    return (short, long) if field_cm[0] <= field_cm[1] else (long, short)
