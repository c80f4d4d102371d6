"""The simulated room: what can be computed, a usual technique for a case, and an exposure of it. Nothing is kept."""

from __future__ import annotations

import base64
from dataclasses import dataclass, replace
from typing import Annotated, Literal

import numpy as np
from fastapi import Query
from pydantic import Field

from oakbeam.api.access import StoreHere
from oakbeam.api.resource import resource
from oakbeam.api.types import GridRatio, Key, Kvp, Mas, Number, RequestBody, ThicknessCm
from oakbeam.core import image_review
from oakbeam.core.anatomy.body import AgeBand, Habitus, Sex
from oakbeam.core.cache import cached
from oakbeam.core.image_review import Evaluation, Finding
from oakbeam.core.physics.beam.receptor import ReceptorKind
from oakbeam.core.practice.artefacts import Artefact
from oakbeam.core.practice.bodies.frame import CONDITIONS
from oakbeam.core.practice.light_field import light_field
from oakbeam.core.practice.pictured import Pictured, faults, good, looks_like
from oakbeam.core.practice.radiograph import GridFault
from oakbeam.core.practice.shown import Shown, shown
from oakbeam.core.practice.simulated_room import (
    Case,
    Console,
    Mishap,
    Taken,
    can_be_computed,
    mas_for_target,
    take,
    usual_console,
)
from oakbeam.core.practice.views import VIEWS, Lie, beside_the_middle, one_sided
from oakbeam.store import Store, local

router = resource("practice", below="/api/practice")
Offset = Annotated[Number, Field(ge=-15, le=15, description="cm")]
Degrees = Annotated[Number, Field(ge=-90, le=90)]


class CaseIn(RequestBody):
    """A computed patient for a projection."""

    projection: Key
    thickness_cm: ThicknessCm
    habitus: Habitus | None = None
    age_band: AgeBand | None = None
    sex: Sex = "male"
    condition: str = ""
    seed: Annotated[int, Field(ge=0, le=2**31 - 1)] = 0
    side: Literal["left", "right"] = "left"

    def found(self, store: Store) -> Case:
        """The case; Refusal where the projection is unknown."""
        projection = local.catalogue_of(store).projection(self.projection)
        return Case(
            projection, self.thickness_cm, self.habitus, self.age_band, self.sex, self.condition, self.seed, self.side
        )


class ConsoleIn(RequestBody):
    """What is set. mas is the back-up where chambers end the exposure."""

    kvp: Kvp
    mas: Mas
    sid_cm: Annotated[Number, Field(ge=60, le=300)]
    grid_ratio: GridRatio = 0
    gap_cm: Annotated[Number, Field(ge=0, le=60)] = 0.0
    receptor: ReceptorKind = "dr_csi"
    chambers: Annotated[list[Literal["L", "C", "R"]], Field(max_length=3)] = Field(default_factory=list)
    density_factor: Annotated[Number, Field(ge=0.2, le=5)] = 1.0
    breathing: bool = False
    spot_mm: Annotated[Number, Field(ge=0.3, le=2.0)] = 1.2
    field_cm: Annotated[list[Annotated[Number, Field(ge=2, le=43)]], Field(min_length=2, max_length=2)] | None = None
    filtration_mm_al: Annotated[Number, Field(ge=0.5, le=20)] = 3.0
    filtration_mm_cu: Annotated[Number, Field(ge=0, le=2)] = 0.0

    def set_up(self) -> Console:
        """The console."""
        values = self.model_dump()
        values["chambers"] = tuple(self.chambers)
        values["field_cm"] = tuple(self.field_cm) if self.field_cm else None
        return Console(**values)


class WrongIn(RequestBody):
    """What goes wrong: how the patient lies, how the grid is used, motion, what lies in the field."""

    turned_deg: Degrees = 0.0
    off_cm: Annotated[list[Offset], Field(min_length=2, max_length=2)] = Field(default_factory=lambda: [0.0, 0.0])
    bend_deg: Degrees = 0.0
    angle_deg: Annotated[Number, Field(ge=-45, le=45)] = 0.0
    breathed_out: bool = False
    shoulders_back: bool = False
    moved_mm: Annotated[Number, Field(ge=0, le=20)] = 0.0
    grid_offset_cm: Offset = 0.0
    grid_tilt_deg: Annotated[Number, Field(ge=-20, le=20)] = 0.0
    grid_focal_cm: Annotated[Number, Field(ge=60, le=300)] | None = None
    grid_upside_down: bool = False
    grid_stationary: bool = False
    artefacts: Annotated[list[Artefact], Field(max_length=5)] = Field(default_factory=list)
    shutters_off_cm: Annotated[list[Offset], Field(min_length=2, max_length=2)] = Field(default_factory=lambda: [0.0, 0.0])
    shutters_turned_deg: Degrees = 0.0

    def lie(self) -> Lie:
        """How the patient lies."""
        return Lie(
            self.turned_deg,
            (self.off_cm[0], self.off_cm[1]),
            self.bend_deg,
            self.angle_deg,
            self.breathed_out,
            self.shoulders_back,
        )

    def mishap(self) -> Mishap:
        """What else goes wrong."""
        grid = GridFault(
            self.grid_offset_cm, self.grid_tilt_deg, self.grid_focal_cm, self.grid_upside_down, self.grid_stationary
        )
        off = (self.shutters_off_cm[0], self.shutters_off_cm[1])
        return Mishap(grid, self.moved_mm, tuple(self.artefacts), off, self.shutters_turned_deg)


class ExposureIn(RequestBody):
    """One exposure. noise: the seed of the noise; two exposures of one patient differ in it."""

    case: CaseIn
    console: ConsoleIn
    wrong: WrongIn = Field(default_factory=WrongIn)
    size: Annotated[int, Field(ge=64, le=512)] = 256
    noise: Annotated[int, Field(ge=0, le=2**31 - 1)] = 0


@dataclass(frozen=True, slots=True)
class Picture:
    """An image to be shown: levels as base64 of little-endian 16-bit numbers, row by row; what received more is higher and
    is shown darker; dark and light: the levels shown black and white."""

    rows: int
    columns: int
    pixel_mm: float
    levels: str
    dark: int
    light: int


@dataclass(frozen=True, slots=True)
class PracticeImage:
    """What an exposure of a computed body gave. expected_ei: the physics model's for the part and the technique; judged: as
    the Desk judges it; ei and di are None on film."""

    picture: Picture
    ei: float | None
    di: float | None
    optical_density: float | None
    recognised: bool
    mas: float
    back_up: bool
    incident_air_kerma_mgy: float
    kap_mgycm2: float
    scatter_over_primary: float
    judged: Evaluation


@dataclass(frozen=True, slots=True)
class PracticeLists:
    """What can be computed: projections by id; those of one side, which can be the other; those of the left side of the
    trunk; and conditions of a patient with what each is."""

    projections: list[str]
    one_sided: list[str]
    of_left: list[str]
    conditions: dict[str, str]


def picture_of(image: Shown, pixel_cm: float) -> Picture:
    """An image as it goes over the network."""
    rows, columns = image.levels.shape
    levels = base64.b64encode(image.levels.astype("<u2").tobytes()).decode()
    return Picture(rows, columns, 10 * pixel_cm, levels, image.dark, image.light)


def practice_image(taken: Taken) -> PracticeImage:
    """What is told of an exposure."""
    film = taken.radiograph.receptor == "film_screen"
    di = max(min(taken.di, 20.0), -20.0)
    return PracticeImage(
        picture_of(shown(taken.radiograph, taken.body), taken.radiograph.screen.pixel_cm),
        None if film else taken.index.ei,
        None if film else di,
        image_review.density_from_deviation(di) if film else None,
        taken.index.recognised,
        taken.mas,
        taken.back_up,
        taken.radiograph.incident_air_kerma_mgy,
        taken.radiograph.kap_mgycm2,
        taken.radiograph.spr,
        image_review.evaluate(di, frozenset() if taken.index.recognised else frozenset({"field_not_found"}), film),
    )


@dataclass(frozen=True, slots=True)
class PicturedOut:
    """A picture of right or wrong: what is seen, its cause with what to change, and the image."""

    seen: str
    cause: str
    picture: Picture


GUIDE_PIXELS, DESK_PIXELS = 192, 256


@cached(160)
def pictured(one: Pictured, pixels: int) -> Picture:
    """The image of a picture of right or wrong; kept, since people look at the same ones."""
    taken = take(one.case, one.console, one.lie, one.mishap, pixels, 1)
    return picture_of(shown(taken.radiograph, taken.body), taken.radiograph.screen.pixel_cm)


@router.get("/guide/{projection_id}")
def get_guide_pictures(store: StoreHere, projection_id: str) -> list[PicturedOut]:
    """A good exposure of a projection, and up to three of what goes wrong with it; none where it is not computed."""
    projection = local.catalogue_of(store).projection(projection_id)
    if not can_be_computed(projection.id):
        return []
    return [PicturedOut(one.seen, one.cause, pictured(one, GUIDE_PIXELS)) for one in (good(projection), *faults(projection))]


class LookIn(RequestBody):
    """What the Desk has set for a patient: di is what it forecasts, and stands for the mAs of the room."""

    case: CaseIn
    kvp: Kvp
    sid_cm: Annotated[Number, Field(ge=60, le=300)]
    grid_ratio: GridRatio = 0
    receptor: ReceptorKind = "dr_csi"
    di: Annotated[Number, Field(ge=-12, le=12)] = 0.0


@router.post("/looks")
def post_look(store: StoreHere, asked: LookIn) -> PracticeImage:
    """About how a technique would look on a computed patient like the one at the Desk."""
    case = asked.case.found(store)
    usual = usual_console(case)
    console = replace(usual, kvp=asked.kvp, sid_cm=asked.sid_cm, grid_ratio=asked.grid_ratio, receptor=asked.receptor)
    mas = min(max(mas_for_target(case, console) * 10 ** (asked.di / 10), 0.05), 1000.0)
    return practice_image(take(case, replace(console, mas=mas), pixels=DESK_PIXELS))


@router.get("/looks-like/{finding}")
def get_looks_like(
    store: StoreHere, finding: Finding, projection: Annotated[str, Query(max_length=60)]
) -> list[PicturedOut]:
    """How an image of a projection looks that shows a finding, beside a good one; none where no picture is made of it."""
    view = local.catalogue_of(store).projection(projection)
    one = looks_like(view, finding) if can_be_computed(view.id) else None
    if one is None:
        return []
    return [
        PicturedOut(image_review.FINDINGS[finding], one.cause, pictured(one, DESK_PIXELS)),
        PicturedOut("As it should be", "", pictured(good(view), DESK_PIXELS)),
    ]


@router.get("/lists")
def get_practice_lists() -> PracticeLists:
    """What the simulated room can compute."""
    views = sorted(VIEWS)
    sided = [one for one in views if one_sided(one)]
    of_left = [one for one in views if one not in sided and beside_the_middle(one)]
    return PracticeLists(views, sided, of_left, CONDITIONS)


@router.post("/usual")
def post_usual(store: StoreHere, asked: CaseIn) -> Console:
    """A usual technique for a case in the simulated room: where practice begins, no chart of a real room."""
    return usual_console(asked.found(store))


@dataclass(frozen=True, slots=True)
class LightFieldOut:
    """What the tube sees before anything is exposed. field and cells (the chambers): corners in shares of the picture, from
    its upper left; sides of the field at the receptor and on the skin [cm], null where no skin lies under the cross; ssd_cm:
    focus to skin, or to the receptor where there is none."""

    picture: Picture
    field: list[tuple[float, float]]
    cells: dict[str, list[tuple[float, float]]]
    at_receptor_cm: tuple[float, float]
    on_skin_cm: tuple[float, float] | None
    ssd_cm: float


class LightFieldIn(RequestBody):
    """What is looked at: the patient, the console as set, and what is wrong with how they lie and with the shutters."""

    case: CaseIn
    console: ConsoleIn
    wrong: WrongIn = Field(default_factory=WrongIn)


@router.post("/light-field")
def post_light_field(store: StoreHere, asked: LightFieldIn) -> LightFieldOut:
    """The light field on a computed patient."""
    seen = light_field(asked.case.found(store), asked.console.set_up(), asked.wrong.lie(), asked.wrong.mishap())
    # Bright is what is lit: the other way round than in a radiograph.
    levels = Shown(np.asarray(65535 * (1 - seen.brightness), np.uint16), 65535, 0)
    return LightFieldOut(
        picture_of(levels, seen.screen.pixel_cm),
        list(seen.field),
        {name: list(corners) for name, corners in seen.cells.items()},
        seen.at_receptor_cm,
        seen.on_skin_cm,
        seen.ssd_cm,
    )


@router.post("/exposures")
def post_practice_exposure(store: StoreHere, asked: ExposureIn) -> PracticeImage:
    """Expose a computed body. Deterministic by the seeds."""
    case, console = asked.case.found(store), asked.console.set_up()
    return practice_image(take(case, console, asked.wrong.lie(), asked.wrong.mishap(), asked.size, asked.noise))
