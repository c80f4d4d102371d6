"""What to expect from a technique: index or density with its band, dose, and image figures."""

from __future__ import annotations

import math
from dataclasses import dataclass

from oakbeam.core.equipment.room import Room
from oakbeam.core.equipment.room_beam import wanted_rqa5_ugy
from oakbeam.core.equipment.settings import GeneratorSetting
from oakbeam.core.errors import OutOfRange, Refusal
from oakbeam.core.image_review import density_from_deviation
from oakbeam.core.physics import geometry, rules_of_thumb
from oakbeam.core.physics.beam.quality import cnr, contrast, detail_of
from oakbeam.core.technique.image_quality import total_unsharpness_mm
from oakbeam.core.technique.model_state import ModelState
from oakbeam.core.technique.result import Forecast
from oakbeam.core.technique.set_up import ResolvedSetup

LINE_SPREAD_DI = 0.5
"""One standard deviation of a chart line that nobody has checked against its images."""
BAND_80 = 1.2816
"""Four of five lie within this many standard deviations."""
PRIOR_WORTH = 8
"""The prior counts as much as this many exposures."""


@dataclass(frozen=True, slots=True)
class Seen:
    """What the log says of a line: accepted exposures with a reliable index, their DI once the set mAs is brought to the one
    suggested: how many, mean, and standard deviation about the mean."""

    count: int = 0
    mean_di: float = 0.0
    spread_di: float = 0.0


NOTHING_SEEN = Seen()


def band(expected_di: float, patient_spread_di: float, seen: Seen) -> tuple[float, float]:
    """DI range in which four of five images should lie.

    Before any image: the patient's spread and the line's own, added in quadrature, about the expected DI. Each logged image
    shifts the middle and takes the prior's place in the spread: both are means weighted by PRIOR_WORTH and the count.
    """
    worth = PRIOR_WORTH + seen.count
    shift = seen.count * seen.mean_di / worth
    line_variance = LINE_SPREAD_DI**2 * PRIOR_WORTH / worth
    patient_variance = (PRIOR_WORTH * patient_spread_di**2 + seen.count * seen.spread_di**2) / worth
    half = BAND_80 * math.sqrt(line_variance + patient_variance)
    middle = expected_di + shift
    return middle - half, middle + half


def forecast(
    model: ModelState, setup: ResolvedSetup, setting: GeneratorSetting, delivered: float, seen: Seen = NOTHING_SEEN
) -> Forecast:
    """What to expect from a generator setting at this distance, thickness and field.

    delivered: receptor exposure over the wanted one, by the method taken. model stands at the setting. Dose comes from the
    room's measured output; what the model adds is left out where it has no answer.
    """
    room, projection, receptor = model.room, model.projection, setup.receptor
    ssd_cm = geometry.source_to_skin_cm(setup.sid_cm, model.thickness_cm, setup.gap_cm)
    width, height = (side * ssd_cm / setup.sid_cm for side in setup.field_cm)
    di = 10 * math.log10(delivered)
    try:
        output = room.output_ugy_per_mas(setting.kvp)
    except OutOfRange:
        kerma_mgy = None
    else:
        kerma_mgy = rules_of_thumb.inverse_square(output * setting.mas, 100, ssd_cm) / 1000
    low, high, entrance, model_di = None, None, None, None
    shown_contrast, shown_cnr, detail = None, None, detail_of(projection.region)
    try:
        beam, spread = model.beam()
        low, high = band(di, spread, seen)
        if kerma_mgy is not None:
            entrance = kerma_mgy * float(beam.backscatter_factor[0])
            given = setting.mas * float(beam.rqa5_equivalent_kerma_ugy[0])
            model_di = 10 * math.log10(given / wanted_rqa5_ugy(receptor, setup.target_ei))
        of_detail = contrast(beam, detail)
        shown_contrast, shown_cnr = float(of_detail[0]), float(cnr(beam, of_detail, setting.mas)[0])
    except Refusal:
        pass
    time_ms, spot_mm = setting.loading.time_ms, spot_size_mm(room, setting.loading.focal_spot)
    return Forecast(
        ei=setup.target_ei * delivered if setup.target_ei else None,
        di=di,
        optical_density=None if receptor.digital else density_from_deviation(di),
        target_ei=setup.target_ei,
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
        reference_kerma_mgy=projection.reference_kerma_mgy,
        model_di=model_di,
        detail=detail.name if shown_contrast is not None else None,
        contrast=shown_contrast,
        cnr=shown_cnr,
        unsharpness_mm=total_unsharpness_mm(projection, setup, model.thickness_cm, spot_mm, time_ms),
    )


def spot_size_mm(room: Room, name: str) -> float:
    """Nominal size [mm] of a focal spot of the room."""
    return next(spot.size_mm for spot in room.generator.focal_spots if spot.name == name)
