"""From a chart line, a patient and a set-up to a technique, with every step of the way: `derive` is the heart of Oakbeam.

At the line's own conditions nothing changes; each thing that differs adds one rung to the ladder; the last rungs bring the
result onto the room's stations.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from oakbeam.core.aec import chambers, mistrust
from oakbeam.core.cautions import setup_cautions
from oakbeam.core.chart import SID_RANGE_CM, ChartLine
from oakbeam.core.derived import Derived, Setup, Technique
from oakbeam.core.figures import figures
from oakbeam.core.forecast import NOTHING_SEEN, Seen, forecast, spot_size_mm
from oakbeam.core.generator import aec_backup_mas
from oakbeam.core.ladder import (
    Ladder,
    alignment_step,
    density_step,
    exposure_factor,
    field_step,
    gap_step,
    grid_in_use,
    grid_step,
    hand_step,
    patient_steps,
    receptor_step,
    sid_in_use,
    sid_step,
    start,
    station_steps,
)
from oakbeam.core.patient import Patient
from oakbeam.core.projection import Projection
from oakbeam.core.refusal import Refusal, one_of, within
from oakbeam.core.room import SUPPORT_NAMES, Receptor, Room, School, Support
from oakbeam.core.rules import GridTable
from oakbeam.core.stations import put_on_stations


@dataclass(frozen=True, slots=True)
class Climbed:
    """The ladder up to what the set-up and the patient want, before anything is set by hand or rounded to stations."""

    ladder: Ladder
    support: Support
    receptor: Receptor
    target_ei: float | None


def climb(
    line: ChartLine,
    room: Room,
    projection: Projection,
    patient: Patient,
    setup: Setup,
    grid_table: GridTable,
    school: School,
) -> Climbed:
    """One rung for each thing in which the patient and the set-up differ from the chart line, in the order of the work."""
    if setup.sid_cm is not None:
        within("sid_cm", setup.sid_cm, *SID_RANGE_CM, "cm")
    line_support, support = room.support(line.support), room.support(setup.support or line.support)
    receptor = room.receptor(setup.receptor or line.receptor)
    grid_ratio = grid_in_use(line, support, setup)
    sid_cm = sid_in_use(line, line_support, support, setup)

    ladder = start(line, room, projection, patient, school)
    sid_step(ladder, line, line_support, support, setup, sid_cm)
    grid_step(ladder, line, support, grid_ratio, grid_table)
    alignment_step(ladder, setup)
    gap_step(ladder, support, setup)
    target_ei = receptor_step(ladder, line, room, receptor)
    field_step(ladder, line, patient, setup)
    patient_steps(ladder, patient, setup)
    return Climbed(ladder, support, receptor, target_ei)


def derive(
    line: ChartLine,
    room: Room,
    projection: Projection,
    patient: Patient,
    setup: Setup,
    grid_table: GridTable = "average",
    school: School | None = None,
    seen: Seen = NOTHING_SEEN,
) -> Derived:
    """The technique for a patient and a set-up from a chart line, with its ladder, forecast and cautions.

    At the line's own conditions (and thickness) exact_kvp and exact_mas are the line's own. school: the one that rules the
    ladder, None for the room's. seen: what the log knows of the line, for the forecast's band. Raises Refusal or OutOfRange,
    with what is allowed, for anything outside the line, the stations or the tube.
    """
    climbed = climb(line, room, projection, patient, setup, grid_table, school or room.school)
    ladder, support, receptor, target_ei = climbed.ladder, climbed.support, climbed.receptor, climbed.target_ei
    wanted = ladder.marked()
    density_step(ladder, room, setup)
    hand_step(ladder, setup)

    exact_kvp, exact_mas = ladder.kvp, ladder.mas
    stationed = put_on_stations(
        room,
        projection,
        exact_kvp,
        exact_mas,
        setup.exposure_control,
        mas_by_hand=setup.mas is not None,
        time_share=0.5 if patient.cannot_keep_still else 1.0,
        follow=lambda kvp: exposure_factor(ladder, kvp),
    )
    station_steps(ladder, stationed, setup.mas is not None)
    # What the stations give over what was wanted before anything was set by hand, by the school that rules.
    delivered = stationed.mas / (wanted.mas * exposure_factor(wanted, stationed.kvp))
    expected = forecast(ladder.path, room, projection, setup, support, receptor, stationed, delivered, target_ei, seen)
    technique = Technique(
        stationed.kvp,
        stationed.mas,
        stationed.loading.ma,
        stationed.loading.time_ms,
        stationed.loading.focal_spot,
        ladder.path.sid_cm,
        support.id,
        ladder.path.grid_ratio,
        receptor.id,
        setup.exposure_control,
    )
    if setup.exposure_control == "aec":
        technique = _with_aec(technique, room, projection, patient, setup, exact_mas, ladder)
    return Derived(
        technique,
        exact_kvp,
        exact_mas,
        math.log2(delivered),
        tuple(ladder.steps),
        expected,
        (*ladder.cautions, *setup_cautions(line, room, projection, patient, setup, technique, expected)),
        figures(ladder.path, projection, spot_size_mm(room, stationed.loading.focal_spot), setup.tube_angle_deg or 0.0),
    )


def _with_aec(
    technique: Technique,
    room: Room,
    projection: Projection,
    patient: Patient,
    setup: Setup,
    exact_mas: float,
    ladder: Ladder,
) -> Technique:
    """AEC: the mAs is a prediction, the back-up limits it."""
    if technique.support in ("tabletop", "detector"):
        raise Refusal(
            "No AEC here",
            f"There is no chamber behind a receptor on the {SUPPORT_NAMES[technique.support]}; expose manually.",
            ["manual", "breathing"],
            "exposure_control",
        )
    if room.aec is None:
        raise Refusal("No AEC here", "This room has no AEC; expose manually.", ["manual", "breathing"], "exposure_control")
    selected = setup.aec_cells or projection.aec_cells
    for name in selected.split("+") if selected != "none" else ():
        one_of("aec_cells", name, room.aec.cells)
    cells = chambers(room.aec.cells, selected, ladder.path.field_cm)
    ladder.cautions += mistrust(projection, patient, cells, room.aec.minimum_response_ms, technique.time_ms)
    backup = aec_backup_mas(room.generator, exact_mas, room.aec.backup_factor)
    if backup < exact_mas:
        text = f"The back-up ceiling of {backup:g} mAs is below the predicted {exact_mas:.3g} mAs: raise kVp."
        ladder.caution("warning", text, "AEC back-up")
    return replace(technique, aec_cells=selected, aec_backup_mas=backup, aec_chambers=cells)
