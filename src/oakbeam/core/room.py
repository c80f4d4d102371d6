"""A room: generator, tube output, supports with their distance references, grids and receptors."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Literal

from oakbeam.core.generator import Generator
from oakbeam.core.refusal import OutOfRange, one_of

SupportId = Literal["tabletop", "table_bucky", "upright_bucky", "detector"]
SUPPORTS: tuple[SupportId, ...] = ("tabletop", "table_bucky", "upright_bucky", "detector")
SUPPORT_NAMES: dict[str, str] = {
    "tabletop": "tabletop",
    "table_bucky": "table Bucky",
    "upright_bucky": "upright Bucky",
    "detector": "loose detector",
}
ReceptorKind = Literal["dr_csi", "cr", "film_screen"]
DIGITAL: tuple[ReceptorKind, ...] = ("dr_csi", "cr")


@dataclass(frozen=True, slots=True)
class Output:
    """A measured tube output: air kerma [µGy/mAs] in air at 100 cm, at one kVp."""

    kvp: float
    kerma_ugy_per_mas: float


@dataclass(frozen=True, slots=True)
class Grid:
    """A focused grid; range_cm is the SID range its maker states for it."""

    ratio: int
    lines_per_cm: float
    focal_cm: float
    range_cm: tuple[float, float]


@dataclass(frozen=True, slots=True)
class Support:
    """Where the receptor sits. gap_cm: from the surface the patient touches to the receptor. grid: the one built in."""

    id: SupportId
    gap_cm: float
    grid: Grid | None


@dataclass(frozen=True, slots=True)
class Receptor:
    """A receptor. Digital kinds have a target exposure index, film-screen a speed class; size in cm, width x height."""

    id: str
    name: str
    kind: ReceptorKind
    size_cm: tuple[float, float]
    target_ei: float | None
    speed: float | None

    @property
    def digital(self) -> bool:
        return self.kind in DIGITAL

    def speed_class(self, target_ei: float | None = None) -> float:
        """Speed class S = 1000 / K [µGy]; for a digital receptor K = EI_T / 100 (IEC 62494-1), so S = 1e5 / EI_T."""
        if not self.digital:
            assert self.speed is not None
            return self.speed
        wanted = target_ei or self.target_ei
        assert wanted is not None
        return 1e5 / wanted


@dataclass(frozen=True, slots=True)
class Room:
    """A room and its equipment. outputs: at least two points, kVp rising. revision grows with each change."""

    id: str
    name: str
    generator: Generator
    outputs: tuple[Output, ...]
    supports: tuple[Support, ...]
    receptors: tuple[Receptor, ...]
    loose_grids: tuple[Grid, ...] = ()
    revision: int = 1

    def support(self, support_id: str) -> Support:
        """The support of that id; Refusal with the room's list otherwise."""
        one_of("support", support_id, [support.id for support in self.supports])
        return next(support for support in self.supports if support.id == support_id)

    def receptor(self, receptor_id: str) -> Receptor:
        """The receptor of that id; Refusal with the room's list otherwise."""
        one_of("receptor", receptor_id, [receptor.id for receptor in self.receptors])
        return next(receptor for receptor in self.receptors if receptor.id == receptor_id)

    def grid(self, support: Support, ratio: int) -> Grid | None:
        """The room's grid of that ratio: the one built into the support, else a loose one; None where it has none."""
        if support.grid and support.grid.ratio == ratio:
            return support.grid
        return next((grid for grid in self.loose_grids if grid.ratio == ratio), None)

    def output_ugy_per_mas(self, kvp: float) -> float:
        """Tube output [µGy/mAs at 100 cm] at a kVp: log-log interpolation of the measured points, refused outside them."""
        points = self.outputs
        if not points[0].kvp <= kvp <= points[-1].kvp:
            raise OutOfRange(
                "No measured output",
                f"The tube output was measured from {points[0].kvp:g} to {points[-1].kvp:g} kVp, not at {kvp:g}.",
                {"min": points[0].kvp, "max": points[-1].kvp, "unit": "kVp"},
                "kvp",
            )
        place = next(i for i in range(1, len(points)) if kvp <= points[i].kvp)
        a, b = points[place - 1], points[place]
        share = math.log(kvp / a.kvp) / math.log(b.kvp / a.kvp)
        return a.kerma_ugy_per_mas * math.pow(b.kerma_ugy_per_mas / a.kerma_ugy_per_mas, share)
