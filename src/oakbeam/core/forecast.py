"""What to expect from a technique: index or density with its band, dose, and image figures."""

from __future__ import annotations

import math
from dataclasses import dataclass

from oakbeam.core import geometry, rules
from oakbeam.core.beam.quality import REGION_MOTION_MM_S, cnr, contrast, detail_of, unsharpness_mm
from oakbeam.core.beam.receptor import PHOSPHORS
from oakbeam.core.derived import Forecast, Setup
from oakbeam.core.evaluation import density_from_deviation
from oakbeam.core.modelling import ModelPath, wanted_rqa5_ugy, within_receptor
from oakbeam.core.projection import Projection
from oakbeam.core.refusal import OutOfRange, Refusal, within
from oakbeam.core.room import Receptor, Room, Support
from oakbeam.core.stations import Stationed

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
    path: ModelPath,
    room: Room,
    projection: Projection,
    setup: Setup,
    support: Support,
    receptor: Receptor,
    stationed: Stationed,
    delivered: float,
    target_ei: float | None,
    seen: Seen = NOTHING_SEEN,
) -> Forecast:
    """What to expect from the stations at this distance, thickness and field.

    delivered: receptor exposure over the wanted one, by the ruling school. path stands at the stations. Dose comes from the
    room's measured output; what the model adds is left out where it has no answer. Raises Refusal for an impossible set-up.
    """
    thickness_cm, sid_cm = path.thickness_cm, path.sid_cm
    gap_cm = support.gap_cm if setup.gap_cm is None else within("gap_cm", setup.gap_cm, 0, 60, "cm")
    ssd_cm = geometry.source_to_skin_cm(sid_cm, thickness_cm, gap_cm)
    width, height = _field(path, setup, receptor)
    at_skin = (width * ssd_cm / sid_cm, height * ssd_cm / sid_cm)
    di = 10 * math.log10(delivered)
    try:
        output = room.output_ugy_per_mas(stationed.kvp)
    except OutOfRange:
        kerma_mgy = None
    else:
        kerma_mgy = rules.inverse_square(output * stationed.mas, 100, ssd_cm) / 1000
    low, high, entrance, model_di = None, None, None, None
    shown_contrast, shown_cnr, detail = None, None, detail_of(projection.region)
    try:
        beam, spread = path.beam()
        low, high = band(di, spread, seen)
        if kerma_mgy is not None:
            entrance = kerma_mgy * float(beam.backscatter_factor[0])
            given = stationed.mas * float(beam.rqa5_equivalent_kerma_ugy[0])
            model_di = 10 * math.log10(given / wanted_rqa5_ugy(receptor, target_ei))
        of_detail = contrast(beam, detail)
        shown_contrast, shown_cnr = float(of_detail[0]), float(cnr(beam, of_detail, stationed.mas)[0])
    except Refusal:
        pass
    spot = spot_size_mm(room, stationed.loading.focal_spot)
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
        magnification_at_skin=geometry.magnification(sid_cm, gap_cm + thickness_cm),
        di_low=low,
        di_high=high,
        seen=seen.count,
        entrance_surface_kerma_mgy=entrance,
        reference_kerma_mgy=projection.reference_kerma_mgy,
        model_di=model_di,
        detail=detail.name if shown_contrast is not None else None,
        contrast=shown_contrast,
        cnr=shown_cnr,
        unsharpness_mm=unsharpness_mm(
            spot,
            sid_cm,
            gap_cm + thickness_cm / 2,
            PHOSPHORS[receptor.kind].blur_mm,
            REGION_MOTION_MM_S.get(projection.region, 1.0),
            stationed.loading.time_ms,
        ),
    )


def spot_size_mm(room: Room, name: str) -> float:
    """Nominal size [mm] of a focal spot of the room."""
    return next(spot.size_mm for spot in room.generator.focal_spots if spot.name == name)


def _field(path: ModelPath, setup: Setup, receptor: Receptor) -> tuple[float, float]:
    """The field [cm] at the receptor: as said, else the path's, no larger than the receptor."""
    if setup.field_cm is None:
        return within_receptor(path.field_cm, receptor)
    for side, value in zip(("width", "height"), setup.field_cm, strict=True):
        within(f"field_cm.{side}", value, 1, max(receptor.size_cm), "cm")
    return setup.field_cm
