"""What goes into `derive` and what comes out of it: set-up, steps, technique, forecast and cautions."""

from __future__ import annotations

from dataclasses import dataclass, replace

from oakbeam.core.caution import Caution
from oakbeam.core.equipment.aec import Chamber
from oakbeam.core.equipment.generator import ExposureControl, SpotName
from oakbeam.core.equipment.room import Method
from oakbeam.core.projection import Beam, DoseLevel, Posture, Quantity, SupportId


@dataclass(frozen=True, slots=True)
class Step:
    """One step of how a technique was worked out. factor is the mAs factor; a step that moves kVp shows it before and after.

    school: the method whose factor was taken. other_school and other_factor: what the other method would have taken for the
    same change, where it has an answer; apart: the two differ by over 10 %.
    """

    name: str
    factor: float
    kvp_before: float
    mas_before: float
    kvp_after: float
    mas_after: float
    school: Method
    why: str
    other_school: Method | None = None
    other_factor: float | None = None
    apart: bool = False


@dataclass(frozen=True, slots=True)
class Technique:
    """What to set on the console, on the room's stations."""

    kvp: float
    mas: float
    ma: float
    time_ms: float
    focal_spot: SpotName
    sid_cm: float
    support: SupportId
    grid_ratio: int
    receptor: str
    exposure_control: ExposureControl
    filter: str | None = None
    aec_cells: str | None = None
    aec_density: int = 0
    aec_backup_mas: float | None = None
    aec_chambers: tuple[Chamber, ...] = ()


@dataclass(frozen=True, slots=True)
class ShownIndex:
    """What the console will show where that is another number than the exposure index. falls: more exposure, less shown."""

    name: str
    target: float
    expected: float
    falls: bool


@dataclass(frozen=True, slots=True)
class Forecast:
    """What to expect. ei is None for film, optical_density for digital. Kerma and KAP are None without output or field.

    di_low to di_high: where four of five such patients should come out (see `forecast`); seen: how many logged exposures of
    the line narrowed it. Kerma is incident air kerma at the skin, entrance surface kerma that with backscatter;
    energy imparted is what the beam leaves in the part.
    levels: examples of dose levels, to be replaced by the local ones, each to be held against the quantity it names; the
    most passed (or nearest to it) first.
    shown_index: what a console with a scale of its own will show; None where it shows ei.
    dose_estimated: the room's output was never read, so that its dose figures are those of a usual tube.
    model_di: what the physics model alone expects at these stations, for comparison; None where it has no answer.
    """

    ei: float | None
    di: float
    optical_density: float | None
    target_ei: float | None
    incident_air_kerma_mgy: float | None
    kap_mgycm2: float | None
    field_at_skin_cm: tuple[float, float]
    time_ms: float
    energy_j: float
    heat_units: float
    magnification_at_skin: float
    di_low: float | None = None
    di_high: float | None = None
    seen: int = 0
    entrance_surface_kerma_mgy: float | None = None
    energy_imparted_mj: float | None = None
    levels: tuple[DoseLevel, ...] = ()
    model_di: float | None = None
    detail: str | None = None
    contrast: float | None = None
    cnr: float | None = None
    unsharpness_mm: float | None = None
    shown_index: ShownIndex | None = None
    dose_estimated: bool = False

    def dose(self, quantity: Quantity) -> float | None:
        """The figure that a level of that quantity is held against, in the level's unit."""
        return {
            "incident_air_kerma": self.incident_air_kerma_mgy,
            "entrance_surface_air_kerma": self.entrance_surface_kerma_mgy,
            "kerma_area_product": self.kap_mgycm2,
        }[quantity]

    def held_against(self, levels: tuple[DoseLevel, ...]) -> Forecast:
        """The same with the levels, the one passed by most (or nearest to it) first."""
        return replace(self, levels=tuple(sorted(levels, key=lambda level: -(self.dose(level.quantity) or 0) / level.value)))


@dataclass(frozen=True, slots=True)
class OtherSid:
    """What another SID brings: magnification of the structure shown, mAs factor (time goes with it), geometric blur [mm]."""

    sid_cm: float
    magnification: float
    mas_factor: float
    blur_mm: float


@dataclass(frozen=True, slots=True)
class GridAdvice:
    """Whether a grid is usual here, and what it costs: mAs (and so dose) with the ratio over without, by the physics model.
    ratio: the one in use, or the one that could be. None where the room has none."""

    usual: bool
    in_use: bool
    ratio: int | None
    dose_factor: float | None
    said: str


@dataclass(frozen=True, slots=True)
class Heel:
    """The anode's heel along the field of a part with a thick end: air kerma at the field's ends over that in its middle."""

    thick_end: str
    at_anode: float
    at_cathode: float
    along_cm: float
    said: str


@dataclass(frozen=True, slots=True)
class Figures:
    """tube_height_cm: of the focus above the receptor that keeps the SID along the ray; sid_if_left_cm: along the ray where
    the tube is tilted and not lowered. receptor_shift_cm: from below the skin's landmark to where the ray lands. oid_cm:
    structure to receptor. beyond_cm2: field at the receptor beyond what the projection asks for. heel: None where the ends
    of the part are alike, or the tube's axis does not lie along it."""

    tube_angle_deg: float
    tube_height_cm: float
    sid_if_left_cm: float
    mas_factor_if_left: float
    receptor_shift_cm: float
    oid_cm: float
    magnification: float
    geometric_blur_mm: float
    field_cm: tuple[float, float]
    field_at_skin_cm: tuple[float, float]
    beyond_cm2: float
    beyond_percent: float
    source_to_skin_cm: float
    gap_cm: float
    thickness_cm: float
    support_mm_al: float
    posture: Posture
    beam: Beam
    other_sids: tuple[OtherSid, ...]
    grid: GridAdvice
    heel: Heel | None


@dataclass(frozen=True, slots=True)
class Derived:
    """The answer of `derive`. exact_kvp and exact_mas are before stations; residual_log2 is what the stations left."""

    technique: Technique
    exact_kvp: float
    exact_mas: float
    residual_log2: float
    steps: tuple[Step, ...]
    forecast: Forecast
    cautions: tuple[Caution, ...]
    figures: Figures
