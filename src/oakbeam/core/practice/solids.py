"""Closed-form solids and how much of each a ray meets.

Everything a computed body is made of is an ellipsoid, a tapered elliptic cylinder or a box, moved, turned and stretched, and
cut by planes where need be. Each is known by the map that takes it to its unit form, so that a ray meets it by a quadratic
at most. Lengths cm; the z axis points from the receptor to the tube.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from oakbeam.core.physics.beam.tables import Array

Form = Literal["ball", "rod", "box"]
Rays = NDArray[np.float32]
Vector = Sequence[float] | Array
IDENTITY: Array = np.eye(3)


@dataclass(frozen=True, eq=False)
class Solid:
    """A unit form under a map. to_unit (3, 3) and centre (3): u = to_unit · (x − centre); axes (3, 3): its inverse, half an
    axis a column. ball: |u| ≤ 1; rod: u₁² + u₂² ≤ (1 + taper · u₃)², |u₃| ≤ 1; box: each |u| ≤ 1. open_ended: its ends
    are no surfaces, another goes on there. cuts: (normal, offset), the half-spaces normal · x ≤ offset."""

    form: Form
    to_unit: Array
    axes: Array
    centre: Array
    taper: float = 0.0
    open_ended: bool = False
    cuts: tuple[tuple[Array, float], ...] = ()

    def moved(self, how: Array, by: Vector = (0.0, 0.0, 0.0), back: Array | None = None) -> Solid:
        """Under the map x -> how · x + by; back: the inverse of how, where it is known."""
        inverse = np.asarray(np.linalg.inv(how) if back is None else back, float)
        shift = np.asarray(by, float)
        cuts = tuple((normal @ inverse, offset + float(normal @ inverse @ shift)) for normal, offset in self.cuts)
        # Made, not replaced: bodies are of a thousand of these.
        return Solid(
            self.form,
            self.to_unit @ inverse,
            how @ self.axes,
            how @ self.centre + shift,
            self.taper,
            self.open_ended,
            cuts,
        )

    def cut(self, normal: Vector, point: Vector) -> Solid:
        """Without what lies beyond a plane through a point, on the side the normal points to."""
        unit = np.asarray(normal, float)
        return replace(self, cuts=(*self.cuts, (unit, float(unit @ np.asarray(point, float)))))

    def shrunk(self, by_cm: float, ends: bool = True) -> Solid:
        """The same, smaller by a length on every side: what a shell of that thickness holds; a rod at its ends where
        asked."""
        sizes = np.sqrt((self.axes * self.axes).sum(0))
        times = np.maximum(1 - by_cm / sizes, 0.02)
        if self.open_ended or (self.form == "rod" and not ends):
            times[2] = 1
        cuts = tuple((normal, offset - by_cm * float(np.linalg.norm(normal))) for normal, offset in self.cuts)
        return Solid(
            self.form,
            self.to_unit / times[:, None],
            self.axes * times,
            self.centre,
            self.taper,
            self.open_ended,
            cuts,
        )


def corners(solids: Sequence[Solid]) -> Array:
    """(solids, 3, 8): of boxes that hold them."""
    signs = np.repeat(_SIGNS[None], len(solids), axis=0)
    signs[:, :2] *= 1 + np.array([one.taper for one in solids])[:, None, None] * signs[:, 2:]
    return np.asarray(np.stack([one.axes for one in solids]) @ signs + np.stack([one.centre for one in solids])[:, :, None])


_SIGNS = np.array([[x, y, z] for x in (-1, 1) for y in (-1, 1) for z in (-1, 1)], float).T


def ball(centre: Vector, radii: Vector | float, turned: Array = IDENTITY) -> Solid:
    """An ellipsoid: half axes [cm] along x, y and z before it is turned."""
    sizes = np.broadcast_to(np.asarray(radii, float), (3,))
    return Solid("ball", (turned / sizes).T, turned * sizes, np.asarray(centre, float))


def box(centre: Vector, half: Vector, turned: Array = IDENTITY) -> Solid:
    """A box: half sides [cm] along x, y and z before it is turned."""
    sizes = np.asarray(half, float)
    return Solid("box", (turned / sizes).T, turned * sizes, np.asarray(centre, float))


def rod(
    start: Vector,
    end: Vector,
    radius: float,
    end_radius: float | None = None,
    flat: float = 1.0,
    flat_along: Vector = (0, 0, 1),
) -> Solid:
    """A tapered cylinder from one point to another. flat: how thick it is along a direction over how wide it is across."""
    a, b = np.asarray(start, float), np.asarray(end, float)
    last = radius if end_radius is None else end_radius
    mean, whole = (radius + last) / 2, b - a
    half = math.sqrt(whole @ whole) / 2
    along = whole / (2 * half)
    second = np.asarray(flat_along, float)
    for other in ((1.0, 0.0, 0.0), (0.0, 1.0, 0.0)):
        second = second - along * (second @ along)
        if second @ second > 1e-12:
            break
        second = np.array(other)
    second = second / math.sqrt(second @ second)
    (x, y, z), (u, v, w) = second.tolist(), along.tolist()
    turned = np.array([[y * w - z * v, x, u], [z * u - x * w, y, v], [x * v - y * u, z, w]])
    sizes = np.array([mean, mean * flat, half])
    return Solid("rod", (turned / sizes).T, turned * sizes, (a + b) / 2, (last - radius) / (2 * mean))


def chain(
    points: Sequence[Vector], radii: Sequence[float] | float, flat: float = 1.0, flat_along: Vector = (0, 0, 1)
) -> list[Solid]:
    """Rods from point to point with balls at the joints: a bent rod."""
    sizes = [radii] * len(points) if isinstance(radii, (int, float)) else list(radii)
    found = [rod(points[i], points[i + 1], sizes[i], sizes[i + 1], flat, flat_along) for i in range(len(points) - 1)]
    if flat == 1.0:
        found += [ball(point, size) for point, size in zip(points, sizes, strict=True)]
    return found


def turn(axis: Literal["x", "y", "z"], deg: float) -> Array:
    """(3, 3): a turn about an axis, counter-clockwise for who looks against it."""
    c, s = math.cos(math.radians(deg)), math.sin(math.radians(deg))
    if axis == "x":
        return np.array([[1, 0, 0], [0, c, -s], [0, s, c]], float)
    if axis == "y":
        return np.array([[c, 0, s], [0, 1, 0], [-s, 0, c]], float)
    return np.array([[c, -s, 0], [s, c, 0], [0, 0, 1]], float)


def spans(solids: Sequence[Solid], source: Array, rays: Rays) -> tuple[Rays, Rays]:
    """(solids, n) each: where every ray source + t · ray, rays (3, n), enters and leaves each solid, in t; both 0 where it
    misses. Solids of one form are met together: a body is of a thousand, and most are small."""
    first = np.zeros((len(solids), rays.shape[1]), np.float32)
    last = np.zeros_like(first)
    for form, met in _FORMS.items():
        places = [i for i, one in enumerate(solids) if one.form == form]
        if places:
            first[places], last[places] = _spans([solids[i] for i in places], met, source, rays)
    return first, last


def _spans(solids: Sequence[Solid], form: Callable[..., tuple[Rays, Rays]], source: Array, rays: Rays) -> tuple[Rays, Rays]:
    to_unit, centre = np.stack([one.to_unit for one in solids]), np.stack([one.centre for one in solids])
    # Counted from each solid's own height: single precision then holds a tenth of a micrometre.
    depth = rays[2, 0]
    near = ((centre[:, 2] - source[2]) / depth if depth else np.zeros(len(solids))).astype(np.float32)[:, None]
    step = to_unit.astype(np.float32) @ rays
    away = (to_unit @ (source - centre)[:, :, None]).astype(np.float32)
    start = away + near[:, :, None] * step
    taper = np.array([one.taper for one in solids], np.float32)[:, None]
    with np.errstate(divide="ignore", invalid="ignore"):
        first, last = form(start, step, taper)
        for i, one in enumerate(solids):
            for normal, offset in one.cuts:
                speed = normal.astype(np.float32) @ rays
                left = np.float32(offset - float(normal @ source)) - near[i] * speed
                at = left / speed
                first[i] = np.where(speed < 0, np.maximum(first[i], at), first[i])
                last[i] = np.where(speed > 0, np.minimum(last[i], at), last[i])
                last[i] = np.where((speed == 0) & (left < 0), first[i], last[i])
        met = last > first
    return np.where(met, first + near, 0), np.where(met, last + near, 0)


def _ball(start: Rays, step: Rays, _: Rays) -> tuple[Rays, Rays]:
    a, b, c = _dot(step, step), _dot(start, step), _dot(start, start) - 1
    root = np.sqrt(b * b - a * c)
    return (-b - root) / a, (-b + root) / a


def _rod(start: Rays, step: Rays, taper: Rays) -> tuple[Rays, Rays]:
    across, turns = start[:, :2], step[:, :2]
    wide, widens = 1 + taper * start[:, 2], taper * step[:, 2]
    a = _dot(turns, turns) - widens * widens
    b = _dot(across, turns) - wide * widens
    c = _dot(across, across) - wide * wide
    # Along the side to the last digit the quadratic is none; a hair beside it it is.
    a[np.abs(a) < 1e-7] = 1e-7
    root = np.sqrt(b * b - a * c)
    first, last = (-b - root) / a, (-b + root) / a
    steep = a < 0
    if steep.any():
        # Steeper than its side a ray is inside the cone beyond one crossing: that toward which the cone widens.
        far, through = np.float32(1e9), np.isnan(root)
        opens = widens > 0
        entered = np.where(opens & ~through, first, -far)
        left = np.where(opens | through, far, last)
        first, last = np.where(steep, entered, first), np.where(steep, left, last)
    low, high = _slab(start[:, 2], step[:, 2])
    return np.maximum(first, low), np.minimum(last, high)


def _dot(a: Rays, b: Rays) -> Rays:
    """(solids, n): of each column of one with that of the other."""
    return np.asarray(np.einsum("kij,kij->kj", a, b))


def _box(start: Rays, step: Rays, _: Rays) -> tuple[Rays, Rays]:
    low, high = _slab(start, step)
    return low.max(1), high.min(1)


def _slab(start: Rays, step: Rays) -> tuple[Rays, Rays]:
    one, two = (-1 - start) / step, (1 - start) / step
    low, high = np.minimum(one, two), np.maximum(one, two)
    still = step == 0
    if still.any():
        outside = still & (np.abs(start) > 1)
        low = np.where(still, np.where(outside, np.float32(1e9), np.float32(-1e9)), low)
        high = np.where(still, np.where(outside, np.float32(-1e9), np.float32(1e9)), high)
    return low, high


_FORMS: Mapping[Form, Callable[..., tuple[Rays, Rays]]] = {"ball": _ball, "rod": _rod, "box": _box}


def union_length(first: Rays, last: Rays) -> Rays:
    """(n): what the intervals (k, n) of each ray cover together, overlaps once.

    From the first start to the last end less the gaps: there is one where i intervals have ended before the next has begun,
    which the starts and the ends tell each in their own order.
    """
    if len(first) == 1:
        return np.asarray(last[0] - first[0])
    first, last = _in_order(first), _in_order(last)
    return np.asarray(last[-1] - first[0] - np.maximum(first[1:] - last[:-1], 0).sum(0))


def _in_order(some: Rays) -> Rays:
    """(k, n) with each column rising. Rows compared whole, a few of them, are ten times as fast as columns sorted one by
    one."""
    if len(some) > 14:
        return np.sort(some, axis=0)
    rows = some.copy()
    spare = np.empty_like(rows[0])
    for last in range(1, len(rows)):
        for i in range(last, 0, -1):
            np.minimum(rows[i - 1], rows[i], out=spare)
            np.maximum(rows[i - 1], rows[i], out=rows[i])
            rows[i - 1] = spare
    return rows
