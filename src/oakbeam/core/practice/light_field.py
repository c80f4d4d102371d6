"""The part as the tube sees it before anything is exposed: its skin, and the light field that falls on it.

The receptor's plane is looked at from the focus, so that what is seen over a place of the receptor is what the ray to it
meets first.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from oakbeam.core.equipment.aec import CELL_CENTRES_CM, CELL_CM
from oakbeam.core.practice.computed_body import Screen
from oakbeam.core.practice.radiograph import Collimation
from oakbeam.core.practice.simulated_room import Case, Console, Mishap, laid_down
from oakbeam.core.practice.solids import spans
from oakbeam.core.practice.views import Lie

Corners = tuple[tuple[float, float], ...]
AROUND = 1.45
"""So much more than the projection's field is seen."""
TABLE, LIT_TABLE = 0.04, 0.16
SKIN, LIT_SKIN = 0.30, 0.85
"""Brightness 0 to 1 of what faces the lamp."""


@dataclass(frozen=True)
class LightField:
    """What the tube sees. brightness (rows, columns) 0 to 1; field and cells: corners in shares of the picture, from its
    upper left; at_receptor_cm, on_skin_cm: sides of the field there, on_skin_cm None where no skin lies under the cross;
    ssd_cm: from the focus to the skin, or to the receptor where there is none."""

    brightness: NDArray[np.float32]
    screen: Screen
    field: Corners
    cells: Mapping[str, Corners]
    at_receptor_cm: tuple[float, float]
    on_skin_cm: tuple[float, float] | None
    ssd_cm: float


def light_field(case: Case, console: Console, lie: Lie, mishap: Mishap, pixels: int = 224) -> LightField:
    """The light field on a case. Refusal where there is no body for the projection."""
    tissues, screen = laid_down(case, lie, console.sid_cm, console.gap_cm, pixels, AROUND)
    rows, columns = screen.shape
    rays = screen.rays(slice(0, rows), slice(0, columns))
    first, last = spans(tissues[0].solids, screen.focus, rays)
    enters = np.where(last > first, first, np.float32(np.inf)).min(0).reshape(screen.shape)
    skin = np.isfinite(enters)
    light = Collimation(mishap.shutters_off_cm, console.field_cm or case.projection.field_cm, mishap.shutters_turned_deg)
    lit = _inside(screen, light)
    brightness = np.where(skin, np.where(lit, LIT_SKIN, SKIN), np.where(lit, LIT_TABLE, TABLE))
    brightness = brightness * np.where(skin, _faces_the_lamp(enters, screen), 1.0)
    met = enters[_pixel(screen, light.middle_cm)]
    share = float(met) if np.isfinite(met) else 1.0
    away = float(np.linalg.norm(screen.focus - np.array([*light.middle_cm, 0.0])))
    width, height = light.size_cm
    return LightField(
        brightness.astype(np.float32),
        screen,
        _corners(screen, light),
        {name: _corners(screen, Collimation(at, CELL_CM)) for name, at in CELL_CENTRES_CM.items()},
        light.size_cm,
        (share * width, share * height) if np.isfinite(met) else None,
        share * away,
    )


def _inside(screen: Screen, light: Collimation) -> NDArray[np.bool_]:
    across, along = light.from_middle(screen)
    return np.asarray((np.abs(across) <= light.size_cm[0] / 2) & (np.abs(along) <= light.size_cm[1] / 2))


def _faces_the_lamp(enters: NDArray[np.float32], screen: Screen) -> NDArray[np.float32]:
    """How the skin under each pixel faces the focus: 1 squarely, 0 along the ray; the edge of the part is dark."""
    height = float(screen.focus[2])
    up = np.where(np.isfinite(enters), height * (1 - enters), 0.0)
    # A pixel of the receptor is a shorter way on skin that lies nearer to the focus.
    down, across = np.gradient(up, screen.pixel_cm)
    scale = np.where(np.isfinite(enters), enters, 1.0)
    slope = np.hypot(down, across) / np.maximum(scale, 0.1)
    return np.asarray(0.25 + 0.75 / np.sqrt(1 + slope**2), np.float32)


def _pixel(screen: Screen, at: tuple[float, float]) -> tuple[int, int]:
    rows, columns = screen.shape
    row = round((rows - 1) / 2 - (at[1] - screen.middle_cm[1]) / screen.pixel_cm)
    column = round((columns - 1) / 2 + (at[0] - screen.middle_cm[0]) / screen.pixel_cm)
    return min(max(row, 0), rows - 1), min(max(column, 0), columns - 1)


def _corners(screen: Screen, light: Collimation) -> Corners:
    rows, columns = screen.shape
    c, s = math.cos(math.radians(light.turned_deg)), math.sin(math.radians(light.turned_deg))
    found = []
    for across, along in ((-1, 1), (1, 1), (1, -1), (-1, -1)):
        a, b = across * light.size_cm[0] / 2, along * light.size_cm[1] / 2
        x, y = light.middle_cm[0] + c * a - s * b, light.middle_cm[1] + s * a + c * b
        found.append(
            (
                0.5 + (x - screen.middle_cm[0]) / (columns * screen.pixel_cm),
                0.5 - (y - screen.middle_cm[1]) / (rows * screen.pixel_cm),
            )
        )
    return tuple(found)
