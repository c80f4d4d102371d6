"""What a projection usually uses of a room: support, grid, receptor and SID."""

from __future__ import annotations

from oakbeam.core.equipment.room import Grid, Receptor, Room, Support
from oakbeam.core.errors import Refusal
from oakbeam.core.physics.beam.receptor import ReceptorKind
from oakbeam.core.projection import Projection, SupportId

PANELS: tuple[ReceptorKind, ...] = ("dr_csi", "dr_gos")
BUCKYS: tuple[SupportId, ...] = ("table_bucky", "upright_bucky")


def served(projection: Projection, room: Room) -> list[Support]:
    """The room's supports that a projection uses, in the projection's order."""
    there = {support.id: support for support in room.supports}
    return [there[key] for key in projection.supports if key in there]


def best_support(projection: Projection, room: Room) -> Support:
    """The support that comes nearest to the projection's SID with the grid it has, a loose detector last unless it is the
    projection's first; of two alike the projection's first."""

    def worse(one: Support) -> tuple[bool, float]:
        makeshift = one.id == "detector" and projection.supports[0] != "detector"
        sid_cm = room.sid_near_cm(projection.sid_cm, one, grid_for(projection, room, one))
        return makeshift, abs(sid_cm - projection.sid_cm)

    return min(served(projection, room), key=worse)


def grid_for(projection: Projection, room: Room, support: Support) -> Grid | None:
    """The grid a projection usually has on a support: by its thickness threshold, and by the clip-on grid's use; children's
    projections have none but for the largest, who are charted as adults."""
    over = projection.grid_over_cm
    if over is None or projection.thickness_cm[1] <= over or support.id == "tabletop" or projection.child == "own":
        return None
    if support.grid:
        return support.grid
    return room.loose_grids[0] if projection.detector_grid and room.loose_grids else None


def smallest_receptor(projection: Projection, room: Room, support: Support) -> Receptor:
    """The smallest digital receptor of the room that takes the field; in a Bucky the largest, which is fixed."""
    digital = [receptor for receptor in room.receptors if receptor.digital] or list(room.receptors)
    by_size = sorted(digital, key=lambda receptor: receptor.size_cm[0] * receptor.size_cm[1])
    if support.id in BUCKYS:
        return by_size[-1]
    for receptor in by_size:
        if all(f <= r for f, r in zip(sorted(projection.field_cm), sorted(receptor.size_cm), strict=True)):
            return receptor
    raise Refusal("No receptor large enough", f"The room has none for {max(projection.field_cm):g} cm.", None, "receptor")
