"""What one object, an image or an entry of a dose report, says of an exposure: in the units used here, no identity."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from oakbeam.core.anatomy.body import AgeBand, Sex
from oakbeam.core.equipment.generator import ExposureControl
from oakbeam.core.projection import Side

FactsKind = Literal["image", "dose report", "table row"]


@dataclass(frozen=True, slots=True)
class ImageFacts:
    """Keys are one-way: key is the object's own, event_key that of the irradiation, device that of the machine. taken_at:
    ISO 8601 in UTC. view: the part and the view in words of the field (see `catalogue.image_words`). room: the id of one
    that the machine is named after. None: it does not say.

    Weight and height are rounded to RATHER_KG and RATHER_CM. with_grid: a grid was in. reported: as the machine gives them,
    at the skin [mGy] and as kerma-area product [mGy·cm²]. index_of_its_own: an index on a scale of its maker, which is not
    an exposure index.
    """

    key: str
    kind: FactsKind
    device: str
    taken_at: str
    kvp: float
    mas: float
    room: str = ""
    view: str = ""
    side: Side = ""
    study_key: str = ""
    event_key: str | None = None
    ma: float | None = None
    time_ms: float | None = None
    sid_cm: float | None = None
    with_grid: bool | None = None
    filter_mm_al: float | None = None
    filter_mm_cu: float | None = None
    focal_spot_mm: float | None = None
    exposure_control: ExposureControl | None = None
    ei: float | None = None
    target_ei: float | None = None
    di: float | None = None
    index_of_its_own: float | None = None
    age_band: AgeBand | None = None
    sex: Sex | None = None
    weight_kg: float | None = None
    height_cm: float | None = None
    reported_kerma_mgy: float | None = None
    reported_kap_mgycm2: float | None = None
    thickness_cm: float | None = None
    """As a table has it, which somebody measured; no image says it."""
    projection: str = ""
    """By its id, where a table names it."""
    outcome: Literal["accepted", "rejected"] | None = None
    reject_reason: str = ""
    odd: tuple[str, ...] = ()
    """What it says that cannot be, or contradicts itself, and was left out, in words."""


@dataclass(frozen=True, slots=True)
class RejectNote:
    """Images, by key, that were rejected at the console, and why, by a keyword of CID 7011; "" where it does not say."""

    keys: tuple[str, ...]
    reason: str


@dataclass(frozen=True, slots=True)
class Found:
    """What one object tells of."""

    facts: tuple[ImageFacts, ...] = ()
    rejects: tuple[RejectNote, ...] = ()


RATHER_KG, RATHER_CM = 5.0, 5.0
"""As fine as a body's size is kept."""


def age_band_of(years: float) -> AgeBand:
    """The age band of an age [years]: each band from halfway between its neighbours' ages; older from 65."""
    for most, band in _BANDS:
        if years < most:
            return band
    return "older_adult"


_BANDS: tuple[tuple[float, AgeBand], ...] = (
    (0.25, "newborn"),
    (3, "1y"),
    (7.5, "5y"),
    (12.5, "10y"),
    (17, "15y"),
    (65, "adult"),
)
