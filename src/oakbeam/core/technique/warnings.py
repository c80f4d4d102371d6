"""Cautions of a set-up: few and specific, each names a number of this set-up and what to do about it."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping

from oakbeam.core.caution import Caution, CautionLevel
from oakbeam.core.charts.calibration_effect import OFF_FROM_DI
from oakbeam.core.charts.line import ChartLine
from oakbeam.core.dates import day_of
from oakbeam.core.equipment.room import Aec, Room
from oakbeam.core.patient.patient import CHILDREN, Patient
from oakbeam.core.patient.posture import stance
from oakbeam.core.patient.thickness import plausibility
from oakbeam.core.physics import geometry
from oakbeam.core.projection import SUPPORT_NAMES, Projection, Quantity
from oakbeam.core.technique.forecast import BAND_80, SID_GUESS
from oakbeam.core.technique.result import Forecast, Technique
from oakbeam.core.technique.set_up import ResolvedSetup

SID_TOLERANCE = 0.02
"""An SID indicator is usually allowed to be off by this much: below it no caution is worth a word."""
CHILD_GRID_FROM_CM = 12.0
TILT_WORTH_A_WORD = 1.05
"""Exposure factor of a tilted tube left at its detent, from which it is worth a caution; the height always stands beside."""
GRID_THRESHOLD_SLACK_CM = 2.0
"""Departments' thresholds for a grid differ by about this much; a missing grid is only a warning beyond it."""


APART_DI = 10 * math.log10(1.1)
"""Where the rules of thumb part from the physics model by more than this, both techniques are said."""


def methods_part(taken: Technique, other: Technique, di: float) -> tuple[CautionLevel, str, str]:
    """The rules and the model want different exposures: what to expect of the one, and the other's numbers."""
    text = (
        f"The methods part: with {taken.kvp:g} kVp and {taken.mas:g} mAs expect DI {di:+.1f}; by the physics model "
        f"{other.kvp:g} kVp and {other.mas:g} mAs."
    )
    return "note", text.replace("-", "−"), METHODS_PART


METHODS_PART = "methods part"
DOSE_TIMES_LEVEL = 2.0
"""A dose over a level of the same quantity, from which it is worth a caution."""


def setup_cautions(
    line: ChartLine,
    room: Room,
    projection: Projection,
    patient: Patient,
    setup: ResolvedSetup,
    technique: Technique,
    forecast: Forecast,
    exact_mas: float,
    field_di: float,
    moved_di: float,
) -> tuple[Caution, ...]:
    """The cautions that the final set-up itself gives rise to, in the order of the work. field_di: what another field than
    the line's would do to the index [DI] were the mAs left as it is. moved_di: what calibrations since the line was set
    moved its images by [DI]."""
    return (
        *_not_corrected(room, setup, moved_di, exact_mas),
        *plausibility(projection, patient.thickness_cm, patient.habitus, patient.age_band),
        *_distance(projection, setup.sid_cm),
        *_guessed_sid(setup, exact_mas),
        *_open_field(line, projection, setup, field_di),
        *_skin(room, patient, setup),
        *_angle(projection, setup),
        *_grid(line, room, projection, patient, setup),
        *_console(projection, patient, technique, forecast),
        *_dose(forecast),
        *(_aec(room.aec, projection, patient, technique, exact_mas) if setup.exposure_control == "aec" else ()),
    )


def _not_corrected(room: Room, setup: ResolvedSetup, moved_di: float, exact_mas: float) -> Iterator[Caution]:
    """A line that was not corrected since the room was calibrated."""
    if abs(moved_di) < OFF_FROM_DI or room.calibration is None:
        return
    by = f"{moved_di:+.1f} DI".replace("-", "−")
    instead = (
        "" if setup.exposure_control == "aec" else f" About {exact_mas * 10 ** (-moved_di / 10):.2g} mAs makes up for it."
    )
    yield Caution(
        "warning" if abs(moved_di) >= 1 else "note",
        f"Not corrected since the calibration of {day_of(room.calibration.at)}: its images moved by {by}.{instead}",
        "off since a calibration",
    )


DOSE_NAMES: Mapping[Quantity, str] = {
    "incident_air_kerma": "Skin kerma",
    "entrance_surface_air_kerma": "Skin kerma with backscatter",
    "kerma_area_product": "KAP",
}


def _dose(forecast: Forecast) -> Iterator[Caution]:
    """The level passed by most, where by enough."""
    for level in forecast.levels[:1]:
        given = forecast.dose(level.quantity)
        if given and given >= DOSE_TIMES_LEVEL * level.value:
            yield Caution(
                "warning",
                f"{DOSE_NAMES[level.quantity]} {_figure(given)} {level.unit} is {given / level.value:.1f} times an example "
                f"level, {level.value:g} {level.unit} for {level.of_whom}: check thickness, SID, field and kVp.",
                "dose level",
            )


def _figure(value: float) -> str:
    return f"{value:.2g}" if value < 100 else f"{value:.0f}"


def _distance(projection: Projection, sid_cm: float) -> Iterator[Caution]:
    least = projection.minimum_sid_cm
    if least and sid_cm < least * (1 - SID_TOLERANCE):
        yield Caution(
            "warning",
            f"SID {sid_cm:g} cm is under this projection's {least:g} cm: note the distance on the image.",
            "minimum SID",
        )


def _guessed_sid(setup: ResolvedSetup, exact_mas: float) -> Iterator[Caution]:
    """Both ends of what the distance may be, and how it is found."""
    if not setup.sid_guessed:
        return
    ends = [round(setup.sid_cm * (1 + BAND_80 * side * SID_GUESS)) for side in (-1, 1)]
    near, far = (f"at {sid} cm {exact_mas * (sid / setup.sid_cm) ** 2:.2g} mAs" for sid in ends)
    yield Caution(
        "warning",
        f"SID not known, taken as {setup.sid_cm:g} cm: {near}, {far}. Tape it, or a cord of known length; or set the light "
        "to 35 cm at the mark for 100 cm: its width over 0.35 is the SID.",
        "SID not known",
    )


WORTH_A_WORD_DI = 0.1
OPEN_FIELD = 1.3
"""A field this many times as large as what is charted and what the view takes is worth a word."""


def _open_field(line: ChartLine, projection: Projection, setup: ResolvedSetup, field_di: float) -> Iterator[Caution]:
    """A field opened beyond what the view takes: skin exposed for nothing, scatter, and an index that moves by it."""
    width, height = setup.field_cm
    usual = max((line.field_cm or projection.field_cm, projection.field_cm), key=math.prod)
    if width * height < OPEN_FIELD * math.prod(usual):
        return
    by = f"{field_di:+.1f} DI".replace("-", "−")
    moves = f", and scatter alone moves the index by {by}" if abs(field_di) >= WORTH_A_WORD_DI else ""
    share = 100 * (1 - math.prod(usual) / (width * height))
    yield Caution(
        "note",
        f"Field {width:g} × {height:g} cm where {usual[0]:g} × {usual[1]:g} are usual: {share:.0f} % of what is exposed "
        f"shows nothing asked for{moves}. Move the patient, not the collimator; a light field that looks small on a thick "
        "part is right.",
        "open field",
    )


def _skin(room: Room, patient: Patient, setup: ResolvedSetup) -> Iterator[Caution]:
    """The focus too near to the skin. Shorter than 15 cm is refused before."""
    least = LEAST_SKIN_CM[room.mobile]
    ssd_cm = geometry.source_to_skin_cm(setup.sid_cm, patient.thickness_cm, setup.gap_cm)
    if ssd_cm < least:
        unit = "a mobile unit" if room.mobile else "a fixed unit"
        text = (
            f"Focus {ssd_cm:.0f} cm from the skin: {unit} keeps {least:g} cm (an example; local codes rule). Raise the SID."
        )
        yield Caution("warning", text, "focus to skin")


LEAST_SKIN_CM = {False: 45.0, True: 30.0}
"""Least distance of the focus from the skin [cm], fixed and mobile; after IEC 60601-1-3 and 21 CFR 1020.31, from memory."""


def _angle(projection: Projection, setup: ResolvedSetup) -> Iterator[Caution]:
    """A tilted tube is further off along its ray than its detent says; not where the height itself was measured, nor where
    the receptor stands square to the ray, along which the distance is then read."""
    if not setup.tube_angle_deg or setup.height_measured or projection.receptor_square:
        return
    horizontal = stance(projection, setup.support.id)[1] == "horizontal"
    sid_cm = setup.sid_cm
    height = geometry.tube_height_cm(sid_cm, setup.tube_angle_deg)
    left = geometry.sid_along_ray_cm(sid_cm, setup.tube_angle_deg)
    if (left / sid_cm) ** 2 < TILT_WORTH_A_WORD:
        return
    yield Caution(
        "note",
        f"At {abs(setup.tube_angle_deg):g}° put the focus {height:.1f} cm {'before' if horizontal else 'above'} the "
        f"receptor, square to it, to keep {sid_cm:g} cm along the ray; left at the detent it is {left:.1f} cm "
        f"(mAs ×{(left / sid_cm) ** 2:.2f}).",
        "tilted tube",
    )


def _grid(line: ChartLine, room: Room, projection: Projection, patient: Patient, setup: ResolvedSetup) -> Iterator[Caution]:
    """Grid against thickness is the chart's own decision; a caution comes where the set-up leaves the chart's."""
    ratio, thickness, usual_over = setup.grid_ratio, patient.thickness_cm, projection.grid_over_cm
    grid = room.grid(setup.support, ratio) if ratio else None
    if grid:
        low, high = grid.range_cm
        loss = geometry.cutoff_off_distance(ratio, min(setup.field_cm) / 2, grid.focal_cm, setup.sid_cm)
        # Within the range that its maker states the loss at the edges is what the grid was accepted with.
        if not low <= setup.sid_cm <= high:
            yield Caution(
                "warning",
                f"{ratio}:1 grid focused at {grid.focal_cm:g} cm used at {setup.sid_cm:g} cm (its range {low:g} to "
                f"{high:g}): about {100 * loss:.0f} % of the primary is lost at the field's edge. "
                f"{_way_out(room, setup, low, high)}",
                "grid focal range",
            )
    elif ratio:
        place = SUPPORT_NAMES[setup.support.id]
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


def _way_out(room: Room, setup: ResolvedSetup, low: float, high: float) -> str:
    """What else can be done where the distance is not the grid's."""
    fits = [sid for sid in room.detents_cm(setup.support) if low <= sid <= high]
    nearest = min(fits, key=lambda sid: abs(sid - setup.sid_cm), default=min(max(setup.sid_cm, low), high))
    return f"Use {nearest:g} cm, take the grid out, or choose another support."


def _console(projection: Projection, patient: Patient, technique: Technique, forecast: Forecast) -> Iterator[Caution]:
    ceiling = projection.time_ceiling_ms * patient.time_share
    if patient.cannot_keep_still:
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


SMALL_CHILD = ("newborn", "1y")


def _aec(
    aec: Aec | None, projection: Projection, patient: Patient, technique: Technique, exact_mas: float
) -> Iterator[Caution]:
    """Why the AEC may be wrong here; each says what to do instead. exact_mas: the prediction before generator settings."""
    selected = [chamber for chamber in technique.aec_chambers if chamber.selected]
    if not selected:
        yield Caution("warning", "No chamber is usual for this projection: check that the part covers one.", "AEC")
    if bare := [chamber.name for chamber in selected if not chamber.covered]:
        names = " and ".join(bare)
        yield Caution(
            "warning", f"The field does not cover chamber {names}: choose another or expose manually.", "AEC chamber"
        )
    if patient.cast:
        yield Caution("warning", f"{patient.cast.name} over the chamber makes it expose longer: manual is safer.", "AEC")
    if patient.age_band in SMALL_CHILD:
        yield Caution("warning", "A small child does not cover a chamber: expose manually.", "AEC")
    if projection.breathing[0] == "slow" and projection.aec_cells == "none":
        yield Caution("note", "A breathing technique is set manually unless the AEC was proven for it here.", "AEC")
    if aec and technique.time_ms < aec.minimum_response_ms:
        text = f"{technique.time_ms:g} ms is below the AEC's shortest response, {aec.minimum_response_ms:g} ms: lower mA."
        yield Caution("warning", text, "AEC minimum response")
    backup = technique.aec_backup_mas
    if backup is not None and backup < exact_mas:
        text = f"The back-up ceiling of {backup:g} mAs is below the predicted {exact_mas:.3g} mAs: raise kVp."
        yield Caution("warning", text, "AEC back-up")
