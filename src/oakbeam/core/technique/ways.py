"""The ways between which departments choose for a view: breathing or held, by hand or by AEC, which support, which SID.

Each is only a set-up; the technique of each is worked out as any other is, so that their numbers can stand side by side.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from typing import Literal

from oakbeam.core.equipment.generator import ExposureControl
from oakbeam.core.equipment.room import Room, Support
from oakbeam.core.equipment.usual import BUCKYS, served
from oakbeam.core.projection import SUPPORT_NAMES, Projection, SupportId

WayOf = Literal["exposure control", "support", "SID"]


@dataclass(frozen=True, slots=True)
class Way:
    """One way: of what it is a choice, its name and reason, what it sets (None: left as it stands; sid_cm in cm), and what
    of the set-up goes with the way that is left (`GOES_WITH`)."""

    of: WayOf
    name: str
    why: str
    exposure_control: ExposureControl | None = None
    support: SupportId | None = None
    sid_cm: float | None = None

    @property
    def clears(self) -> tuple[str, ...]:
        """Names of a set-up's fields that are again as charted or usual."""
        return GOES_WITH[self.of]


GOES_WITH: Mapping[WayOf, tuple[str, ...]] = {
    # Each at its own kVp: that is what the choice is between.
    "exposure control": ("kvp", "mas", "aec_cells", "aec_density"),
    "support": (
        *("sid_cm", "tube_height_cm", "grid_ratio", "grid_offset_cm", "grid_tilt_deg"),
        *("receptor", "gap_cm", "field_cm", "diagonal"),
    ),
    "SID": ("tube_height_cm", "sid_guessed"),
}


CONTROLS: Mapping[ExposureControl, tuple[str, str]] = {
    "breathing": (
        "While breathing",
        "Over 2 to 4 s, 1 s at least, ribs and lung blur and the still part stays sharp: low kVp, lowest mA.",
    ),
    "manual": ("Breath held, by hand", "Short: for who cannot keep still; ribs and lung stay sharp over the part."),
    "aec": ("Breath held, by AEC", "The chamber ends it, for every build; only where the part covers the chamber."),
}
WITHOUT_BREATHING: Mapping[ExposureControl, tuple[str, str]] = {
    "manual": ("By hand", "By thickness and chart; for parts that no chamber lies under."),
    "aec": ("By AEC", CONTROLS["aec"][1]),
}
SUPPORTS_WHY: Mapping[SupportId, str] = {
    "tabletop": "Without a grid: least dose, for parts that scatter little.",
    "table_bucky": "Behind the table top, with its grid where the part needs one: less scatter in the image, more dose.",
    "upright_bucky": "For who stands or sits: fluid and air show their levels, nobody lies down for it.",
    "detector": "Where the patient lies.",
}


def ways(projection: Projection, room: Room, support: Support) -> tuple[Way, ...]:
    """The ways of a view in a room, seen from a support; of a kind of which there is only one, none."""
    kinds = (_controls(projection, room, support), _supports(projection, room), _sids(projection, support))
    return tuple(way for kind in map(tuple, kinds) if len(kind) > 1 for way in kind)


def _controls(projection: Projection, room: Room, support: Support) -> Iterator[Way]:
    chamber = room.aec is not None and support.id in BUCKYS and projection.aec_cells != "none"
    for control, (name, why) in (CONTROLS if "slow" in projection.breathing else WITHOUT_BREATHING).items():
        if control != "aec" or chamber:
            yield Way("exposure control", name, why, exposure_control=control)


def _supports(projection: Projection, room: Room) -> Iterator[Way]:
    for support in served(projection, room):
        name = SUPPORT_NAMES[support.id]
        yield Way("support", name[0].upper() + name[1:], SUPPORTS_WHY[support.id], support=support.id)


def _sids(projection: Projection, support: Support) -> Iterator[Way]:
    low, high = support.tube_travel_cm
    for choice in projection.sid_choices:
        if low <= choice.cm <= high:
            yield Way("SID", f"{choice.cm:g} cm", choice.why, sid_cm=choice.cm)
