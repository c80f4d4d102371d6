"""Cautions of a set-up: few and specific, each names a number of this set-up and what to do about it."""

from __future__ import annotations

from collections.abc import Iterator

from oakbeam.core import geometry
from oakbeam.core.chart import ChartLine
from oakbeam.core.derived import Caution, Forecast, Setup, Technique
from oakbeam.core.measurement import plausibility
from oakbeam.core.patient import CHILDREN, Patient
from oakbeam.core.projection import Projection
from oakbeam.core.room import SUPPORT_NAMES, Room

SID_TOLERANCE = 0.02
"""An SID indicator is usually allowed to be off by this much: below it no caution is worth a word."""
CHILD_GRID_FROM_CM = 12.0
TILT_WORTH_A_WORD = 1.05
"""Exposure factor of a tilted tube left at its detent, from which it is worth a caution; the height always stands beside."""
GRID_THRESHOLD_SLACK_CM = 2.0
"""Departments' thresholds for a grid differ by about this much; a missing grid is only a warning beyond it."""


def setup_cautions(
    line: ChartLine,
    room: Room,
    projection: Projection,
    patient: Patient,
    setup: Setup,
    technique: Technique,
    forecast: Forecast,
) -> tuple[Caution, ...]:
    """The cautions that the final set-up itself gives rise to, in the order of the work."""
    field_cm = setup.field_cm or line.field_cm or projection.field_cm
    return (
        *plausibility(projection, patient.thickness_cm, patient.habitus, patient.age_band, patient.thickness_confirmed),
        *_distance(projection, technique.sid_cm),
        *_angle(setup, technique.sid_cm),
        *_grid(line, room, projection, patient, technique, field_cm),
        *_console(projection, patient, technique, forecast),
    )


def _distance(projection: Projection, sid_cm: float) -> Iterator[Caution]:
    least = projection.minimum_sid_cm
    if least and sid_cm < least * (1 - SID_TOLERANCE):
        yield Caution(
            "warning",
            f"SID {sid_cm:g} cm is under this projection's {least:g} cm: note the distance on the image.",
            "minimum SID",
        )


def _angle(setup: Setup, sid_cm: float) -> Iterator[Caution]:
    if not setup.tube_angle_deg:
        return
    height = geometry.tube_height_cm(sid_cm, setup.tube_angle_deg)
    left = geometry.sid_along_ray_cm(sid_cm, setup.tube_angle_deg)
    if (left / sid_cm) ** 2 < TILT_WORTH_A_WORD:
        return
    yield Caution(
        "note",
        f"At {abs(setup.tube_angle_deg):g}° put the focus {height:.1f} cm above the receptor to keep {sid_cm:g} cm along "
        f"the ray; left at the detent it is {left:.1f} cm (mAs ×{(left / sid_cm) ** 2:.2f}).",
        "tilted tube",
    )


def _grid(
    line: ChartLine,
    room: Room,
    projection: Projection,
    patient: Patient,
    technique: Technique,
    field_cm: tuple[float, float],
) -> Iterator[Caution]:
    """Grid against thickness is the chart's own decision; a caution comes where the set-up leaves the chart's."""
    ratio, thickness, usual_over = technique.grid_ratio, patient.thickness_cm, projection.grid_over_cm
    grid = room.grid(room.support(technique.support), ratio) if ratio else None
    if grid:
        low, high = grid.range_cm
        loss = geometry.cutoff_off_distance(ratio, min(field_cm) / 2, grid.focal_cm, technique.sid_cm)
        if not low <= technique.sid_cm <= high or loss >= geometry.CUTOFF_WARNING:
            yield Caution(
                "warning",
                f"{ratio}:1 grid focused at {grid.focal_cm:g} cm used at {technique.sid_cm:g} cm (its range {low:g} to "
                f"{high:g}): about {100 * loss:.0f} % of the primary is lost at the field's edge.",
                "grid focal range",
            )
    elif ratio:
        place = SUPPORT_NAMES[technique.support]
        yield Caution("note", f"This room lists no {ratio}:1 grid for the {place}.", "room grids")
    if ratio and patient.age_band in CHILDREN and thickness < CHILD_GRID_FROM_CM:
        yield Caution("warning", f"A child under {CHILD_GRID_FROM_CM:g} cm needs no grid.", "children")
    elif ratio and not line.grid_ratio and usual_over is not None and thickness < usual_over:
        yield Caution(
            "note",
            f"Grid on {thickness:g} cm: usually none up to {usual_over:g} cm; it costs the patient dose.",
            "grid threshold",
        )
    if not ratio and line.grid_ratio and usual_over is not None and thickness > usual_over + GRID_THRESHOLD_SLACK_CM:
        yield Caution(
            "warning",
            f"No grid on {thickness:g} cm: scatter will flatten contrast (grid usual above {usual_over:g} cm).",
            "grid threshold",
        )


def _console(projection: Projection, patient: Patient, technique: Technique, forecast: Forecast) -> Iterator[Caution]:
    ceiling = projection.time_ceiling_ms
    if patient.cannot_keep_still:
        ceiling /= 2
        if technique.exposure_control == "breathing":
            text = "Cannot keep still: no breathing technique; held breath, shortest time."
            yield Caution("warning", text, "motion")
        if patient.age_band in CHILDREN:
            text = "Holding: a device first; else an adult, not pregnant, in apron and gloves, out of the beam, and logged."
            yield Caution("note", text, "holding")
    if technique.exposure_control != "breathing" and technique.time_ms > ceiling:
        yield Caution(
            "warning",
            f"{technique.time_ms:g} ms is over the {ceiling:g} ms that usually avoids motion: raise kVp and lower mAs, or "
            "support the part.",
            "time ceiling",
        )
    medium = patient.contrast
    low, high = medium.kvp_window if medium and medium.kvp_window else projection.kvp_usual(technique.support)
    if not low <= technique.kvp <= high:
        yield Caution(
            "note",
            f"{technique.kvp:g} kVp is outside the usual {low:g} to {high:g} kVp for this projection.",
            "kVp window",
        )
    if forecast.incident_air_kerma_mgy is None:
        yield Caution("note", f"No dose figure: the output was not measured at {technique.kvp:g} kVp.", "tube output")
