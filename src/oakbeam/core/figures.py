"""The figures of a set-up that stand beside a technique: heights, shifts, magnification, field, grid, and what another SID
would bring. Lengths cm; nothing here changes the technique."""

from __future__ import annotations

from oakbeam.core import geometry
from oakbeam.core.derived import Figures, GridAdvice, OtherSid
from oakbeam.core.exam import stance
from oakbeam.core.modelling import ModelPath
from oakbeam.core.projection import Projection
from oakbeam.core.refusal import Refusal

SIDS_CM = (100.0, 110.0, 120.0, 150.0, 180.0)


def figures(path: ModelPath, projection: Projection, spot_mm: float, tube_angle_deg: float) -> Figures:
    """The figures where the set-up stands now. spot_mm: the focal spot in use. Raises Refusal for impossible geometry."""
    gap_cm = path.support.gap_cm if path.gap_cm is None else path.gap_cm
    oid_cm = structure_cm(projection, path.thickness_cm) + gap_cm
    ssd_cm = geometry.source_to_skin_cm(path.sid_cm, path.thickness_cm, gap_cm)
    left = geometry.sid_along_ray_cm(path.sid_cm, tube_angle_deg)
    (width, height), asked = path.field_cm, projection.field_cm[0] * projection.field_cm[1]
    beyond = max(0.0, width * height - asked)
    posture, beam = stance(projection, path.support.id)
    return Figures(
        tube_angle_deg=tube_angle_deg,
        tube_height_cm=geometry.tube_height_cm(path.sid_cm, tube_angle_deg),
        sid_if_left_cm=left,
        mas_factor_if_left=(left / path.sid_cm) ** 2,
        receptor_shift_cm=geometry.receptor_shift_cm(path.thickness_cm + gap_cm, tube_angle_deg),
        oid_cm=oid_cm,
        magnification=geometry.magnification(path.sid_cm, oid_cm),
        geometric_blur_mm=geometry.geometric_unsharpness_mm(spot_mm, path.sid_cm, oid_cm),
        field_cm=path.field_cm,
        field_at_skin_cm=(width * ssd_cm / path.sid_cm, height * ssd_cm / path.sid_cm),
        beyond_cm2=beyond,
        beyond_percent=100 * beyond / (width * height),
        source_to_skin_cm=ssd_cm,
        gap_cm=gap_cm,
        thickness_cm=path.thickness_cm,
        support_mm_al=path.support.attenuation_mm_al,
        posture=posture,
        beam=beam,
        other_sids=tuple(_other_sids(path, oid_cm, gap_cm, spot_mm)),
        grid=grid_advice(path, projection),
    )


def structure_cm(projection: Projection, thickness_cm: float) -> float:
    """From the skin next to the receptor to the structure: it grows with the part, but for what lies outside the part's own
    thickness (a neck held off by the shoulder, a receptor in a holder)."""
    average = projection.thickness_cm[1]
    own = projection.structure_cm <= average
    return projection.structure_cm * thickness_cm / average if own else projection.structure_cm


def _other_sids(path: ModelPath, oid_cm: float, gap_cm: float, spot_mm: float) -> list[OtherSid]:
    grid = path.room.grid(path.support, path.grid_ratio)
    found = []
    for sid_cm in SIDS_CM:
        too_near = sid_cm - gap_cm - path.thickness_cm < geometry.MIN_SOURCE_TO_SKIN_CM or sid_cm <= oid_cm
        if sid_cm == path.sid_cm or too_near or (grid and not grid.range_cm[0] <= sid_cm <= grid.range_cm[1]):
            continue
        magnified = sid_cm / (sid_cm - oid_cm)
        found.append(OtherSid(sid_cm, magnified, (sid_cm / path.sid_cm) ** 2, spot_mm * (magnified - 1)))
    return found


def grid_advice(path: ModelPath, projection: Projection) -> GridAdvice:
    """Grid or none for this thickness, with its price in dose by the beam model."""
    if projection.grid_over_cm is None:
        return GridAdvice(False, path.grid_ratio > 0, path.grid_ratio or None, None, "Never a grid for this projection.")
    usual = path.thickness_cm > projection.grid_over_cm
    ratio = path.grid_ratio or _available(path)
    if ratio is None:
        said = f"Usual above {projection.grid_over_cm:g} cm; there is none for this support." if usual else "None needed."
        return GridAdvice(usual, False, None, None, said)
    other = path.trial(grid_ratio=0 if path.grid_ratio else ratio)
    try:
        here, there = path.wanted_mas or path.mas_on_target(), other.mas_on_target()
        dose = here / there if path.grid_ratio else there / here
    except Refusal:
        dose = None
    threshold = f"{path.thickness_cm:g} cm is {'above' if usual else 'not above'} {projection.grid_over_cm:g} cm"
    price = f"; {ratio}:1 costs ×{dose:.1f} in dose" if dose is not None else ""
    return GridAdvice(usual, path.grid_ratio > 0, ratio, dose, f"{threshold}{price}.")


def _available(path: ModelPath) -> int | None:
    """The ratio that could be put in: the support's own, else a loose one; none on the tabletop."""
    if path.support.id == "tabletop":
        return None
    if path.support.grid:
        return path.support.grid.ratio
    return path.room.loose_grids[0].ratio if path.room.loose_grids else None
