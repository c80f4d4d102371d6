"""A computed body: tissues made of solids, and how much of each material every ray to the receptor meets.

What is inside what is said by what a tissue stands in the place of: bone in soft tissue, a vessel in lung. Solids of one
tissue may overlap, they count once; those of two tissues of one place must not.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np
from numpy.typing import NDArray

from oakbeam.core.physics.beam.tables import Array
from oakbeam.core.practice.solids import Rays, Solid, spans, union_length

Material = Literal["soft", "adipose", "muscle", "lung", "bone", "air", "titanium", "lead", "plaster", "fibreglass"]
"""soft: the part's own mixture of lean tissue and fat, as the physics model takes it; all others as the tables name them."""
Maps = dict[Material, NDArray[np.float32]]


@dataclass(frozen=True)
class Tissue:
    """One tissue: the union of its solids, less others. mix: share of each material, the rest being what it stands in the
    place of; core: solids within it that are of another mix, as trabecular bone in its shell. coarse: without fine
    edges, so that every other pixel will do."""

    name: str
    solids: tuple[Solid, ...]
    mix: Mapping[Material, float]
    in_place_of: Material = "soft"
    core: tuple[Solid, ...] = ()
    core_mix: Mapping[Material, float] = field(default_factory=dict)
    less: tuple[Solid, ...] = ()
    coarse: bool = False

    def moved(self, how: Array, by: Sequence[float] | Array = (0.0, 0.0, 0.0)) -> Tissue:
        """Under the map x -> how · x + by."""
        back = np.asarray(np.linalg.inv(how), float)
        solids, core, less = (
            tuple(one.moved(how, by, back) for one in some) for some in (self.solids, self.core, self.less)
        )
        return replace(self, solids=solids, core=core, less=less)


def bone(name: str, solids: Sequence[Solid], cortex_cm: float, trabecular: float, less: Sequence[Solid] = ()) -> Tissue:
    """A bone: a cortex of a thickness about trabecular bone of a cortical-equivalent share."""
    core = tuple(one.shrunk(cortex_cm) for one in solids)
    return Tissue(name, tuple(solids), {"bone": 1.0}, "soft", core, {"bone": trabecular}, tuple(less))


@dataclass(frozen=True)
class Screen:
    """Where the image is formed: pixels (rows, columns) of a size [cm], the middle of them at a point of the plane z = 0,
    and the focus [cm]. The first row is the upper end of the image."""

    focus: Array
    middle_cm: tuple[float, float]
    pixel_cm: float
    shape: tuple[int, int]

    def x_cm(self) -> Array:
        """(columns): place of each column."""
        n = self.shape[1]
        return np.asarray(self.middle_cm[0] + (np.arange(n) - (n - 1) / 2) * self.pixel_cm)

    def y_cm(self) -> Array:
        """(rows): place of each row, falling."""
        n = self.shape[0]
        return np.asarray(self.middle_cm[1] - (np.arange(n) - (n - 1) / 2) * self.pixel_cm)

    def window(self, solids: Sequence[Solid]) -> tuple[slice, slice] | None:
        """Rows and columns that a shadow of some solids can fall on; None where it falls beside the screen."""
        corners = np.concatenate([one.corners() for one in solids], axis=1)
        height = self.focus[2]
        if (corners[2] >= height).any():
            return slice(0, self.shape[0]), slice(0, self.shape[1])
        scale = height / (height - corners[2])
        x = self.focus[0] + (corners[0] - self.focus[0]) * scale
        y = self.focus[1] + (corners[1] - self.focus[1]) * scale
        columns = (np.array([x.min(), x.max()]) - self.x_cm()[0]) / self.pixel_cm
        rows = (self.y_cm()[0] - np.array([y.max(), y.min()])) / self.pixel_cm
        found = []
        for (low, high), n in ((rows, self.shape[0]), (columns, self.shape[1])):
            first, last = max(0, int(np.floor(low))), min(n, int(np.ceil(high)) + 1)
            if last <= first:
                return None
            found.append(slice(first, last))
        return found[0], found[1]

    def rays(self, rows: slice, columns: slice) -> Rays:
        """(3, n): from the focus to each pixel of a window, row by row."""
        y, x = np.meshgrid(self.y_cm()[rows], self.x_cm()[columns], indexing="ij")
        return np.stack([x.ravel() - self.focus[0], y.ravel() - self.focus[1], np.full(x.size, -self.focus[2])]).astype(
            np.float32
        )


def _covered(solids: Sequence[Solid], focus: Array, rays: Rays) -> Rays:
    """(n): share of each ray within the union of some solids."""
    if not solids:
        return np.zeros(rays.shape[1], np.float32)
    both = [spans(one, focus, rays) for one in solids]
    return union_length(np.stack([one[0] for one in both]), np.stack([one[1] for one in both]))


def lengths(tissues: Sequence[Tissue], screen: Screen) -> Maps:
    """(rows, columns) each: how much [cm] of every material the ray to a pixel meets. The first tissue is the outline, which
    the others stand in."""
    maps: Maps = {}

    def at(material: Material) -> NDArray[np.float32]:
        if material not in maps:
            maps[material] = np.zeros(screen.shape, np.float32)
        return maps[material]

    for number, tissue in enumerate(tissues):
        place = (slice(None), slice(None)) if tissue.coarse else screen.window(tissue.solids)
        if place is None:
            continue
        whole, core = _coarse_blocks(tissue, screen) if tissue.coarse else _blocks(tissue, screen, place)
        for length, mix in ((whole - core, tissue.mix), (core, tissue.core_mix)):
            for material, share in mix.items():
                at(material)[place] += np.float32(share) * length
            if number and mix:
                at(tissue.in_place_of)[place] -= np.float32(sum(mix.values())) * length
    for material, found in maps.items():
        if material != "soft":
            np.maximum(found, 0, out=found)
    return maps


def _coarse_blocks(tissue: Tissue, screen: Screen) -> tuple[Rays, Rays]:
    """The lengths on pixels twice as large, brought back to the screen's own."""
    rows, columns = screen.shape
    large = replace(screen, pixel_cm=2 * screen.pixel_cm, shape=((rows + 1) // 2, (columns + 1) // 2))
    whole = (slice(0, large.shape[0]), slice(0, large.shape[1]))
    y, x = screen.y_cm(), screen.x_cm()
    at = (large.y_cm()[0] - y) / large.pixel_cm, (x - large.x_cm()[0]) / large.pixel_cm
    found = []
    for image in _blocks(tissue, large, whole):
        for axis in (0, 1):
            place = np.clip(at[axis], 0, image.shape[axis] - 1)
            low = np.minimum(place.astype(int), max(image.shape[axis] - 2, 0))
            share = (place - low).astype(np.float32).reshape((-1, 1) if axis == 0 else (1, -1))
            upper = np.minimum(low + 1, image.shape[axis] - 1)
            image = np.take(image, low, axis) * (1 - share) + np.take(image, upper, axis) * share
        found.append(image)
    return found[0], found[1]


_FEW, _BLOCK = 3, 64
"""Solids of a tissue that are looked at together; of more, those that meet a block of so many pixels."""


def _left(solids: Sequence[Solid], less: Sequence[Solid], focus: Array, rays: Rays) -> Rays:
    """(n): share of each ray within some solids and outside others: what both cover together less what the others do."""
    if not less or not solids:
        return _covered(solids, focus, rays)
    return np.asarray(_covered((*solids, *less), focus, rays) - _covered(less, focus, rays))


def _blocks(tissue: Tissue, screen: Screen, window: tuple[slice, slice]) -> tuple[Rays, Rays]:
    """The lengths [cm] within a tissue, and of them within its core, over a window; block by block where its solids are
    many, since most do not meet a block."""
    rows, columns = window
    whole = np.zeros((rows.stop - rows.start, columns.stop - columns.start), np.float32)
    core = np.zeros_like(whole)
    if len(tissue.solids) <= _FEW:
        blocks, own = [window], None
    else:
        own = {id(one): screen.window([one]) for some in (tissue.solids, tissue.core, tissue.less) for one in some}
        blocks = [
            (slice(top, min(top + _BLOCK, rows.stop)), slice(left, min(left + _BLOCK, columns.stop)))
            for top in range(rows.start, rows.stop, _BLOCK)
            for left in range(columns.start, columns.stop, _BLOCK)
        ]
    for block in blocks:

        def there(some: Sequence[Solid], block: tuple[slice, slice] = block) -> Sequence[Solid]:
            return some if own is None else [one for one in some if _meets(own[id(one)], block)]

        solids = there(tissue.solids)
        if not solids:
            continue
        rays = screen.rays(*block)
        way_cm, less = np.sqrt((rays * rays).sum(0)), there(tissue.less)
        place = (
            slice(block[0].start - rows.start, block[0].stop - rows.start),
            slice(block[1].start - columns.start, block[1].stop - columns.start),
        )
        shape = whole[place].shape
        whole[place] = (_left(solids, less, screen.focus, rays) * way_cm).reshape(shape)
        if tissue.core:
            core[place] = (_left(there(tissue.core), less, screen.focus, rays) * way_cm).reshape(shape)
    return whole, core


def _meets(one: tuple[slice, slice] | None, block: tuple[slice, slice]) -> bool:
    return one is not None and all(a.start < b.stop and b.start < a.stop for a, b in zip(one, block, strict=True))
