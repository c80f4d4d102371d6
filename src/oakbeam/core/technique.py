"""From a chart line, a patient and a set-up to a technique, with every step of the way: `derive` is the heart of Oakbeam.

At the line's own conditions nothing changes; each thing that differs adds one rung to the ladder; the last rungs bring the
result onto the room's stations.
"""

from __future__ import annotations

import math
from dataclasses import replace

from oakbeam.core import geometry, rules
from oakbeam.core.cautions import setup_cautions
from oakbeam.core.chart import SID_RANGE_CM, ChartLine
from oakbeam.core.derived import Derived, Forecast, Setup, Technique
from oakbeam.core.evaluation import density_from_deviation
from oakbeam.core.generator import AEC_MINIMUM_RESPONSE_MS, aec_backup_mas
from oakbeam.core.ladder import (
    Ladder,
    field_step,
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
from oakbeam.core.refusal import OutOfRange, Refusal, within
from oakbeam.core.room import SUPPORT_NAMES, Receptor, Room, Support
from oakbeam.core.rules import GridTable
from oakbeam.core.stations import Stationed, put_on_stations


def derive(
    line: ChartLine,
    room: Room,
    projection: Projection,
    patient: Patient,
    setup: Setup,
    grid_table: GridTable = "average",
) -> Derived:
    """The technique for a patient and a set-up from a chart line, with its ladder, forecast and cautions.

    At the line's own conditions (and thickness) exact_kvp and exact_mas are the line's own. Raises Refusal or OutOfRange,
    with what is allowed, for anything outside the line, the stations or the tube.
    """
    if setup.sid_cm is not None:
        within("sid_cm", setup.sid_cm, *SID_RANGE_CM, "cm")
    line_support, support = room.support(line.support), room.support(setup.support or line.support)
    receptor = room.receptor(setup.receptor or line.receptor)
    grid_ratio = grid_in_use(line, support, setup)
    sid_cm = sid_in_use(line, line_support, support, setup)

    ladder = start(line, patient)
    sid_step(ladder, line, line_support, support, setup, sid_cm)
    grid_step(ladder, line, support, grid_ratio, grid_table)
    target_ei = receptor_step(ladder, line, room, receptor)
    field_step(ladder, line, patient, setup)
    patient_steps(ladder, patient, setup)
    wanted = (ladder.kvp, ladder.mas)
    hand_step(ladder, setup)

    exact_kvp, exact_mas = ladder.kvp, ladder.mas
    stationed = put_on_stations(
        room, projection, exact_kvp, exact_mas, setup.exposure_control, mas_by_hand=setup.mas is not None
    )
    station_steps(ladder, stationed, exact_kvp, setup.mas is not None)
    delivered = rules.receptor_exposure_ratio(stationed.kvp, stationed.mas, *wanted)
    forecast = _forecast(line, room, projection, patient, setup, support, receptor, sid_cm, stationed, delivered, target_ei)
    technique = Technique(
        stationed.kvp,
        stationed.mas,
        stationed.loading.ma,
        stationed.loading.time_ms,
        stationed.loading.focal_spot,
        sid_cm,
        support.id,
        grid_ratio,
        receptor.id,
        setup.exposure_control,
    )
    if setup.exposure_control == "aec":
        technique = _with_aec(technique, room, projection, exact_mas, ladder)
    return Derived(
        technique,
        exact_kvp,
        exact_mas,
        math.log2(delivered),
        tuple(ladder.steps),
        forecast,
        (*ladder.cautions, *setup_cautions(line, room, projection, patient, setup, technique, forecast)),
    )


def _forecast(
    line: ChartLine,
    room: Room,
    projection: Projection,
    patient: Patient,
    setup: Setup,
    support: Support,
    receptor: Receptor,
    sid_cm: float,
    stationed: Stationed,
    delivered: float,
    target_ei: float | None,
) -> Forecast:
    """What to expect from the stations at this distance, thickness and field."""
    gap_cm = support.gap_cm if setup.gap_cm is None else within("gap_cm", setup.gap_cm, 0, 60, "cm")
    ssd_cm = geometry.source_to_skin_cm(sid_cm, patient.thickness_cm, gap_cm)
    width, height = _field(line, projection, setup, receptor)
    at_skin = (width * ssd_cm / sid_cm, height * ssd_cm / sid_cm)
    di = 10 * math.log10(delivered)
    try:
        output = room.output_ugy_per_mas(stationed.kvp)
    except OutOfRange:
        kerma_mgy = None
    else:
        kerma_mgy = rules.inverse_square(output * stationed.mas, 100, ssd_cm) / 1000
    return Forecast(
        ei=target_ei * delivered if target_ei else None,
        di=di,
        optical_density=None if receptor.digital else density_from_deviation(di),
        target_ei=target_ei,
        incident_air_kerma_mgy=kerma_mgy,
        kap_mgycm2=kerma_mgy * at_skin[0] * at_skin[1] if kerma_mgy is not None else None,
        field_at_skin_cm=at_skin,
        time_ms=stationed.loading.time_ms,
        energy_j=stationed.loading.energy_j,
        heat_units=stationed.loading.heat_units,
        magnification_at_skin=geometry.magnification(sid_cm, gap_cm + patient.thickness_cm),
    )


def _field(line: ChartLine, projection: Projection, setup: Setup, receptor: Receptor) -> tuple[float, float]:
    """The field [cm] at the receptor: as said, else the usual one, no larger than the receptor."""
    if setup.field_cm is None:
        usual = line.field_cm or projection.field_cm
        short, long = (min(a, b) for a, b in zip(sorted(usual), sorted(receptor.size_cm), strict=True))
        return (short, long) if usual[0] <= usual[1] else (long, short)
    for side, value in zip(("width", "height"), setup.field_cm, strict=True):
        within(f"field_cm.{side}", value, 1, max(receptor.size_cm), "cm")
    return setup.field_cm


def _with_aec(technique: Technique, room: Room, projection: Projection, exact_mas: float, ladder: Ladder) -> Technique:
    """AEC: the mAs is a prediction, the back-up limits it."""
    if technique.support in ("tabletop", "detector"):
        raise Refusal(
            "No AEC here",
            f"There is no chamber behind a receptor on the {SUPPORT_NAMES[technique.support]}; expose manually.",
            ["manual", "breathing"],
            "exposure_control",
        )
    if projection.aec_cells == "none":
        ladder.caution("warning", "No chamber is usual for this projection: check that the part covers one.", "AEC")
    backup = aec_backup_mas(room.generator, exact_mas)
    if technique.time_ms < AEC_MINIMUM_RESPONSE_MS:
        text = f"{technique.time_ms:g} ms is below the AEC's shortest response, {AEC_MINIMUM_RESPONSE_MS:g} ms: lower mA."
        ladder.caution("warning", text, "AEC minimum response")
    if backup < exact_mas:
        text = f"The back-up ceiling of {backup:g} mAs is below the predicted {exact_mas:.3g} mAs: raise kVp."
        ladder.caution("warning", text, "AEC back-up")
    return replace(technique, aec_cells=projection.aec_cells, aec_backup_mas=backup)
