"""A simulated x-ray room: a computed patient, a console, what goes wrong, and the image that comes of it.

Nothing here touches a real room: the tube is a usual one of the physics model, so that a technique learned here holds in
shape, not in milliampere-seconds, for a room that was calibrated.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from oakbeam.core.anatomy.body import AgeBand, Habitus, Sex
from oakbeam.core.anatomy.composition import part_of
from oakbeam.core.cache import cached
from oakbeam.core.equipment.room_beam import usual_grid
from oakbeam.core.errors import Refusal, one_of, within
from oakbeam.core.patient.thickness import LIMB_SHARE, declared_age
from oakbeam.core.physics.beam.grid import GridStrips
from oakbeam.core.physics.beam.model import BeamSetup, Part, evaluate, rqa5_equivalent_ugy
from oakbeam.core.physics.beam.quality import DETAIL_AREA_CM2, Detail, cnr, contrast
from oakbeam.core.physics.beam.receptor import ReceptorKind
from oakbeam.core.practice.artefacts import ARTEFACTS, Artefact, Chip, laid_on, with_chip
from oakbeam.core.practice.bodies.frame import CONDITIONS, Build
from oakbeam.core.practice.computed_body import Maps, Screen, Tissue, met
from oakbeam.core.practice.positioning import ComputedPart, agreeing, focus_at, placed
from oakbeam.core.practice.radiograph import (
    Collimation,
    Exposure,
    GridFault,
    Index,
    Motion,
    Radiograph,
    chamber_signal,
    expose,
    index_of,
)
from oakbeam.core.practice.views import REGIONS, VIEWS, Lie, beside_the_middle, one_sided
from oakbeam.core.projection import Projection

TARGET_EI = 250.0
"""What the practice room's digital receptors aim at; film: net density 1 at 2.5 µGy (speed class 400)."""
MARGIN = 1.06
"""The image is so much larger than the field of the projection: its shutters are seen."""
PIXELS = (64, 512)
AGREED_AT_KVP = 75.0
"""Quality at which a body is made to agree with the physics model's part."""


@dataclass(frozen=True, slots=True)
class Case:
    """A computed patient for a projection. condition: one of `CONDITIONS`; side: of a limb; seed: the small differences
    between people."""

    projection: Projection
    thickness_cm: float
    habitus: Habitus | None = None
    age: AgeBand | None = None
    sex: Sex = "male"
    condition: str = ""
    seed: int = 0
    side: Side = "left"


Side = Literal["left", "right"]


@dataclass(frozen=True, slots=True)
class Console:
    """What is set. mas is the back-up where chambers end the exposure; chambers "": by hand. breathing: on for seconds, so
    that ribs and lung markings blur. field_cm None: the projection's."""

    kvp: float
    mas: float
    sid_cm: float
    grid_ratio: int = 0
    gap_cm: float = 0.0
    receptor: ReceptorKind = "dr_csi"
    chambers: tuple[str, ...] = ()
    density_factor: float = 1.0
    breathing: bool = False
    spot_mm: float = 1.2
    field_cm: tuple[float, float] | None = None
    filtration_mm_al: float = 3.0
    filtration_mm_cu: float = 0.0


@dataclass(frozen=True, slots=True)
class Mishap:
    """What goes wrong beside the lie and the technique; chip: what is to be looked for."""

    grid: GridFault = field(default_factory=GridFault)
    moved_mm: float = 0.0
    artefacts: tuple[Artefact, ...] = ()
    shutters_off_cm: tuple[float, float] = (0.0, 0.0)
    shutters_turned_deg: float = 0.0
    chip: Chip | None = None


@dataclass(frozen=True)
class Taken:
    """What an exposure gave. mas: as it ended; back_up: the back-up ended it; part: what the physics model takes for the
    patient's; expected_ei: that model's index for it."""

    radiograph: Radiograph
    body: ComputedPart
    index: Index
    di: float
    mas: float
    back_up: bool
    part: Part
    setup: BeamSetup


def can_be_computed(projection_id: str) -> bool:
    """Whether there is a body for a projection."""
    return projection_id in VIEWS


def part_for(case: Case) -> Part:
    """What the physics model takes for a case."""
    age = declared_age(case.projection, case.age)
    thickness = np.array([within("thickness_cm", case.thickness_cm, 1.0, 45.0, "cm")])
    average = case.projection.thickness_cm[1]
    return part_of(case.projection.composition, average, thickness, case.habitus, age=age)


@cached(24)
def computed(
    case: Case,
    lie: Lie,
    sid_cm: float,
    gap_cm: float,
    pixels: int,
    artefacts: tuple[Artefact, ...] = (),
    breathing: bool = False,
) -> tuple[ComputedPart, Screen, Part]:
    """A case as the rays meet it; kept, since techniques are changed more often than patients. Refusal where there is no
    body for the projection."""

    def there(breath: float | None = None) -> tuple[Maps, NDArray[np.float32], Screen]:
        laid, screen = laid_down(case, lie, sid_cm, gap_cm, pixels, MARGIN, breath)
        return (*met(laid, screen), screen)

    part, field_cm = part_for(case), case.projection.field_cm
    maps, height_cm, screen = _over_a_breath([there(one) for one in BREATHS]) if breathing else there()
    body = agreeing(maps, screen, part, field_cm, BeamSetup(AGREED_AT_KVP, sid_cm, field_cm, gap_cm=gap_cm))
    body = replace(body, height_cm=height_cm)
    if artefacts:
        body = replace(body, maps=laid_on(body.maps, screen, artefacts, field_cm))
    return body, screen, part


def laid_down(
    case: Case, lie: Lie, sid_cm: float, gap_cm: float, pixels: int, around: float, breath: float | None = None
) -> tuple[list[Tissue], Screen]:
    """A case under the tube, and a screen of so many pixels that is so many times as large as the projection's field.
    breath: where it is in a breath, 1 in and 0 out, if not as the lie says. Refusal where there is no body for the
    projection."""
    if case.projection.id not in VIEWS:
        raise Refusal("No body for this view", f"{case.projection.name} is not computed yet.", sorted(VIEWS), "projection")
    one_of("condition", case.condition, tuple(CONDITIONS))
    within("size", pixels, *PIXELS, "pixels")
    within("sid_cm", sid_cm, 60.0, 300.0, "cm")
    view = VIEWS[case.projection.id]
    region = REGIONS[view.region]
    child = case.age in LIMB_SHARE or case.projection.for_children
    age: AgeBand = case.age or (case.projection.ages[0] if case.projection.for_children else "adult")
    build = Build(
        age=age,
        sex=case.sex,
        condition=case.condition,
        bend_deg=view.bend_deg + lie.bend_deg,
        arms_up=view.arms_up,
        breath=breath if breath is not None else 0.0 if lie.breathed_out else 1.0,
        shoulders_back=lie.shoulders_back,
        legs_out_deg=lie.legs_out_deg,
        frog=view.frog,
        seed=case.seed,
    )
    mirrored = case.side == "right" and one_sided(case.projection.id)
    right, up = lie.off_cm
    # Bodies are made of their left limbs; a right one's image is that of a left one in a mirror.
    pose = view.pose(replace(lie, off_cm=(-right, up)) if mirrored else lie)
    width, height = case.projection.field_cm
    pixel = around * max(width, height) / pixels
    shape = (max(8, round(around * height / pixel)), max(8, round(around * width / pixel)))
    screen = Screen(focus_at(sid_cm, pose.angle_deg), (0.0, 0.0), pixel, shape)
    follows = 1.0 if child else region.follows
    tissues = placed(region.outline, region.anatomy, build, pose, case.thickness_cm, sid_cm, gap_cm, follows)
    return [one.moved(MIRROR) for one in tissues] if mirrored else tissues, screen


MIRROR = np.diag([-1.0, 1.0, 1.0])


def marker_of(case: Case) -> Artefact:
    """The marker that belongs on an image: of the side that is seen, and of the right one where both are."""
    if one_sided(case.projection.id):
        return "marker L" if case.side == "left" else "marker R"
    return "marker L" if beside_the_middle(case.projection.id) else "marker R"


def take(
    case: Case, console: Console, lie: Lie | None = None, mishap: Mishap | None = None, pixels: int = 256, seed: int = 0
) -> Taken:
    """Press the button. seed: the noise. Refusal or OutOfRange for what cannot be set."""
    lie, mishap = lie or Lie(), mishap or Mishap()
    within("mas", console.mas, 0.05, 1000.0, "mAs")
    for one in mishap.artefacts:
        one_of("artefacts", one, ARTEFACTS)
    body, screen, part = computed(case, lie, console.sid_cm, console.gap_cm, pixels, mishap.artefacts, console.breathing)
    if mishap.chip:
        body = replace(body, maps=with_chip(body.maps, screen, mishap.chip, case.projection.field_cm))
    setup = _as_set(case, console)
    shot = Exposure(
        setup,
        console.mas,
        part,
        Collimation(mishap.shutters_off_cm, setup.field_cm, mishap.shutters_turned_deg),
        console.spot_mm,
        case.projection.structure_cm + console.gap_cm,
        mishap.grid,
        Motion(mishap.moved_mm),
        seed,
    )
    mas, back_up = console.mas, False
    if console.chambers:
        mas, back_up = _ended_at(body, screen, shot, console)
    radiograph = expose(body, screen, replace(shot, mas=mas))
    index = index_of(radiograph, body.region)
    return Taken(radiograph, body, index, 10 * math.log10(max(index.ei, 0.01) / TARGET_EI), mas, back_up, part, setup)


def _ended_at(body: ComputedPart, screen: Screen, shot: Exposure, console: Console) -> tuple[float, bool]:
    """(mAs at which the chambers end an exposure, whether the back-up did): their mean has reached what the receptor
    wants."""
    for one in console.chambers:
        one_of("chambers", one, ("L", "C", "R"))
    per_mas = expose(body, screen, replace(shot, mas=1.0))
    given = sum(chamber_signal(per_mas, one) for one in console.chambers) / len(console.chambers)
    wanted = TARGET_EI / 100 * console.density_factor
    mas = wanted / given if given > 0 else math.inf
    return (console.mas, True) if mas > console.mas else (max(mas, 0.05), False)


def _as_set(case: Case, console: Console) -> BeamSetup:
    """The console's settings as the physics model takes them."""
    return BeamSetup(
        console.kvp,
        console.sid_cm,
        console.field_cm or case.projection.field_cm,
        console.filtration_mm_al,
        console.filtration_mm_cu,
        gap_cm=console.gap_cm,
        grid=strips(console.grid_ratio, console.sid_cm),
        receptor=console.receptor,
    )


def strips(ratio: int, sid_cm: float) -> GridStrips | None:
    """The usual grid of a ratio, focused at the SID; None for 0."""
    grid = usual_grid(ratio, sid_cm)
    return grid.strips if grid else None


def _over_a_breath(
    moments: Sequence[tuple[Maps, NDArray[np.float32], Screen]],
) -> tuple[Maps, NDArray[np.float32], Screen]:
    """What the rays meet on the mean of a breath: what moves with it blurs, the spine does not."""
    whole: Maps = {}
    for maps, _, _ in moments:
        for material, found in maps.items():
            share = found / np.float32(len(moments))
            whole[material] = whole[material] + share if material in whole else share
    return whole, moments[0][1], moments[0][2]


BREATHS = (0.35, 0.45, 0.55, 0.65, 0.75)
"""Where a quiet breath is while it is looked at: 1 in, 0 out."""
BUCKY_GAP_CM = 5.0


def usual_console(case: Case) -> Console:
    """A usual technique for a case: the middle of the projection's kVp, a grid where it is usual, the mAs that the physics
    model takes for the target index on the nearest step of a tenth."""
    projection = case.projection
    with_grid = projection.grid_over_cm is not None and case.thickness_cm > projection.grid_over_cm
    bucky = next((one for one in projection.supports if one.endswith("bucky")), None) if with_grid else None
    support = bucky or projection.supports[0]
    low, high = projection.kvp_usual(support)
    kvp = float(round((low + high) / 2))
    ratio = (12 if kvp > 90 else 10) if with_grid else 0
    gap_cm = BUCKY_GAP_CM if bucky else 0.0
    console = Console(kvp, 1.0, projection.sid_cm, ratio, gap_cm)
    step = 10 ** (round(10 * math.log10(mas_for_target(case, console))) / 10)
    return replace(console, mas=max(0.1, float(f"{step:.2g}")))


def chip_cnr(case: Case, console: Console, chip: Chip) -> float:
    """How far a chip of bone stands out of the quantum noise, by the physics model: contrast over noise in the chip's own
    area."""
    beam = evaluate(_as_set(case, console), part_for(case))
    detail = Detail("a chip of bone", "bone", "soft", chip.depth_mm / 10, 0.0)
    share = math.pi * (chip.width_mm / 20) ** 2 / DETAIL_AREA_CM2
    return float(cnr(beam, contrast(beam, detail), console.mas)[0]) * math.sqrt(share)


def mas_for_target(case: Case, console: Console) -> float:
    """The mAs that the physics model takes for the target index of a case, all else as set."""
    return TARGET_EI / 100 / float(rqa5_equivalent_ugy(_as_set(case, console), part_for(case))[0])
