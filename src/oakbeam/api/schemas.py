"""What comes in over the API and goes out, where it is not a type of the core as it stands.

Requests forbid unknown fields, so that a misspelt one is named and not dropped. Numbers are finite.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints, TypeAdapter

from oakbeam.core.chart import KVP_RANGE, MAS_RANGE, SID_RANGE_CM, THICKNESS_RANGE_CM, ChartLine, LawName, Status
from oakbeam.core.derived import Caution, Figures, Forecast, Step, Technique
from oakbeam.core.evaluation import Evaluation, Finding
from oakbeam.core.exam import ExamStep
from oakbeam.core.generator import ExposureControl, SpotChoice, SpotName
from oakbeam.core.measurement import Thickness as MeasuredThickness
from oakbeam.core.patient import Habitus, Sex
from oakbeam.core.positioning import Advice, Arch
from oakbeam.core.projection import AgeBand, Angulation, Composition, Modifier, SidChoice, Variant
from oakbeam.core.room import Room, School, SupportId
from oakbeam.core.rules import GridTable
from oakbeam.core.table import Row
from oakbeam.store.exposures import Exposure, Outcome
from oakbeam.store.people import Person, Role

Number = Annotated[float, Field(allow_inf_nan=False)]
Key = Annotated[str, StringConstraints(min_length=1, max_length=60, strip_whitespace=True)]
Name = Annotated[str, StringConstraints(min_length=1, max_length=120, strip_whitespace=True)]
Text = Annotated[str, StringConstraints(max_length=500, strip_whitespace=True)]
Id = Annotated[int, Field(ge=1, le=2**63 - 1)]
Thickness = Annotated[Number, Field(ge=THICKNESS_RANGE_CM[0], le=THICKNESS_RANGE_CM[1], description="cm")]
Sid = Annotated[Number, Field(ge=SID_RANGE_CM[0], le=SID_RANGE_CM[1], description="cm, along the central ray")]
Kvp = Annotated[Number, Field(ge=KVP_RANGE[0], le=KVP_RANGE[1])]
Mas = Annotated[Number, Field(ge=MAS_RANGE[0], le=MAS_RANGE[1])]
Ei = Annotated[Number, Field(ge=1, le=50_000)]
Length = Annotated[Number, Field(gt=0, le=60, description="cm")]
GridRatio = Literal[0, 5, 6, 8, 10, 12, 16]


class Request(BaseModel):
    """A body that comes in."""

    model_config = ConfigDict(extra="forbid")


class Problem(BaseModel):
    """A refusal (RFC 9457 problem details). allowed says the range or the choices; faults lists the bad cells of a file;
    conflicts the lines that somebody else changed meanwhile."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str
    allowed: dict[str, float | str] | list[str] | list[float] | None = None
    field: str | None = None
    faults: list[dict[str, str | int]] | None = None
    conflicts: list[LineNow] | None = None


class LineNow(BaseModel):
    """A line as it is now, where a change was made from an older reading; None where it was taken out."""

    line: int
    now: ChartLine | None


class Health(BaseModel):
    """Ready to serve."""

    status: Literal["ok"]
    version: str


class PatientRequest(Request):
    """The patient. A measured thickness already holds habitus, age, weight and height: they then change no number."""

    habitus: Habitus | None = None
    age_band: AgeBand | None = None
    weight_kg: Annotated[Number, Field(gt=0, le=400)] | None = None
    height_cm: Annotated[Number, Field(gt=0, le=260)] | None = None
    sex: Sex | None = None
    conditions: Annotated[list[Key], Field(max_length=10)] = []
    cast: Key | None = None
    contrast: Key | None = None
    cannot_keep_still: bool = False


class SetupRequest(Request):
    """What differs from the chart line; leave out what does not."""

    sid_cm: Sid | None = None
    support: SupportId | None = None
    grid_ratio: GridRatio | None = None
    receptor: Key | None = None
    field_cm: tuple[Length, Length] | None = None
    tube_height_cm: (
        Annotated[Number, Field(gt=0, le=400, description="Focus above the receptor, in place of sid_cm")] | None
    ) = None
    tube_angle_deg: Annotated[Number, Field(ge=-60, le=60)] | None = None
    gap_cm: Annotated[Number, Field(ge=0, le=60)] | None = None
    grid_offset_cm: Annotated[Number, Field(ge=-20, le=20, description="ray off the grid's centre line, cm")] = 0.0
    grid_tilt_deg: Annotated[Number, Field(ge=-30, le=30, description="grid off level across its strips")] = 0.0
    kvp: Kvp | None = None
    mas: Mas | None = None
    exposure_control: ExposureControl = "manual"
    aec_cells: Annotated[str, Field(max_length=20)] | None = None
    aec_density: Annotated[int, Field(ge=-4, le=4)] = 0


class FactsRequest(Request):
    """What the angle rules ask of the patient; leave out what was not measured."""

    pelvis_cm: Annotated[Number, Field(description="ASIS to tabletop as read, cm")] | None = None
    pelvis_pad_cm: Annotated[Number, Field(description="Pad or mat under the pelvis, cm")] | None = None
    foot_short_deg: Annotated[Number, Field(description="By how much the foot stays short of 90°")] | None = None
    waist_supported: bool | None = None
    shoulder_drops: bool | None = None
    arch: Arch | None = None
    chest_depth_cm: Number | None = None


class TechniqueRequest(Request):
    """One technique: room, projection and measured thickness, then what differs from the chart.

    Without thickness_cm it comes from a sister view in `measured` (projection: cm), else it is estimated from weight and
    height, a child's age or the build, else it is the average adult's; the answer says which.
    """

    model_config = ConfigDict(
        extra="forbid",
        json_schema_extra={
            "examples": [
                {"room": "room-1", "projection": "lspine-ap", "thickness_cm": 24.0},
                {
                    "room": "room-1",
                    "projection": "knee-ap",
                    "thickness_cm": 13.5,
                    "patient": {"age_band": "adult", "cast": "plaster-dry"},
                    "setup": {"sid_cm": 110, "support": "tabletop"},
                },
            ]
        },
    )

    room: Key
    projection: Key
    thickness_cm: Thickness | None = None
    mat_cm: Annotated[Number, Field(description="Mat, sponge or board counted in the reading, cm")] = 0.0
    jaw_cm: Annotated[Number, Field(description="Width of the jaw where its outer edge was read, cm")] = 0.0
    thickness_confirmed: bool = False
    measured: Annotated[dict[Key, Thickness], Field(max_length=30, default_factory=dict)]
    chart: Id | None = None
    patient: PatientRequest | None = None
    facts: FactsRequest | None = None
    angle_school: Key | None = None
    turn_school: Key | None = None
    setup: SetupRequest | None = None
    school: School | None = Field(default=None, description="Which school rules the ladder; left out: the room's")


@dataclass(frozen=True, slots=True)
class ChartReference:
    """Which chart version a result came from."""

    id: int
    version: int
    status: Status
    line: ChartLine


@dataclass(frozen=True, slots=True)
class AngleAdvice:
    """A tube angle, or a turn of the part, by the school in force, and the schools there are."""

    school: str | None
    advice: Advice
    schools: tuple[Angulation, ...]


@dataclass(frozen=True, slots=True)
class TechniqueResponse:
    """The technique with its ladder, forecast and cautions. A starting point under local protocol, never an order."""

    technique: Technique
    exact_kvp: float
    exact_mas: float
    residual_log2: float
    steps: tuple[Step, ...]
    forecast: Forecast
    cautions: tuple[Caution, ...]
    chart: ChartReference
    thickness: MeasuredThickness
    figures: Figures
    angle: AngleAdvice
    turn: AngleAdvice | None


TECHNIQUE_RESPONSE = TypeAdapter(TechniqueResponse)
"""Writes a response as JSON: `TECHNIQUE_RESPONSE.dump_json(response)`."""


class ThicknessRange(BaseModel):
    """Usual adult thickness [cm]."""

    small: float
    average: float
    large: float


class ProjectionOut(BaseModel):
    """A projection of the catalogue. Every number is a textbook-typical starting point, to be confirmed locally.

    breathing, marker and shields: codes whose words stand in the choices. local: the department's own, or changed. The list
    leaves out what only the Guide shows; one projection by its id has it all.
    """

    id: str
    exam: str
    name: str
    region: str
    shows: str
    also: list[str]
    measure: str
    direction: str
    ages: list[AgeBand]
    thickness_cm: ThicknessRange
    usual_range_cm: tuple[float, float]
    sid_cm: float
    sid_choices: list[SidChoice]
    minimum_sid_cm: float | None
    supports: list[str]
    detector_grid: bool
    grid_over_cm: float | None
    kvp_window: tuple[float, float]
    kvp_on: list[tuple[str, tuple[float, float]]]
    aec_cells: str
    focal_spot: SpotChoice
    posture: str
    beam: str
    angles: list[Angulation]
    turns: list[Angulation]
    central_ray: str
    receptor_cm: tuple[float, float]
    field_cm: tuple[float, float]
    collimate: str
    position: str
    exposures: int
    breathing: list[str]
    time_ceiling_ms: float
    marker: str
    marker_note: str
    shields: list[str]
    structure_cm: float
    reference_kerma_mgy: float | None
    local: bool = False


class ProjectionPage(ProjectionOut):
    """Everything the catalogue knows of one projection, for its page in the Guide."""

    look_for: list[str]
    faults: list[tuple[str, str]]
    variants: list[Variant]
    composition: Composition
    child_cm: dict[str, float]
    exams: list[str]


class ExamOut(BaseModel):
    """An exam: its projections in working order."""

    id: str
    name: str
    steps: list[ExamStep]
    projections: list[str]
    why: str
    local: bool = False


class Choices(BaseModel):
    """The lists a person picks from: conditions, casts, what can be seen in an image, why an image is rejected."""

    modifiers: list[Modifier]
    findings: dict[str, str]
    questions: list[tuple[str, list[str]]]
    reject_reasons: dict[str, str]
    general_cautions: list[str]
    words: dict[str, dict[str, str]]
    checks: list[str]


class Offered(BaseModel):
    """An account that a demo offers on its sign-in page."""

    id: str
    name: str
    roles: tuple[Role, ...]
    password: str


class SessionOut(BaseModel):
    """Who is signed in (None: nobody), the token that changes must carry, and what a demo offers."""

    person: Person | None
    token: str | None
    idle_minutes: int
    offered: list[Offered]


class Start(BaseModel):
    """What every view begins with, in one answer. charted: the projections that each room's approved chart has lines for."""

    rooms: list[Room]
    projections: list[ProjectionOut]
    exams: list[ExamOut]
    choices: Choices
    charted: dict[str, list[str]]
    session: SessionOut


class ChartSummary(BaseModel):
    """A chart version without its lines."""

    id: int
    room: str
    name: str
    version: int
    status: Status
    grid_table: GridTable
    author: str
    approver: str
    created_at: str
    approved_at: str
    note: str
    revision: int
    proposed_by: str
    proposed_at: str


class ChartOut(ChartSummary):
    """A chart version."""

    lines: list[ChartLine]


class NewChart(Request):
    """A new draft: empty, with the lines of another version (`from_chart`), or with the lines given."""

    room: Key
    name: Name = "Chart"
    from_chart: Id | None = None
    lines: Annotated[list[LineIn], Field(max_length=1000)] | None = None
    note: Text = ""


class Heading(Request):
    """A draft's name, grid table and note."""

    name: Name
    grid_table: GridTable = "average"
    note: Text = ""


class BandIn(Request):
    """One band of a banded line."""

    name: Annotated[str, StringConstraints(min_length=1, max_length=40, strip_whitespace=True)]
    min_cm: Thickness
    max_cm: Thickness
    kvp: Kvp
    mas: Mas


class PointIn(Request):
    """One point of a levelled line."""

    thickness_cm: Thickness
    kvp: Kvp
    mas: Mas


class LawIn(Request):
    """A line's law, given outright. Fixed and variable kVp need thickness_cm, kvp and mas; banded needs bands; levelled
    needs points, and as thickness_cm (or base_cm) the point it was levelled from."""

    name: LawName
    thickness_cm: Thickness | None = None
    kvp: Kvp | None = None
    mas: Mas | None = None
    base_cm: Thickness | None = None
    doubling_cm: Annotated[Number, Field(gt=0, le=50)] | None = None
    kvp_per_cm: Annotated[Number, Field(gt=0, le=50)] | None = None
    bands: Annotated[list[BandIn], Field(max_length=40)] = []
    points: Annotated[list[PointIn], Field(max_length=200)] = []


class ConditionsIn(Request):
    """The conditions a line is made for. Left out: the projection's usual range, the receptor's target index."""

    projection: Key
    receptor: Key
    support: SupportId
    grid_ratio: GridRatio
    sid_cm: Sid
    range_cm: tuple[Thickness, Thickness] | None = None
    target_ei: Annotated[Number, Field(ge=50, le=5000)] | None = None
    field_cm: tuple[Length, Length] | None = None
    note: Text = ""


class LinkIn(Request):
    """How a line follows another; `to` is that line's key."""

    to: Id
    kvp_added: Number = 0
    mas_factor: Number = 1
    thicker_cm: Number = 0


class LineIn(ConditionsIn):
    """A line with its law given outright. With a link the law follows another line of the chart; what is given here stands
    until it is derived. key: which line this is, where it was known by one."""

    law: LawIn
    link: LinkIn | None = None
    key: Id | None = None


class AcceptedExposureIn(Request):
    """One exposure that gave an accepted image, and the school that makes a line of it.

    With ei, the mAs is first brought to the target. parameter: doubling thickness [cm], or kVp per cm for
    variable kVp, or for levelled the kVp per cm it steps with (0 keeps the kVp).
    """

    model_config = ConfigDict(
        extra="forbid",
        json_schema_extra={
            "examples": [
                {
                    "line": {
                        "projection": "knee-ap",
                        "receptor": "panel-24",
                        "support": "tabletop",
                        "grid_ratio": 0,
                        "sid_cm": 100,
                    },
                    "thickness_cm": 12.5,
                    "kvp": 66,
                    "mas": 6.3,
                    "ei": 460,
                    "school": "fixed_kvp",
                    "parameter": 4.5,
                }
            ]
        },
    )

    line: ConditionsIn
    thickness_cm: Thickness
    kvp: Kvp
    mas: Mas
    ei: Ei | None = None
    school: LawName = "fixed_kvp"
    parameter: Annotated[Number, Field(ge=0, le=50)] | None = None


class LineTable(BaseModel):
    """A line and what the room's stations make of it over its range.

    base_di and base_mas: the deviation of the accepted exposure it was made from, and its mAs brought to the target.
    """

    line: ChartLine
    rows: tuple[Row, ...]
    base_di: float | None = None
    base_mas: float | None = None


class ImportRequest(Request):
    """A CSV file's text, to become a draft of the room's next version."""

    room: Key
    name: Name = "Imported chart"
    csv: Annotated[str, StringConstraints(max_length=2_000_000)]


class ResultRequest(Request):
    """What came back from an exposure: the exposure index, or a film's optical density, and what was seen."""

    room: Key
    projection: Key
    receptor: Key
    kvp: Kvp
    mas: Mas
    exposure_control: ExposureControl = "manual"
    target_ei: Annotated[Number, Field(ge=50, le=5000)] | None = None
    ei: Ei | None = None
    optical_density: Annotated[Number, Field(ge=0, le=5)] | None = None
    findings: Annotated[list[Finding], Field(max_length=9)] = []


class Corrected(BaseModel):
    """The technique that would have been on target, on the room's stations."""

    kvp: float
    exact_mas: float
    mas: float
    ma: float
    time_ms: float
    focal_spot: SpotName


class Judgement(BaseModel):
    """The evaluation of an image, and the corrected technique for a repeat or the next patient where one follows."""

    evaluation: Evaluation
    target_ei: float | None
    corrected: Corrected | None
    correction_refused: str | None


class ExposureRequest(Request):
    """One exposure to record: what was asked, what was really set, what came back, and the outcome."""

    technique: TechniqueRequest
    kvp: Kvp
    mas: Mas
    ei: Ei | None = None
    optical_density: Annotated[Number, Field(ge=0, le=5)] | None = None
    outcome: Outcome
    reject_reason: Key | None = None
    findings: Annotated[list[Finding], Field(max_length=9)] = []
    study_key: Annotated[str, StringConstraints(max_length=20, pattern=r"^[A-Za-z0-9-]*$", strip_whitespace=True)] = ""
    note: Text = ""


class Recorded(BaseModel):
    """A recorded exposure with its judgement (None where no index came back)."""

    exposure: Exposure
    judgement: Judgement | None


class TrendPoint(BaseModel):
    """One exposure on the trend."""

    id: int
    taken_at: str
    projection: str
    di: float
    outcome: Outcome


class Trend(BaseModel):
    """DI over time (oldest first), with its spread and the share of rejects of the exposures chosen."""

    points: list[TrendPoint]
    count: int
    rejected: int
    reject_rate: float | None
    median_di: float | None
    within_acceptable: float | None
