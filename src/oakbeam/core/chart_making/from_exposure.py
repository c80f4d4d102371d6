"""A chart line from one accepted exposure, by the technique system of the keeper's choice."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from oakbeam.core.chart_check.level import best_doubling_cm, best_kvp_per_cm
from oakbeam.core.charts.levelled import level
from oakbeam.core.charts.line import KVP_RANGE, MAS_RANGE, ChartLine, usual_bands
from oakbeam.core.charts.systems import Band, Banded, FixedKvp, MasRule, SystemName, VariableKvp
from oakbeam.core.charts.validation import check_line
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal, within
from oakbeam.core.image_review import corrected_mas, deviation_index
from oakbeam.core.physics import rules_of_thumb
from oakbeam.core.projection import Projection


@dataclass(frozen=True, slots=True)
class AcceptedExposure:
    """One exposure that gave an accepted image: the seed of a line. ei is what the system showed, if anything."""

    thickness_cm: float
    kvp: float
    mas: float
    ei: float | None = None


def line_from_exposure(
    exposure: AcceptedExposure,
    line: ChartLine,
    projection: Projection,
    room: Room,
    school: SystemName,
    parameter: float | None = None,
) -> ChartLine:
    """A line by `school` through an accepted exposure; `line` gives the conditions and range (its own law is
    replaced).

    With an exposure index the mAs is first brought to the target: mAs * 10^(-DI/10). parameter is the doubling thickness
    [cm] for fixed kVp and the kVp per cm for variable kVp; None takes what the physics model holds best for the part, grid
    and range (the taught 4.5 cm and 2 kVp per cm stand beside on the page). Levelled takes the kVp per cm that
    the kVp steps with (0, the usual, keeps it) and its mAs from the physics model. Banded cuts the range midway between the
    projection's small, average and large patient; the band that holds the measured thickness keeps the accepted numbers,
    the others follow at the same kVp by the doubling thickness between the middles of the bands.
    """
    within("thickness_cm", exposure.thickness_cm, *line.range_cm, "cm")
    within("kvp", exposure.kvp, *KVP_RANGE, "kVp")
    mas = within("mas", exposure.mas, MAS_RANGE[0], room.generator.mas[-1], "mAs")
    if exposure.ei is not None:
        receptor = room.receptor(line.receptor)
        target = receptor.target_for(projection.region, line.target_ei)
        if target is None:
            raise Refusal("No index on film", "A film-screen receptor gives no exposure index.", None, "ei")
        mas = corrected_mas(mas, deviation_index(exposure.ei, target))
    law: MasRule
    if school == "levelled":
        law = level(line, room, projection, exposure.thickness_cm, exposure.kvp, mas, parameter or 0.0)
    elif school == "variable_kvp":
        law = VariableKvp(exposure.thickness_cm, exposure.kvp, mas)
        law = replace(law, kvp_per_cm=parameter or _fitted(best_kvp_per_cm, replace(line, law=law), room, projection))
    else:
        law = FixedKvp(exposure.thickness_cm, exposure.kvp, mas)
        doubling = parameter or _fitted(best_doubling_cm, replace(line, law=law), room, projection)
        law = replace(law, doubling_cm=doubling)
        if school == "banded":
            law = _bands_around(exposure, mas, line.range_cm, projection, doubling)
    return check_line(replace(line, law=law, origin="exposure"), projection, room)


def _fitted(
    best: Callable[[ChartLine, Room, Projection, float], float], line: ChartLine, room: Room, projection: Projection
) -> float:
    """What the model holds best over the range of a line; the taught value, which it starts with, where it has no answer."""
    law = line.law
    assert isinstance(law, FixedKvp | VariableKvp)
    try:
        return best(line, room, projection, law.kvp)
    except Refusal:
        return law.doubling_cm if isinstance(law, FixedKvp) else law.kvp_per_cm


def _bands_around(
    exposure: AcceptedExposure, mas: float, range_cm: tuple[float, float], projection: Projection, doubling_cm: float
) -> Banded:
    blank = Banded(tuple(Band(*band, exposure.kvp, mas) for band in usual_bands(projection, range_cm)))
    own = blank.band(exposure.thickness_cm)
    own_middle = (own.min_cm + own.max_cm) / 2
    return Banded(
        tuple(
            replace(
                band,
                mas=rules_of_thumb.mas_for_thickness(mas, own_middle, (band.min_cm + band.max_cm) / 2, doubling_cm),
            )
            for band in blank.bands
        )
    )
