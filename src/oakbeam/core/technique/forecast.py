"""What to expect from a technique: index or density with its band, dose, and image figures."""

from __future__ import annotations

import math
from dataclasses import dataclass

from oakbeam.core.charts.line import ChartLine
from oakbeam.core.equipment.room import Room
from oakbeam.core.equipment.room_beam import output_behind_ugy_per_mas
from oakbeam.core.equipment.settings import GeneratorSetting
from oakbeam.core.errors import OutOfRange, Refusal
from oakbeam.core.image_review import density_from_deviation
from oakbeam.core.physics import geometry, rules_of_thumb
from oakbeam.core.physics.beam.quality import cnr, contrast, detail_of
from oakbeam.core.technique.image_quality import total_unsharpness_mm
from oakbeam.core.technique.model_state import ModelState
from oakbeam.core.technique.result import Forecast, ShownIndex
from oakbeam.core.technique.set_up import ResolvedSetup

LINE_SPREAD_DI = 0.8
"""One standard deviation of the word of a chart line that was typed or imported: that it is on target."""
CALIBRATED_SPREAD_DI, PAPERS_SPREAD_DI, TYPICAL_SPREAD_DI = 0.4, 0.9, 1.3
"""One standard deviation of the room (output, filtration, index): calibrated here; as its papers say; or as usual rooms are,
whose tubes give 30 to 70 µGy/mAs at 80 kVp and 1 m."""
BAND_80 = 1.2816
"""Four of five lie within this many standard deviations."""
PRIOR_WORTH = 8
"""The estimated spread of patients counts as much as this many exposures."""


@dataclass(frozen=True, slots=True)
class Seen:
    """What was seen of a line. Of the log: accepted exposures with a reliable index, each brought to the line's own numbers
    at its own conditions and to the room as calibrated today: how many, mean DI, and standard deviation about it. moved_di:
    by how much calibrations since the line was set moved its images [DI]."""

    count: int = 0
    mean_di: float = 0.0
    spread_di: float = 0.0
    moved_di: float = 0.0


NOTHING_SEEN = Seen()
SID_GUESS = 0.10
"""One standard deviation, relative, of an SID that was only judged by eye; an estimate."""
SID_GUESS_SPREAD_DI = 20 * math.log10(1 + SID_GUESS)


@dataclass(frozen=True, slots=True)
class Standing:
    """Where a line's images come out on average at its own conditions [DI], one standard deviation of that, and of a single
    patient about it."""

    mean_di: float
    spread_di: float
    patient_di: float


def room_spread_di(room: Room) -> float:
    """How well the room itself is known [DI], one standard deviation."""
    if room.typical_output:
        return TYPICAL_SPREAD_DI
    return CALIBRATED_SPREAD_DI if room.calibration else PAPERS_SPREAD_DI


def standing(
    model_di: float | None,
    model_spread_di: float,
    patient_spread_di: float,
    seen: Seen = NOTHING_SEEN,
    line: ChartLine | None = None,
) -> Standing:
    """What is known of a line, from three witnesses weighted by how sure each is: the line itself, which claims to be on
    target (of the room as it was when the line was set: calibrations since have moved that); the physics model in this room;
    and its logged images.

    model_di: what the model expects of the line at its own conditions, None where it has no answer. The word of a line goes
    by its origin: typed or imported, LINE_SPREAD_DI; an accepted exposure is one image; a draft from test exposures is as
    sure as it said, and holds the model's own witness already; the model's own draft adds nothing to the model.
    """
    patient = math.sqrt((PRIOR_WORTH * patient_spread_di**2 + seen.count * seen.spread_di**2) / (PRIOR_WORTH + seen.count))
    origin = line.origin if line else "typed"
    drafted = line.origin_spread_di if line else None
    witnesses = []
    if drafted:
        witnesses.append((seen.moved_di, drafted**2))
    elif origin == "exposure":
        witnesses.append((seen.moved_di, max(patient_spread_di, 0.1) ** 2))
    elif origin == "typed" or model_di is None:
        witnesses.append((seen.moved_di, LINE_SPREAD_DI**2))
    if model_di is not None and not drafted:
        witnesses.append((model_di, model_spread_di**2))
    if seen.count:
        witnesses.append((seen.mean_di, max(patient, 0.1) ** 2 / seen.count))
    worth = sum(1 / variance for _, variance in witnesses)
    return Standing(sum(di / variance for di, variance in witnesses) / worth, math.sqrt(1 / worth), patient)


def forecast(
    model: ModelState,
    setup: ResolvedSetup,
    setting: GeneratorSetting,
    delivered: float,
    line_di: float | None = None,
    seen: Seen = NOTHING_SEEN,
    line: ChartLine | None = None,
    metal_di: float = 0.0,
) -> Forecast:
    """What to expect from a generator setting at this distance, thickness and field.

    The index is the best estimate of what will happen, whatever method made the technique: where the line's images come out
    (`standing`), moved by the model's ratio from the line's own conditions. Where the model has no answer, and under AEC,
    which holds the exposure itself, delivered stands in: receptor exposure over the wanted one, by the method taken.
    line_di: the model's own index of the line. metal_di: what metal takes off the index, no better known than by half. model
    stands at the setting. Dose comes from the room's measured output; what
    the model adds is left out where it has no answer.
    """
    room, projection, receptor = model.room, model.projection, setup.receptor
    ssd_cm = geometry.source_to_skin_cm(setup.sid_cm, model.thickness_cm, setup.gap_cm)
    width, height = (side * ssd_cm / setup.sid_cm for side in setup.field_cm)
    try:
        output = output_behind_ugy_per_mas(room, setting.kvp, setup.filter)
    except OutOfRange:
        kerma_mgy = None
    else:
        kerma_mgy = rules_of_thumb.inverse_square(output * setting.mas, 100, ssd_cm) / 1000
    di, entrance, imparted = 10 * math.log10(delivered), None, None
    low, high = None, None
    shown_contrast, shown_cnr, detail = None, None, detail_of(projection.region)
    model_di = model.di_of(setting.mas) if kerma_mgy is not None else None
    try:
        beam, patient_spread, unsure = model.beam()
        if setup.exposure_control == "aec":
            known = standing(None, 0.0, patient_spread, Seen(moved_di=seen.moved_di))
            di += known.mean_di
        else:
            model_spread = math.hypot(*unsure.values(), room_spread_di(room))
            known = standing(line_di, model_spread, patient_spread, seen, line)
            di = known.mean_di + (di if line_di is None or model_di is None else model_di - line_di)
        guess = SID_GUESS_SPREAD_DI if setup.sid_guessed and setup.exposure_control != "aec" else 0.0
        di += metal_di
        half = BAND_80 * math.hypot(known.spread_di, known.patient_di, guess, metal_di / 2)
        low, high = di - half, di + half
        if kerma_mgy is not None:
            entrance = kerma_mgy * float(beam.backscatter_factor[0])
            imparted = setting.mas * float(beam.energy_imparted_mj[0])
        of_detail = contrast(beam, detail)
        shown_contrast, shown_cnr = float(of_detail[0]), float(cnr(beam, of_detail, setting.mas)[0])
    except Refusal:
        pass
    target_ei, scale = setup.target_ei, receptor.index_scale
    ei = target_ei * 10 ** (di / 10) if target_ei else None
    time_ms, spot_mm = setting.loading.time_ms, spot_size_mm(room, setting.loading.focal_spot)
    return Forecast(
        ei=ei,
        di=di,
        optical_density=None if receptor.digital else density_from_deviation(di),
        target_ei=target_ei,
        shown_index=ShownIndex(scale.name, scale.shown(target_ei), scale.shown(ei), scale.falls)
        if scale and ei and target_ei
        else None,
        dose_estimated=room.typical_output,
        incident_air_kerma_mgy=kerma_mgy,
        kap_mgycm2=kerma_mgy * width * height if kerma_mgy is not None else None,
        field_at_skin_cm=(width, height),
        time_ms=time_ms,
        energy_j=setting.loading.energy_j,
        heat_units=setting.loading.heat_units,
        magnification_at_skin=geometry.magnification(setup.sid_cm, setup.gap_cm + model.thickness_cm),
        di_low=low,
        di_high=high,
        seen=seen.count,
        entrance_surface_kerma_mgy=entrance,
        energy_imparted_mj=imparted,
        model_di=model_di,
        detail=detail.name if shown_contrast is not None else None,
        contrast=shown_contrast,
        cnr=shown_cnr,
        unsharpness_mm=total_unsharpness_mm(projection, setup, model.thickness_cm, spot_mm, time_ms),
    )


def spot_size_mm(room: Room, name: str) -> float:
    """Nominal size [mm] of a focal spot of the room."""
    return next(spot.size_mm for spot in room.generator.focal_spots if spot.name == name)
