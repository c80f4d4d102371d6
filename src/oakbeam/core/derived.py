"""What goes into `derive` and what comes out of it: set-up, steps, technique, forecast and cautions."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from oakbeam.core.generator import ExposureControl, SpotName
from oakbeam.core.room import School, SupportId

CautionLevel = Literal["warning", "note"]


@dataclass(frozen=True, slots=True)
class Setup:
    """What differs from the chart. None means: as the chart line says. sid_cm is along the central ray.

    grid_offset_cm and grid_tilt_deg: how far the ray is off the grid's centre line, and the grid off level, both across the
    strips and signed.
    """

    sid_cm: float | None = None
    support: SupportId | None = None
    grid_ratio: int | None = None
    receptor: str | None = None
    field_cm: tuple[float, float] | None = None
    tube_angle_deg: float | None = None
    gap_cm: float | None = None
    grid_offset_cm: float = 0.0
    grid_tilt_deg: float = 0.0
    kvp: float | None = None
    mas: float | None = None
    exposure_control: ExposureControl = "manual"


@dataclass(frozen=True, slots=True)
class Step:
    """One rung of the ladder. factor is the mAs factor; a step that moves kVp shows it before and after.

    school: the one whose factor was taken. other_school and other_factor: what the other school would have taken for the
    same change, where it has an answer; apart: the two differ by over 10 %.
    """

    name: str
    factor: float
    kvp_before: float
    mas_before: float
    kvp_after: float
    mas_after: float
    school: School
    why: str
    other_school: School | None = None
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
    aec_cells: str | None = None
    aec_backup_mas: float | None = None


@dataclass(frozen=True, slots=True)
class Forecast:
    """What to expect. ei is None for film, optical_density for digital. Kerma and KAP are None without output or field.

    di_low to di_high: where four of five such patients should come out (see `forecast`); seen: how many logged exposures of
    the line narrowed it. Kerma is incident air kerma at the skin, entrance surface kerma that with backscatter.
    reference_kerma_mgy: an example of a reference level for the average adult, to be replaced by the local one.
    model_di: what the beam model alone expects at these stations, for comparison; None where it has no answer.
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
    reference_kerma_mgy: float | None = None
    model_di: float | None = None
    detail: str | None = None
    contrast: float | None = None
    cnr: float | None = None
    unsharpness_mm: float | None = None


@dataclass(frozen=True, slots=True)
class Caution:
    """Something specific to do or to look at. cites names the rule behind it."""

    level: CautionLevel
    text: str
    cites: str = ""


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
