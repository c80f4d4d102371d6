"""What a builder of anatomy is told, and the shapes that builders share."""

from __future__ import annotations

import itertools
from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from oakbeam.core.anatomy.body import AgeBand, Sex
from oakbeam.core.physics.beam.tables import Array
from oakbeam.core.practice.computed_body import Tissue
from oakbeam.core.practice.solids import Solid, Vector, ball, rod

CHILD: dict[AgeBand, float] = {"newborn": 0.0, "1y": 0.15, "5y": 0.4, "10y": 0.7, "15y": 0.95}
"""How far a child's skeleton has grown up: 0 mostly cartilage, 1 closed."""


@dataclass(frozen=True)
class Build:
    """Who is computed. flesh: how wide and deep the outline is over the average adult's; age,
    sex; condition: one of `CONDITIONS` or none; breath: 1 in, 0 out; shoulders_back: not rolled forward; arms_up: out
    of the way of a view from the side; bend_deg: how far the joint in question is bent; legs_out_deg: how far the feet are
    turned out; frog: hips bent and thighs laid out; seed: the small differences between people."""

    flesh: float = 1.0
    age: AgeBand = "adult"
    sex: Sex = "male"
    condition: str = ""
    bend_deg: float = 0.0
    breath: float = 1.0
    arms_up: bool = False
    shoulders_back: bool = False
    legs_out_deg: float = 0.0
    frog: bool = False
    seed: int = 0
    chance: np.random.Generator = field(init=False, repr=False, compare=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "chance", np.random.default_rng(self.seed))

    @property
    def grown(self) -> float:
        return CHILD.get(self.age, 1.0)

    @property
    def bone_share(self) -> float:
        """Mineral of every bone over a healthy adult's: an estimate of ours for bone thin enough to be seen."""
        return 0.6 if self.condition == "osteoporosis" else 1.0

    def differs(self, share: float = 0.03) -> float:
        """A factor about 1, as people differ by one standard deviation of a share."""
        return 1 + share * float(np.clip(self.chance.standard_normal(), -2, 2))


CONDITIONS = {
    "": "none",
    "effusion": "fluid in the joint or beside the lung",
    "osteoporosis": "thin bone",
    "gas": "much gas in the bowel",
    "prosthesis": "metal in the joint",
    "cast": "in plaster",
}


def mirrored(tissues: Sequence[Tissue]) -> list[Tissue]:
    """The other side's."""
    flip = np.diag([-1.0, 1.0, 1.0])
    return [one.moved(flip) for one in tissues]


def bent_rod(points: Sequence[Vector], radii: Sequence[float] | float, flat: float, flat_along: Vector) -> list[Solid]:
    """Flat rods from point to point, each a little longer, so that they close at the joints."""
    sizes = [float(radii)] * len(points) if isinstance(radii, (int, float)) else list(radii)
    found = []
    for i in range(len(points) - 1):
        a, b = np.asarray(points[i], float), np.asarray(points[i + 1], float)
        more = 0.06 * (b - a)
        found.append(replace(rod(a - more, b + more, sizes[i], sizes[i + 1], flat, flat_along), open_ended=True))
    return found


def flare(
    start: Vector, end: Vector, shaft: float, last: float, flat: float = 1.0, flat_along: Vector = (0, 0, 1)
) -> list[Solid]:
    """The widening end of a long bone: from the round shaft at start, slowly at first, to the joint at end, which is as flat
    as is said and whose rim is rounded."""
    a, b = np.asarray(start, float), np.asarray(end, float)
    # A bone that grows flat on its way is of more pieces: each is as flat from end to end.
    shares = np.concatenate([np.linspace(0, 0.93, 6 if flat > FLAT_ENOUGH else 30), [1.0]])
    sizes = np.interp(shares, (0.0, 0.2, 0.4, 0.56, 0.72, 0.93, 1.0), (0.0, 0.06, 0.16, 0.31, 0.52, 0.98, 0.88))
    points = [a + share * (b - a) for share in shares]
    radii = [shaft + size * (last - shaft) for size in sizes]
    flats = [1 + (flat - 1) * (p + q) / 2 for p, q in itertools.pairwise(shares)]
    way = (b - a) / np.linalg.norm(b - a)
    plate = rod(b - PLATE_CM * way, b, radii[-1] + 0.02, radii[-1], flat, flat_along)
    pieces = zip(points, points[1:], radii, radii[1:], flats, strict=False)
    return [*(joined(p, q, r, s, thin, flat_along) for p, q, r, s, thin in pieces), plate]


def shaft(
    name: str,
    points: tuple[Vector, Vector],
    radii: tuple[float, float],
    cortex_cm: float,
    thin: float = 1.0,
    out_of: Sequence[Solid] = (),
    into: Sequence[Solid] = (),
) -> list[Tissue]:
    """The shaft of a long bone from point to point. Toward an end that goes over into others, which are said, its cortex
    grows thin and its marrow fills with trabecular bone step by step, and it reaches a little into them, so that no seam is
    seen there."""
    a, b = (np.asarray(one, float) for one in points)
    long = float(np.linalg.norm(b - a))
    way = (b - a) / long
    # (cm from the start, how far it has become a joint's end)
    stations = [(0.0, 1.0 if out_of else 0.0), (long, 1.0 if into else 0.0)]
    for cm in OVER_CM:
        become = 1 - cm / (OVER_CM[0] + 0.6)
        stations += [(cm, become)] * bool(out_of) + [(long - cm, become)] * bool(into)
    stations.sort()

    def at(cm: float) -> tuple[Array, float]:
        return a + cm * way, radii[0] + cm / long * (radii[1] - radii[0])

    found = []
    for (first, over), (last, over_last) in itertools.pairwise(stations):
        less = [*(out_of if first == 0 else ()), *(into if last == long else ())]
        start = at(first - REACHES_CM * bool(out_of and first == 0))
        end = at(last + REACHES_CM * bool(into and last == long))
        walls = [thin * (cortex_cm + one * (END_CORTEX_CM - cortex_cm)) for one in (over, over_last)]
        whole = joined(start[0], end[0], start[1], end[1])
        core = joined(start[0], end[0], max(start[1] - walls[0], 0.02), max(end[1] - walls[1], 0.02))
        share = (0.01 + (END_TRABECULAR - 0.01) * (over + over_last) / 2) * thin
        found.append(Tissue(name, (whole,), {"bone": 1.0}, "soft", (core,), {"bone": share}, tuple(less)))
    return found


REACHES_CM = 0.3
END_CORTEX_CM, END_TRABECULAR, OVER_CM = 0.12, 0.16, (3.4, 2.4, 1.5, 0.7)
"""What a shaft's wall and inside are where it has become a joint's end, and how far before that it is on its way."""


FLAT_ENOUGH = 0.6
PLATE_CM = 0.14
"""How thick the bone under a joint's cartilage is."""


def joined(
    start: Vector, end: Vector, first: float, last: float, flat: float = 1.0, flat_along: Vector = (0, 0, 1)
) -> Solid:
    """A rod that goes on in others at both ends, in the same plane."""
    return replace(rod(start, end, first, last, flat, flat_along), open_ended=True)


def capsules(
    points: Sequence[Vector], radii: Sequence[float], flat: float = 1.0, flat_along: Vector = (0, 0, 1)
) -> list[Solid]:
    """An outline from point to point with a round joint at each."""
    found: list[Solid] = []
    along = np.asarray(flat_along, float)
    for i, point in enumerate(points):
        if i:
            found.append(rod(points[i - 1], point, radii[i - 1], radii[i], flat, flat_along))
        squeezed = np.where(np.abs(along) > 0.5, flat, 1.0)
        found.append(ball(point, radii[i] * squeezed))
    return found


def growth_plate(build: Build, at: Vector, along: Vector, radius: float) -> list[Solid]:
    """The cartilage across the end of a growing bone, to be cut out of it: at a point, square to a direction; none in who is
    grown up."""
    if build.grown >= 1:
        return []
    middle, way = np.asarray(at, float), np.asarray(along, float)
    half = (PLATE_OF_A_CHILD_CM / 2) * (1.3 - build.grown) * way / np.linalg.norm(way)
    return [rod(middle - half, middle + half, radius)]


PLATE_OF_A_CHILD_CM = 0.32
"""Thickness of a young child's growth plate on a skeleton of an adult's size, before it is sized; thinner as it closes."""


def skin(solids: Sequence[Solid], fat_cm: float) -> Tissue:
    """The outline of a part with the fat under its skin."""
    if fat_cm <= 0:
        return Tissue("outline", tuple(solids), {"soft": 1.0}, coarse=True)
    inner = tuple(one.shrunk(fat_cm, ends=False) for one in solids)
    return Tissue("outline", tuple(solids), {"soft": 0.2, "adipose": 0.8}, "soft", inner, {"soft": 1.0}, coarse=True)
