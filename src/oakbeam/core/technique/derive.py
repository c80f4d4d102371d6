"""From a chart line, a patient and a set-up to a technique, with every step of the way: `derive` is the heart of Oakbeam.

The set-up is resolved and checked once (`set_up.resolve`). At the line's own conditions nothing changes; each thing that
differs adds one step (`steps`); the last steps bring the result onto the room's generator settings.
"""

from __future__ import annotations

import math
from contextlib import suppress
from dataclasses import dataclass

from oakbeam.core.caution import Caution
from oakbeam.core.charts.line import ChartLine
from oakbeam.core.equipment.aec import chambers
from oakbeam.core.equipment.generator import aec_backup_mas
from oakbeam.core.equipment.room import Method, Room
from oakbeam.core.equipment.settings import GeneratorSetting, nearest_generator_setting
from oakbeam.core.errors import Refusal
from oakbeam.core.patient.dose_levels import dose_levels
from oakbeam.core.patient.patient import Patient
from oakbeam.core.physics.rules_of_thumb import GridTable
from oakbeam.core.projection import Projection
from oakbeam.core.technique.breathing import breathing_step
from oakbeam.core.technique.forecast import NOTHING_SEEN, Seen, forecast, spot_size_mm
from oakbeam.core.technique.model_state import ModelState
from oakbeam.core.technique.result import Derived, Technique
from oakbeam.core.technique.set_up import ResolvedSetup, Setup, as_charted, resolve
from oakbeam.core.technique.set_up_figures import figures
from oakbeam.core.technique.steps import (
    RunningTechnique,
    age_step,
    alignment_step,
    chamber_step,
    density_step,
    exposure_factor,
    field_step,
    filter_step,
    gap_step,
    grid_step,
    hand_step,
    patient_steps,
    receptor_step,
    setting_steps,
    sid_step,
    thickness_step,
)
from oakbeam.core.technique.warnings import APART_DI, methods_part, setup_cautions


@dataclass(frozen=True, slots=True)
class WorkedOut:
    """The resolved set-up, and the technique up to what it and the patient want: before hand and generator settings."""

    setup: ResolvedSetup
    running: RunningTechnique


def work_out(
    line: ChartLine,
    room: Room,
    projection: Projection,
    patient: Patient,
    setup: Setup,
    grid_table: GridTable,
    method: Method,
) -> WorkedOut:
    """One step for each thing in which the patient and the set-up differ from the chart line, in the order of the work."""
    charted, wanted = as_charted(line, room, projection), resolve(line, room, projection, patient, setup)
    model = ModelState.charted(line, room, projection, charted, patient)
    running = thickness_step(line, patient, method, model)
    age_step(running, projection, patient)
    sid_step(running, charted, wanted)
    grid_step(running, charted, wanted, grid_table)
    alignment_step(running, wanted)
    gap_step(running, wanted)
    filter_step(running, charted, wanted)
    receptor_step(running, charted, wanted)
    field_step(running, line, patient, wanted)
    patient_steps(running, projection, patient, wanted)
    return WorkedOut(wanted, running)


def derive(
    line: ChartLine,
    room: Room,
    projection: Projection,
    patient: Patient,
    setup: Setup,
    grid_table: GridTable = "average",
    method: Method | None = None,
    seen: Seen = NOTHING_SEEN,
) -> Derived:
    """The technique for a patient and a set-up from a chart line, with its steps, forecast and cautions.

    At the line's own conditions (and thickness) exact_kvp and exact_mas are the line's own. method: the one whose factors
    are taken, None for the room's. seen: what the log says of the line, for the forecast's band. Raises Refusal or
    OutOfRange, with what is allowed, for anything outside the line, the generator's settings or the tube.
    """
    worked = work_out(line, room, projection, patient, setup, grid_table, method or room.school)
    running, resolved = worked.running, worked.setup
    wanted = running.marked()
    density_step(running, room.aec, resolved)
    hand_step(running, resolved)
    resolved = breathing_step(running, room, projection, patient, resolved, setup.exposure_control is not None)
    chamber_step(running, room.aec, resolved)

    exact_kvp, exact_mas = running.kvp, running.mas
    apart_di = 0.0 if resolved.kvp is not None and resolved.mas is not None else running.apart_di()
    by_hand = resolved.mas is not None
    setting = nearest_generator_setting(
        room,
        projection,
        exact_kvp,
        exact_mas,
        resolved.exposure_control,
        mas_by_hand=by_hand,
        time_share=patient.time_share,
        follow=lambda kvp: exposure_factor(running, kvp),
        spot=resolved.focal_spot,
    )
    setting_steps(running, setting, by_hand)
    # What the settings give over what was wanted before anything was set by hand, by the method taken. AEC ends the exposure
    # itself, between the stations.
    by_aec = resolved.exposure_control == "aec" and not by_hand
    kvp, mas = (exact_kvp, exact_mas) if by_aec else (setting.kvp, setting.mas)
    delivered = mas / (wanted.mas * exposure_factor(wanted, kvp))
    expected = forecast(running.model, resolved, setting, delivered, running.line_di, seen, line, running.metal_di)
    expected = expected.held_against(dose_levels(projection, patient))
    technique = _technique(room, resolved, setting, exact_mas)
    if running.method == "rules" and abs(apart_di) > APART_DI and resolved.exposure_control != "aec":
        with suppress(Refusal):
            other = derive(line, room, projection, patient, setup, grid_table, "model", seen).technique
            # First: what the numbers above will give stands where the eye is.
            running.cautions.insert(0, Caution(*methods_part(technique, other, expected.di)))
    cautions = setup_cautions(
        line, room, projection, patient, resolved, technique, expected, exact_mas, running.field_di, seen.moved_di
    )
    spot_mm = spot_size_mm(room, setting.loading.focal_spot)
    return Derived(
        technique,
        exact_kvp,
        exact_mas,
        math.log2(delivered),
        tuple(running.steps),
        expected,
        (*running.cautions, *cautions),
        figures(running.model, resolved, spot_mm),
    )


def _technique(room: Room, setup: ResolvedSetup, setting: GeneratorSetting, exact_mas: float) -> Technique:
    """What to set. With AEC the mAs is a prediction, and the back-up limits it."""
    by_aec = room.aec if setup.exposure_control == "aec" else None
    return Technique(
        setting.kvp,
        setting.mas,
        setting.loading.ma,
        setting.loading.time_ms,
        setting.loading.focal_spot,
        setup.sid_cm,
        setup.support.id,
        setup.grid_ratio,
        setup.receptor.id,
        setup.exposure_control,
        filter=setup.filter.id if setup.filter else None,
        aec_cells=("+".join(setup.aec_cells) or "none") if by_aec else None,
        aec_density=setup.aec_density if by_aec else 0,
        aec_backup_mas=aec_backup_mas(room.generator, exact_mas, by_aec.backup_factor) if by_aec else None,
        aec_chambers=chambers(by_aec.cells, setup.aec_cells, setup.field_cm) if by_aec else (),
    )
