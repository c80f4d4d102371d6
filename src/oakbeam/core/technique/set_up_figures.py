"""The figures of a set-up that stand beside a technique: heights, shifts, magnification, field, grid, and what another SID
would bring. Lengths cm; nothing here changes the technique."""

from __future__ import annotations

import numpy as np

from oakbeam.core.equipment.room_beam import filtration_mm
from oakbeam.core.errors import Refusal
from oakbeam.core.patient.posture import stance
from oakbeam.core.physics import geometry
from oakbeam.core.physics.beam.heel import kerma_along_tube
from oakbeam.core.projection import Projection
from oakbeam.core.technique.image_quality import structure_oid_cm
from oakbeam.core.technique.model_state import ModelState
from oakbeam.core.technique.result import Figures, GridAdvice, Heel, OtherSid
from oakbeam.core.technique.set_up import ResolvedSetup


def figures(model: ModelState, setup: ResolvedSetup, spot_mm: float) -> Figures:
    """The figures where the set-up stands now. spot_mm: the focal spot in use. Raises Refusal for impossible geometry."""
    projection, gap_cm, tube_angle_deg = model.projection, setup.gap_cm, setup.tube_angle_deg
    oid_cm = structure_oid_cm(projection, model.thickness_cm, gap_cm)
    ssd_cm = geometry.source_to_skin_cm(model.sid_cm, model.thickness_cm, gap_cm)
    left = geometry.sid_along_ray_cm(model.sid_cm, tube_angle_deg)
    (width, height), asked = model.field_cm, projection.field_cm[0] * projection.field_cm[1]
    beyond = max(0.0, width * height - asked)
    posture, beam = stance(projection, model.support.id)
    return Figures(
        tube_angle_deg=tube_angle_deg,
        tube_height_cm=geometry.tube_height_cm(model.sid_cm, tube_angle_deg),
        sid_if_left_cm=left,
        mas_factor_if_left=(left / model.sid_cm) ** 2,
        # A receptor square to the ray is centred to it: nothing to follow.
        receptor_shift_cm=geometry.receptor_shift_cm(
            model.thickness_cm + gap_cm, 0.0 if projection.receptor_square else tube_angle_deg
        ),
        oid_cm=oid_cm,
        magnification=geometry.magnification(model.sid_cm, oid_cm),
        geometric_blur_mm=geometry.geometric_unsharpness_mm(spot_mm, model.sid_cm, oid_cm),
        field_cm=model.field_cm,
        field_at_skin_cm=(width * ssd_cm / model.sid_cm, height * ssd_cm / model.sid_cm),
        beyond_cm2=beyond,
        beyond_percent=100 * beyond / (width * height),
        source_to_skin_cm=ssd_cm,
        gap_cm=gap_cm,
        thickness_cm=model.thickness_cm,
        support_mm_al=model.support.attenuation_mm_al,
        posture=posture,
        beam=beam,
        other_sids=tuple(_other_sids(model, setup, oid_cm, spot_mm)),
        grid=grid_advice(model, projection),
        heel=heel_advice(model, setup),
    )


def heel_advice(model: ModelState, setup: ResolvedSetup) -> Heel | None:
    """Which end goes under the cathode, and what the heel does along the field. Over a table, along which the tube's axis
    lies; at a wall stand it does not lie along the part."""
    end = model.projection.thick_end
    if end is None or setup.support.id == "upright_bucky":
        return None
    tube, along_cm = model.room.tube, max(model.field_cm)
    edges = np.array([-along_cm / 2, along_cm / 2])
    before = filtration_mm(model.room, setup.filter)
    at_anode, at_cathode = kerma_along_tube(model.kvp, *before, tube.anode_angle_deg, model.sid_cm, edges).tolist()
    where = f" ({tube.cathode_at})" if tube.cathode_at else ", marked −,"
    said = (
        f"The {end} under the cathode{where}: along {along_cm:g} cm the anode's end gets {100 * at_anode:.0f} % of the "
        f"middle, the cathode's {100 * at_cathode:.0f} %."
    )
    return Heel(end, at_anode, at_cathode, along_cm, said)


def _other_sids(model: ModelState, setup: ResolvedSetup, oid_cm: float, spot_mm: float) -> list[OtherSid]:
    grid, gap_cm = model.room.grid(setup.support, setup.grid_ratio), setup.gap_cm
    found = []
    for sid_cm in model.room.detents_cm(setup.support):
        too_near = sid_cm - gap_cm - model.thickness_cm < geometry.MIN_SOURCE_TO_SKIN_CM or sid_cm <= oid_cm
        if sid_cm == model.sid_cm or too_near or (grid and not grid.range_cm[0] <= sid_cm <= grid.range_cm[1]):
            continue
        magnified = sid_cm / (sid_cm - oid_cm)
        found.append(OtherSid(sid_cm, magnified, (sid_cm / model.sid_cm) ** 2, spot_mm * (magnified - 1)))
    return found


def grid_advice(model: ModelState, projection: Projection) -> GridAdvice:
    """Grid or none for this thickness, with its price in dose by the physics model."""
    if projection.grid_over_cm is None:
        return GridAdvice(False, model.grid_ratio > 0, model.grid_ratio or None, None, "Never a grid for this projection.")
    usual = model.thickness_cm > projection.grid_over_cm
    ratio = model.grid_ratio or _available(model)
    if ratio is None:
        said = f"Usual above {projection.grid_over_cm:g} cm; there is none for this support." if usual else "None needed."
        return GridAdvice(usual, False, None, None, said)
    other = model.trial(grid_ratio=0 if model.grid_ratio else ratio)
    try:
        here, there = model.wanted_mas or model.mas_on_target(), other.mas_on_target()
        dose = here / there if model.grid_ratio else there / here
    except Refusal:
        dose = None
    threshold = f"{model.thickness_cm:g} cm is {'above' if usual else 'not above'} {projection.grid_over_cm:g} cm"
    price = f"; {ratio}:1 costs ×{dose:.1f} in dose" if dose is not None else ""
    return GridAdvice(usual, model.grid_ratio > 0, ratio, dose, f"{threshold}{price}.")


def _available(model: ModelState) -> int | None:
    """The ratio that could be put in: the support's own, else a loose one; none on the tabletop."""
    if model.support.id == "tabletop":
        return None
    if model.support.grid:
        return model.support.grid.ratio
    return model.room.loose_grids[0].ratio if model.room.loose_grids else None
