"""What the catalogue knows of a projection, and of the conditions and casts that change a technique."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from oakbeam.core.anatomy.body import AgeBand
from oakbeam.core.anatomy.composition import Composition

AngleRule = Literal[
    "fixed",
    "knee_by_pelvis",
    "si_by_sex",
    "calcaneus_by_foot",
    "thoracic_by_waist",
    "lumbar_by_waist",
    "swimmers_by_shoulder",
    "clavicle_by_build",
    "foot_by_arch",
    "sternum_by_depth",
    "cervical_by_posture",
]
ChildSize = Literal[
    "limb", "chest_ap", "chest_lateral", "abdomen_ap", "abdomen_lateral", "skull_ap", "skull_lateral", "own", "none"
]
Direction = Literal["ap", "lateral", "ray"]
Posture = Literal["supine", "prone", "side_lying", "seated", "sitting", "standing", "kneeling"]
Beam = Literal["vertical", "horizontal"]
Breathing = Literal["still", "suspend", "inspiration", "expiration", "slow", "quiet", "quiet_expiration"]
Marker = Literal["lateral", "near", "up", "body"]
Side = Literal["", "right", "left", "both"]
Digit = Literal["", "1", "2", "3", "4", "5", "all"]
"""A finger or a toe, from the thumb's or the great toe's side; all of them; empty where none is asked for."""
Shield = Literal["limb_clear", "near_trunk", "gonads_in_field", "lead_behind", "lens_thyroid_breast"]


@dataclass(frozen=True, slots=True)
class Angulation:
    """One school's tube angle, or turn of the part, for a projection. The first of a projection's list is the usual one.

    deg: signed, toward the head (or the trunk end of a limb) positive; what it means to `rule` is said in `positioning`.
    toward: the direction in words where cephalad and caudal do not fit.
    """

    school: str
    name: str
    why: str
    deg: float
    rule: AngleRule = "fixed"
    toward: str = ""


@dataclass(frozen=True, slots=True)
class SidChoice:
    """One school's SID [cm] for a projection, and why."""

    cm: float
    why: str


@dataclass(frozen=True, slots=True)
class Variant:
    """What to do for a patient who cannot be positioned as usual. instead: the projection that takes its place."""

    who: str
    do: str
    instead: str | None = None


@dataclass(frozen=True, slots=True)
class DigitNote:
    """How a view is done for one digit, or for all. turned: which way the hand or foot turns for it, where that is its own.
    do: what else the hands do. off_cm: how far it stays off the receptor. field_cm: its field, where not the view's."""

    digit: Digit
    turned: str = ""
    do: str = ""
    off_cm: float = 0.0
    field_cm: tuple[float, float] | None = None


Quantity = Literal["incident_air_kerma", "entrance_surface_air_kerma", "kerma_area_product"]


@dataclass(frozen=True, slots=True)
class DoseLevel:
    """An example of a dose level, to be replaced by the local one: a value [unit] of one quantity, for whom, and its source.

    Incident air kerma is at the skin without backscatter, entrance surface air kerma with it. kg: of a child, from and below
    which weight; None for the usual patient of the projection, the average adult but in the children's. as_of: the day that
    the source states it for, ISO 8601; empty where nobody said.
    """

    quantity: Quantity
    value: float
    unit: str
    kg: tuple[float, float] | None
    of_whom: str
    source: str
    as_of: str = ""


@dataclass(frozen=True, slots=True)
class Projection:
    """A radiographic projection as far as it bears on exposure. Lengths cm, times ms, tube potential kVp.

    Every number is a textbook-typical starting point, to be confirmed locally.
    """

    id: str
    exam: str
    name: str
    short: str
    """The name on a run sheet, where many views stand side by side."""
    region: str
    shows: str
    also: tuple[str, ...]
    """Other names, people's names for a method among them: only to be searched by."""
    measure: str
    """Where the calipers go, in words."""
    direction: Direction
    """Front to back, side to side, or along a central ray that is neither."""
    thickness_cm: tuple[float, float, float]
    """Usual small, average and large adult; low, typical and high of the age bands of a children's projection."""
    child: ChildSize
    """How a child's thickness follows where it was not measured; see `patient.usual_child_cm`."""
    ages: tuple[AgeBand, ...]
    """The age bands that it is for; empty: everybody, by measured thickness."""
    sid_cm: float
    sid_choices: tuple[SidChoice, ...]
    minimum_sid_cm: float | None
    supports: tuple[str, ...]
    detector_grid: bool
    """A loose detector usually has the clip-on grid here."""
    grid_over_cm: float | None
    """Thickness above which a grid is usual; None means never."""
    kvp_window: tuple[float, float]
    kvp_on: tuple[tuple[str, tuple[float, float]], ...]
    """Supports whose usual kVp is another one, with it."""
    aec_cells: str
    focal_spot: SpotChoice
    posture: Posture
    lying: Posture
    """How who would stand for it lies on a table."""
    beam: Beam
    angles: tuple[Angulation, ...]
    """Tube angle by school; empty: perpendicular."""
    turns: tuple[Angulation, ...]
    """Turn or bend of the part by school; empty: none."""
    central_ray: str
    receptor_cm: tuple[float, float]
    """The smallest usual receptor as it lies: width across the part, length along it."""
    field_cm: tuple[float, float]
    collimate: str
    position: str
    receptor_square: bool
    """The receptor is held square to an angled ray, not level."""
    exposures: int
    """How many images one request makes."""
    breathing: tuple[Breathing, ...]
    time_ceiling_ms: float
    marker: Marker
    marker_note: str
    shields: tuple[Shield, ...]
    structure_cm: float
    """From the skin next to the receptor to the structure shown: with the support's gap it is the OID."""
    look_for: tuple[str, ...]
    faults: tuple[tuple[str, str], ...]
    """What is often wrong in the image, and what to change."""
    variants: tuple[Variant, ...]
    digits: tuple[DigitNote, ...]
    """Of a view of one digit at a time: what is its own for each; empty for all others."""
    composition: Composition
    dose_levels: tuple[DoseLevel, ...]
    thick_end: str | None
    """The end of the part that is clearly thicker, where one lies under the cathode; None where the ends are alike."""

    def kvp_usual(self, support: str) -> tuple[float, float]:
        """The usual kVp on a support."""
        return dict(self.kvp_on).get(support, self.kvp_window)

    @property
    def for_children(self) -> bool:
        """Whether it is for children only."""
        return bool(self.ages) and "adult" not in self.ages

    @property
    def usual_kerma_mgy(self) -> float | None:
        """The level of incident air kerma [mGy] of the usual patient; None where there is none."""
        kerma = (one.value for one in self.dose_levels if one.quantity == "incident_air_kerma" and one.kg is None)
        return next(kerma, None)

    def digit(self, asked: Digit) -> DigitNote | None:
        """What is its own for a digit; None where the view shows no single digits, or none is asked for."""
        return next((one for one in self.digits if one.digit == asked), None)

    @property
    def lengthwise(self) -> bool:
        """The receptor lies along the part."""
        return self.receptor_cm[1] >= self.receptor_cm[0]


SupportId = Literal["tabletop", "table_bucky", "upright_bucky", "detector"]

SUPPORTS: tuple[SupportId, ...] = ("tabletop", "table_bucky", "upright_bucky", "detector")

SUPPORT_NAMES: dict[str, str] = {
    "tabletop": "tabletop",
    "table_bucky": "table Bucky",
    "upright_bucky": "upright Bucky",
    "detector": "loose detector",
}

SpotChoice = Literal["small", "small_or_large", "large"]
