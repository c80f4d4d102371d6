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
from oakbeam.core.practice.solids import Rays, Solid, corners, spans, union_length

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

    def windows(self, solids: Sequence[Solid]) -> NDArray[np.int_]:
        """(solids, 4): first row, last row, first column and last column (the last ones not counted in) that the shadow of
        each can fall on; none where it falls beside the screen."""
        at, height = corners(solids), float(self.focus[2])
        # What reaches up to the focus throws its shadow anywhere.
        scale = height / np.maximum(height - at[:, 2], 1e-9)
        x = self.focus[0] + (at[:, 0] - self.focus[0]) * scale
        y = self.focus[1] + (at[:, 1] - self.focus[1]) * scale
        columns = (np.stack([x.min(1), x.max(1)], 1) - self.x_cm()[0]) / self.pixel_cm
        rows = (self.y_cm()[0] - np.stack([y.max(1), y.min(1)], 1)) / self.pixel_cm
        found = np.concatenate([rows, columns], axis=1)
        found[(at[:, 2] >= height).any(1)] = (0, self.shape[0], 0, self.shape[1])
        return np.asarray(np.clip(np.floor(found) + np.array([0, 2, 0, 2]), 0, np.repeat(self.shape, 2)), int)

    def rays(self, rows: slice, columns: slice) -> Rays:
        """(3, n): from the focus to each pixel of a window, row by row."""
        y, x = np.meshgrid(self.y_cm()[rows], self.x_cm()[columns], indexing="ij")
        return np.stack([x.ravel() - self.focus[0], y.ravel() - self.focus[1], np.full(x.size, -self.focus[2])]).astype(
            np.float32
        )


def lengths(tissues: Sequence[Tissue], screen: Screen) -> Maps:
    """(rows, columns) each: how much [cm] of every material the ray to a pixel meets. The first tissue is the outline, which
    the others stand in."""
    return met(tissues, screen)[0]


def met(tissues: Sequence[Tissue], screen: Screen) -> tuple[Maps, NDArray[np.float32]]:
    """What `lengths` gives, and (rows, columns) how high [cm] over the receptor lies what a pixel shows: the mean over what
    stands in the outline, bone and metal before all else; not a number where nothing does."""
    maps: Maps = {}

    def at(material: Material) -> NDArray[np.float32]:
        if material not in maps:
            maps[material] = np.zeros(screen.shape, np.float32)
        return maps[material]

    shown, shares = np.zeros(screen.shape, np.float32), np.zeros(screen.shape, np.float32)
    everywhere = (slice(0, screen.shape[0]), slice(0, screen.shape[1]))
    for number, (tissue, reached) in enumerate(zip(tissues, _reached(tissues, screen), strict=True)):
        place = everywhere if tissue.coarse else _window(reached[0].windows)
        if place is None:
            continue
        if tissue.coarse:
            whole, core = _coarse_blocks(tissue, screen)
        else:
            whole, core, middle = _blocks(reached, screen, place)
            counts = np.float32(0 if number == 0 else 1 if SHARPLY_SEEN & {*tissue.mix} else 0.15)
            shares[place] += counts * whole
            shown[place] += counts * whole * middle
        for length, mix in ((whole - core, tissue.mix), (core, tissue.core_mix)):
            for material, share in mix.items():
                at(material)[place] += np.float32(share) * length
            if number and mix:
                at(tissue.in_place_of)[place] -= np.float32(sum(mix.values())) * length
    for material, found in maps.items():
        if material != "soft":
            np.maximum(found, 0, out=found)
    with np.errstate(divide="ignore", invalid="ignore"):
        # In shares of the way from the focus to the receptor.
        height = screen.focus[2] * (1 - shown / shares)
    return maps, np.asarray(np.where(shares > 0, height, np.nan), np.float32)


SHARPLY_SEEN: set[Material] = {"bone", "titanium", "lead"}


def _coarse_blocks(tissue: Tissue, screen: Screen) -> tuple[Rays, Rays]:
    """The lengths on pixels twice as large, brought back to the screen's own."""
    rows, columns = screen.shape
    large = replace(screen, pixel_cm=2 * screen.pixel_cm, shape=((rows + 1) // 2, (columns + 1) // 2))
    whole = (slice(0, large.shape[0]), slice(0, large.shape[1]))
    y, x = screen.y_cm(), screen.x_cm()
    at = (large.y_cm()[0] - y) / large.pixel_cm, (x - large.x_cm()[0]) / large.pixel_cm
    found = []
    (reached,) = _reached([tissue], large)
    for image in _blocks(reached, large, whole)[:2]:
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
Window = tuple[slice, slice]


def _window(of: NDArray[np.int_]) -> Window | None:
    """What holds some windows; None where there is nothing in them."""
    of = of[(of[:, 1] > of[:, 0]) & (of[:, 3] > of[:, 2])]
    if not len(of):
        return None
    return slice(int(of[:, 0].min()), int(of[:, 1].max())), slice(int(of[:, 2].min()), int(of[:, 3].max()))


def _blocks(reached: tuple[Reached, Reached, Reached], screen: Screen, window: Window) -> tuple[Rays, Rays, Rays]:
    """The lengths [cm] within a tissue, of them within its core, and where on the way from the focus the tissue lies, over a
    window; block by block where its solids are many, since most do not meet a block."""
    rows, columns = window
    whole = np.zeros((rows.stop - rows.start, columns.stop - columns.start), np.float32)
    core, middle = np.zeros_like(whole), np.zeros_like(whole)
    solids, cores, less = reached
    step = max(whole.shape) if len(solids.solids) <= _FEW else _BLOCK
    for top in range(rows.start, rows.stop, step):
        for left in range(columns.start, columns.stop, step):
            block = slice(top, min(top + step, rows.stop)), slice(left, min(left + step, columns.stop))
            here = solids.by(block)
            if not here:
                continue
            rays = screen.rays(*block)
            way_cm = np.sqrt((rays * rays).sum(0))
            beside = spans(less.by(block), screen.focus, rays)
            place = (
                slice(block[0].start - rows.start, block[0].stop - rows.start),
                slice(block[1].start - columns.start, block[1].stop - columns.start),
            )
            shape = whole[place].shape
            first, last = spans(here, screen.focus, rays)
            whole[place] = (_left((first, last), beside) * way_cm).reshape(shape)
            inside = np.maximum((last - first).sum(0), 1e-9)
            middle[place] = (((last - first) * (last + first)).sum(0) / (2 * inside)).reshape(shape)
            core[place] = (_left(spans(cores.by(block), screen.focus, rays), beside) * way_cm).reshape(shape)
    return whole, core, middle


@dataclass(frozen=True)
class Reached:
    """Some solids and where on a screen each of their shadows falls (`Screen.windows`)."""

    solids: Sequence[Solid]
    windows: NDArray[np.int_]

    def by(self, block: Window) -> list[Solid]:
        """Those whose shadow falls on a block."""
        (rows, columns), at = block, self.windows
        meets = (at[:, 0] < rows.stop) & (rows.start < at[:, 1]) & (at[:, 2] < columns.stop) & (columns.start < at[:, 3])
        return [one for one, here in zip(self.solids, meets, strict=True) if here]


def _reached(tissues: Sequence[Tissue], screen: Screen) -> list[tuple[Reached, Reached, Reached]]:
    """Solids, core and what is cut out of each tissue; all of them are looked for at once."""
    groups = [group for tissue in tissues for group in (tissue.solids, tissue.core, tissue.less)]
    windows = screen.windows([one for group in groups for one in group])
    ends = np.cumsum([len(group) for group in groups])
    found = [Reached(group, windows[end - len(group) : end]) for group, end in zip(groups, ends, strict=True)]
    return [(found[i], found[i + 1], found[i + 2]) for i in range(0, len(found), 3)]


Spans = tuple[Rays, Rays]


def _left(some: Spans, less: Spans) -> Rays:
    """(n): share of each ray within some solids and outside others: what both cover together less what the others do."""
    if not len(some[0]):
        return np.zeros(some[0].shape[1], np.float32)
    if not len(less[0]):
        return union_length(*some)
    both = np.concatenate([some[0], less[0]]), np.concatenate([some[1], less[1]])
    return np.asarray(union_length(*both) - union_length(*less))
