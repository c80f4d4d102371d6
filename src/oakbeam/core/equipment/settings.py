"""A wanted setting put on the room's stations, with what the rounding leaves."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from oakbeam.core.equipment.generator import ExposureControl, Loading, SpotName, choose_loading, nearest_setting
from oakbeam.core.equipment.room import Room
from oakbeam.core.physics import rules_of_thumb
from oakbeam.core.projection import Projection


@dataclass(frozen=True, slots=True)
class GeneratorSetting:
    """A wanted setting put on the room's stations: kVp to the nearest, mAs following it, then mAs to the nearest."""

    kvp: float
    mas_at_kvp: float
    mas: float
    loading: Loading

    @property
    def residual_log2(self) -> float:
        """log2 of delivered over wanted receptor exposure; never beyond half a mAs step."""
        return math.log2(self.mas / self.mas_at_kvp)


def nearest_generator_setting(
    room: Room,
    projection: Projection,
    kvp: float,
    mas: float,
    control: ExposureControl = "manual",
    mas_by_hand: bool = False,
    time_share: float = 1.0,
    follow: Callable[[float], float] | None = None,
    spot: SpotName | None = None,
) -> GeneratorSetting:
    """The room's stations nearest to a setting.

    kVp goes to its nearest station and the mAs follows (by the 15 % rule, or by follow(kVp), the mAs factor of another
    school), so that one residual, the mAs setting's, is left. With mas_by_hand the mAs is the user's, and is not moved by
    the kVp's rounding. time_share: of the projection's usual time ceiling, for whoever cannot keep still. spot: the focal
    spot set by hand. Raises Refusal with the allowed range.
    """
    station_kvp = nearest_setting("kvp", kvp, room.generator.kvp, "kVp")
    mas_at_kvp = mas * follow(station_kvp) if follow else rules_of_thumb.mas_for_kvp(mas, kvp, station_kvp)
    station_mas = nearest_setting("mas", mas if mas_by_hand else mas_at_kvp, room.generator.mas, "mAs")
    ceiling_ms = time_share * projection.time_ceiling_ms
    loading = choose_loading(room.generator, station_kvp, station_mas, projection.focal_spot, ceiling_ms, control, spot)
    return GeneratorSetting(station_kvp, mas_at_kvp, station_mas, loading)
