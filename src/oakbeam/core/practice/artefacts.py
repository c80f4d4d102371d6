"""What lies on or in a part and stops the beam: a side marker, a necklace, a button, a shield."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal, get_args

import numpy as np
from numpy.typing import NDArray

from oakbeam.core.practice.computed_body import Maps, Screen

Artefact = Literal["marker R", "marker L", "necklace", "button", "shield"]
ARTEFACTS: tuple[Artefact, ...] = get_args(Artefact)
LETTERS = {
    "R": ("####.", "#...#", "#...#", "####.", "#.#..", "#..#.", "#...#"),
    "L": ("#....", "#....", "#....", "#....", "#....", "#....", "#####"),
}
LETTER_CM = 1.6
LEAD_CM = {"marker R": 0.1, "marker L": 0.1, "necklace": 0.05, "button": 0.05, "shield": 0.05}


@dataclass(frozen=True, slots=True)
class Chip:
    """A chip of bone to be looked for: a disc so wide and so thick [mm]."""

    width_mm: float
    depth_mm: float


CHIP_AT = (0.16, 0.10)
"""Where it lies: to the right of the middle and over it, in shares of the field."""


def with_chip(maps: Maps, screen: Screen, chip: Chip, field_cm: tuple[float, float]) -> Maps:
    """The maps with a chip of bone in the place of soft tissue."""
    x, y = screen.x_cm()[None, :] - CHIP_AT[0] * field_cm[0], screen.y_cm()[:, None] - CHIP_AT[1] * field_cm[1]
    there = (np.hypot(x, y) <= chip.width_mm / 20).astype(np.float32) * np.float32(chip.depth_mm / 10)
    none = np.zeros(screen.shape, np.float32)
    return {**maps, "bone": maps.get("bone", none) + there, "soft": maps.get("soft", none) - there}


def laid_on(maps: Maps, screen: Screen, artefacts: Sequence[Artefact], field_cm: tuple[float, float]) -> Maps:
    """The maps with lead where each lies, at the receptor's scale."""
    lead = maps["lead"].copy() if "lead" in maps else np.zeros(screen.shape, np.float32)
    x, y = screen.x_cm()[None, :], screen.y_cm()[:, None]
    for one in artefacts:
        lead += np.float32(LEAD_CM[one]) * _shadow(one, x, y, field_cm)
    return {**maps, "lead": lead}


def _shadow(
    one: Artefact, x: NDArray[np.float64], y: NDArray[np.float64], field_cm: tuple[float, float]
) -> NDArray[np.bool_]:
    width, height = field_cm
    if one in ("marker R", "marker L"):
        # On the patient's own side: a patient faces the viewer.
        side = -1 if one == "marker R" else 1
        return _letter(one[-1], x - side * 0.40 * width, y - 0.40 * height)
    if one == "necklace":
        beads = [
            (r * np.sin(t), 0.26 * height + r * 0.7 * (1 - np.cos(t)))
            for r in (0.22 * width,)
            for t in np.linspace(-1.5, 1.5, 23)
        ]
        found = np.zeros(np.broadcast_shapes(x.shape, y.shape), bool)
        for at_x, at_y in beads:
            found |= (x - at_x) ** 2 + (y - at_y) ** 2 < 0.2**2
        return found
    if one == "button":
        away = (x - 0.12 * width) ** 2 + (y + 0.05 * height) ** 2
        return (away < 0.55**2) & (away > 0.12**2)
    return (np.abs(x) < 0.22 * width) & (y < -0.08 * height) & (y > -0.40 * height)


def _letter(letter: str, x: NDArray[np.float64], y: NDArray[np.float64]) -> NDArray[np.bool_]:
    """A letter of lead about a point."""
    dots = np.array([[one == "#" for one in row] for row in LETTERS[letter]])
    step = LETTER_CM / len(dots)
    row = np.floor((LETTER_CM / 2 - y) / step).astype(int)
    column = np.floor((x + 2.5 * step) / step).astype(int)
    inside = (row >= 0) & (row < 7) & (column >= 0) & (column < 5)
    return np.asarray(inside & dots[np.clip(row, 0, 6), np.clip(column, 0, 4)])
