"""What a builder of anatomy is told, and the shapes that builders share."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from oakbeam.core.anatomy.body import AgeBand, Sex
from oakbeam.core.practice.computed_body import Tissue
from oakbeam.core.practice.solids import Solid, Vector, ball, rod

CHILD: dict[AgeBand, float] = {"newborn": 0.0, "1y": 0.15, "5y": 0.4, "10y": 0.7, "15y": 0.95}
"""How far a child's skeleton has grown up: 0 mostly cartilage, 1 closed."""


@dataclass(frozen=True)
class Build:
    """Who is computed. flesh: how wide and deep the outline is over the average adult's; size: how large the skeleton is;
    age, sex; condition: one of `CONDITIONS` or none; breath: 1 in, 0 out; shoulders_back: not rolled
    forward; arms_up: out of the way of a view from the side; bend_deg: how far the
    joint in question is bent; seed: the small differences between people."""

    flesh: float = 1.0
    age: AgeBand = "adult"
    sex: Sex = "male"
    condition: str = ""
    bend_deg: float = 0.0
    breath: float = 1.0
    arms_up: bool = False
    shoulders_back: bool = False
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
    """The widening end of a long bone: from the shaft at start, slowly at first, to the joint at end, whose rim is
    rounded."""
    a, b = np.asarray(start, float), np.asarray(end, float)
    shares, sizes = (0.0, 0.4, 0.72, 0.93, 1.0), (0.0, 0.16, 0.52, 0.98, 0.88)
    points = [a + share * (b - a) for share in shares]
    radii = [shaft + size * (last - shaft) for size in sizes]
    way = (b - a) / np.linalg.norm(b - a)
    plate = rod(b - PLATE_CM * way, b, radii[-1] + 0.02, radii[-1], flat, flat_along)
    return [
        *(joined(p, q, r, s, flat, flat_along) for p, q, r, s in zip(points, points[1:], radii, radii[1:], strict=False)),
        plate,
    ]


PLATE_CM = 0.14
"""How thick the bone under a joint's cartilage is."""


def joined(
    start: Vector, end: Vector, first: float, last: float, flat: float = 1.0, flat_along: Vector = (0, 0, 1)
) -> Solid:
    """A rod that goes on in others at both ends."""
    a, b = np.asarray(start, float), np.asarray(end, float)
    more = 0.01 * (b - a)
    return replace(rod(a - more, b + more, first, last, flat, flat_along), open_ended=True)


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


def skin(solids: Sequence[Solid], fat_cm: float) -> Tissue:
    """The outline of a part with the fat under its skin."""
    if fat_cm <= 0:
        return Tissue("outline", tuple(solids), {"soft": 1.0}, coarse=True)
    inner = tuple(one.shrunk(fat_cm, ends=False) for one in solids)
    return Tissue("outline", tuple(solids), {"soft": 0.2, "adipose": 0.8}, "soft", inner, {"soft": 1.0}, coarse=True)
