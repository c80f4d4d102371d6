"""The physics model by itself: cases in, results out, for the API and the command line."""

from __future__ import annotations

from collections import defaultdict
from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, TypeAdapter

from oakbeam.api.resource import resource
from oakbeam.api.types import Number, RequestBody
from oakbeam.core.errors import Refusal
from oakbeam.core.physics.beam.grid import GridStrips, Interspace
from oakbeam.core.physics.beam.model import (
    ANODE_ANGLE_RANGE_DEG,
    BONE_RANGE_MM,
    FIELD_RANGE_CM,
    FILTRATION_RANGE_MM_AL,
    FILTRATION_RANGE_MM_CU,
    GAP_RANGE_CM,
    GRID_COVER_RANGE_MM_AL,
    GRID_LINES_RANGE,
    GRID_RATIO_RANGE,
    KVP_RANGE,
    LUNG_RANGE,
    OUTPUT_SCALE_RANGE,
    SID_RANGE_CM,
    SUPPORT_RANGE_MM_AL,
    THICKNESS_RANGE_CM,
    Beam,
    BeamSetup,
    Part,
    check,
    evaluate,
)
from oakbeam.core.physics.beam.receptor import ReceptorKind
from oakbeam.core.physics.geometry import GRID_OFFSET_RANGE_CM, GRID_TILT_RANGE_DEG, grid_loss

router = resource("beam")

MOST_CASES = 2000
"""In one request; the command line takes any number."""


def _in(limits: tuple[float, float], unit: str) -> object:
    """A range that the description shows and the core checks, so that a refusal always names both ends."""
    return Field(json_schema_extra={"minimum": limits[0], "maximum": limits[1]}, description=unit)


Side = Annotated[Number, _in(FIELD_RANGE_CM, "cm at the receptor")]


class GridIn(RequestBody):
    """A grid by its strips: ratio, lines per cm, lead strip [mm], interspace, cover [mm Al in all]."""

    ratio: Annotated[Number, _in(GRID_RATIO_RANGE, "strip height over interspace")]
    lines_per_cm: Annotated[Number, _in(GRID_LINES_RANGE, "1/cm")] = 40
    lead_mm: Annotated[Number, Field(gt=0, description="mm, at most 0.6 of the period")] = 0.04
    interspace: Interspace = "aluminium"
    cover_mm_al: Annotated[Number, _in(GRID_COVER_RANGE_MM_AL, "mm Al")] = 0.3


class BeamCase(RequestBody):
    """One beam: per 1 mAs unless mas is given. The part is a slab across the field; bone replaces tissue in its middle."""

    model_config = ConfigDict(
        extra="forbid",
        json_schema_extra={
            "examples": [
                {
                    "id": "abdomen",
                    "kvp": 80,
                    "thickness_cm": 20,
                    "sid_cm": 100,
                    "field_cm": [35, 43],
                    "grid": {"ratio": 12, "lines_per_cm": 40, "lead_mm": 0.04, "interspace": "aluminium"},
                    "receptor": "dr_csi",
                }
            ]
        },
    )

    id: Annotated[str, Field(max_length=200)] | int | None = None
    kvp: Annotated[Number, _in(KVP_RANGE, "kV")]
    filtration_mm_al: Annotated[Number, _in(FILTRATION_RANGE_MM_AL, "total, mm Al")] = 3.0
    filtration_mm_cu: Annotated[Number, _in(FILTRATION_RANGE_MM_CU, "added, mm Cu")] = 0.0
    anode_angle_deg: Annotated[Number, _in(ANODE_ANGLE_RANGE_DEG, "degrees")] = 12.0
    thickness_cm: Annotated[Number, _in(THICKNESS_RANGE_CM, "cm")]
    bone_mm: Annotated[Number, _in(BONE_RANGE_MM, "mm cortical bone")] = 0.0
    lung_fraction: Annotated[Number, _in(LUNG_RANGE, "of the thickness")] = 0.0
    tissue: Literal["soft", "adipose", "muscle"] = "soft"
    sid_cm: Annotated[Number, _in(SID_RANGE_CM, "cm")]
    gap_cm: Annotated[Number, _in(GAP_RANGE_CM, "cm, exit surface to receptor")] = 0.0
    support_mm_al: Annotated[Number, _in(SUPPORT_RANGE_MM_AL, "mm Al between patient and receptor")] = 0.0
    field_cm: tuple[Side, Side]
    grid: GridIn | None = None
    grid_focal_cm: Annotated[Number, _in(SID_RANGE_CM, "focal distance, cm; left out: focused where it is used")] | None = (
        None
    )
    grid_offset_cm: Annotated[Number, _in(GRID_OFFSET_RANGE_CM, "ray off the grid's centre line, cm")] = 0.0
    grid_tilt_deg: Annotated[Number, _in(GRID_TILT_RANGE_DEG, "grid off level across its strips, degrees")] = 0.0
    receptor: ReceptorKind = "dr_csi"
    output_scale: Annotated[Number, _in(OUTPUT_SCALE_RANGE, "measured over modelled output")] = 1.0
    mas: Annotated[Number, Field(gt=0, le=10_000)] = 1.0


class BeamResult(BaseModel):
    """What the model gives for a case; the conventions are those of docs/validation.md."""

    id: str | int | None
    k100_ugy: float
    hvl_mm_al: float
    ssd_cm: float
    incident_air_kerma_ugy: float
    backscatter_factor: float
    kap_mgycm2: float
    primary_kerma_ugy: float
    spr_energy: float
    spr_kerma: float
    spr_receptor: float
    grid_tp: float
    grid_ts: float
    bucky_factor: float
    bucky_factor_receptor: float
    contrast_improvement: float
    receptor_kerma_ugy: float
    rqa5_equivalent_kerma_ugy: float
    exposure_index: float


Cases = Annotated[list[BeamCase], Field(max_length=MOST_CASES)]
CASES: TypeAdapter[list[BeamCase]] = TypeAdapter(list[BeamCase])
RESULTS: TypeAdapter[list[BeamResult]] = TypeAdapter(list[BeamResult])
_SCALES_WITH_MAS = (
    "k100_ugy",
    "incident_air_kerma_ugy",
    "kap_mgycm2",
    "primary_kerma_ugy",
    "receptor_kerma_ugy",
    "rqa5_equivalent_kerma_ugy",
    "exposure_index",
)


def results(cases: list[BeamCase]) -> list[BeamResult]:
    """One result for each case, in the same order. Refusal names the case at fault; then there is no result at all.

    Cases that differ only in thickness, bone and mAs are one call of the model.
    """
    groups: dict[tuple[BeamSetup, str, float], list[int]] = defaultdict(list)
    for place, case in enumerate(cases):
        groups[_setup(case), case.tissue, case.lung_fraction].append(place)
    found: dict[int, BeamResult] = {}
    for (setup, tissue, lung_fraction), places in groups.items():
        group = [cases[place] for place in places]
        thickness, bone = (np.array([getattr(case, name) for case in group]) for name in ("thickness_cm", "bone_mm"))
        try:
            beam = evaluate(setup, Part(thickness, {tissue: 1.0}, bone, lung_fraction))
        except Refusal:
            _name_the_one(setup, group, places)
            raise
        for i, case in enumerate(group):
            found[places[i]] = _result(beam, i, case)
    return [found[place] for place in range(len(cases))]


def _setup(case: BeamCase) -> BeamSetup:
    """Raises OutOfRange for a distance, decentring or tilt that the grid's geometry does not take."""
    loss = 0.0
    if case.grid and case.sid_cm > 0:
        focal_cm = case.sid_cm if case.grid_focal_cm is None else case.grid_focal_cm
        width = min(case.field_cm)
        loss = grid_loss(case.grid.ratio, width, focal_cm, case.sid_cm, case.grid_offset_cm, case.grid_tilt_deg)
    return BeamSetup(
        kvp=case.kvp,
        sid_cm=case.sid_cm,
        field_cm=case.field_cm,
        filtration_mm_al=case.filtration_mm_al,
        filtration_mm_cu=case.filtration_mm_cu,
        anode_angle_deg=case.anode_angle_deg,
        gap_cm=case.gap_cm,
        support_mm_al=case.support_mm_al,
        grid=GridStrips(**case.grid.__dict__) if case.grid else None,
        receptor=case.receptor,
        output_scale=case.output_scale,
        primary_loss=loss,
    )


def _name_the_one(setup: BeamSetup, group: list[BeamCase], places: list[int]) -> None:
    """Raise the refusal of the case at fault in a group, with its name."""
    for place, case in zip(places, group, strict=True):
        part = Part(np.array([case.thickness_cm]), {case.tissue: 1.0}, case.bone_mm, case.lung_fraction)
        try:
            check(setup, part)
        except Refusal as refusal:
            refusal.detail = f"Case {place if case.id is None else case.id}: {refusal.detail}"
            raise


def _result(beam: Beam, place: int, case: BeamCase) -> BeamResult:
    values = {}
    for name in BeamResult.model_fields:
        if name != "id":
            value = float(np.broadcast_to(getattr(beam, name), beam.ssd_cm.shape)[place])
            values[name] = value * case.mas if name in _SCALES_WITH_MAS else value
    return BeamResult(id=case.id, **values)


@router.post("/beam", tags=["beam"])
def beam_model(cases: Cases) -> list[BeamResult]:
    """The physics model for each case: kerma, scatter, grid, receptor and dose, per mAs unless `mas` is given."""
    return results(cases)
