"""Charts and their lines: a line gives kVp and mAs over a range of thickness, by one of four technique systems.

Fixed kVp: mAs doubles every `doubling_cm`. Variable kVp: mAs stays, kVp climbs by `kvp_per_cm`. Banded: one setting per
band of thickness, as most paper charts are written. Levelled: points that the physics model found. The chart is the
authority: at its own conditions a line gives its own numbers back.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Literal

from oakbeam.core.charts.systems import Banded, MasRule
from oakbeam.core.equipment.generator import ExposureControl
from oakbeam.core.errors import OutOfRange, Refusal, within
from oakbeam.core.physics.rules_of_thumb import GridTable
from oakbeam.core.projection import Projection, SupportId

THICKNESS_RANGE_CM = (0.5, 45.0)
KVP_RANGE = (40.0, 150.0)
MAS_RANGE = (0.01, 2000.0)
SID_RANGE_CM = (40.0, 400.0)
SHORT_RANGE_CM = 12.0
"""A line over no more than this is looked at every half centimetre, a longer one every centimetre."""
Origin = Literal["typed", "exposure", "tests", "model"]
"""Where a line's numbers come from: typed or imported, an accepted exposure, test exposures in the room, the model alone."""
Trust = Literal["proven", "supported", "model"]
"""What stands behind a line: its images, exposures it was made from, or none yet (see `technique.trust`)."""
Status = Literal["draft", "proposed", "approved", "superseded"]


@dataclass(frozen=True, slots=True)
class Link:
    """How a line follows another of its chart: for a patient who measures thicker_cm less there, the kVp of that line plus
    kvp_added and its mAs times mas_factor. to: the key of the line followed. why: the reason, as the department gives it."""

    to: int
    kvp_added: float = 0.0
    mas_factor: float = 1.0
    thicker_cm: float = 0.0
    why: str = ""


@dataclass(frozen=True, slots=True)
class ChartLine:
    """One line of a chart: the conditions it was made under, and its law over range_cm.

    key: which line this is, the same in every version of the room's chart. link: set where the law follows another
    line's (see `families`). filter: the tube filter it is exposed with, by its id in the room; None for none.
    exposure_control: what the Desk opens it in; aec_cells: its chambers, joined by "+", None for the projection's usual
    ones. origin: where its numbers come from, with one standard deviation [DI] of a draft from test exposures. id and
    revision belong to the database. None of origin, key, id and revision is part of what a line says.
    """

    projection: str
    receptor: str
    support: SupportId
    grid_ratio: int
    sid_cm: float
    range_cm: tuple[float, float]
    law: MasRule
    target_ei: float | None = None
    field_cm: tuple[float, float] | None = None
    note: str = ""
    link: Link | None = None
    filter: str | None = None
    exposure_control: ExposureControl = "manual"
    aec_cells: str | None = None
    aec_density: int = 0
    origin: Origin = field(default="typed", compare=False)
    origin_spread_di: float | None = field(default=None, compare=False)
    key: int | None = field(default=None, compare=False)
    id: int | None = field(default=None, compare=False)
    revision: int = field(default=1, compare=False)

    @property
    def thickness_cm(self) -> float:
        """The thickness the steps start from: the law's own, or the middle of the middle band."""
        if isinstance(self.law, Banded):
            band = self.law.bands[len(self.law.bands) // 2]
            return (band.min_cm + band.max_cm) / 2
        return self.law.thickness_cm

    def at(self, thickness_cm: float) -> tuple[float, float]:
        """(kVp, mAs) of the line for a thickness [cm]; OutOfRange outside range_cm."""
        return self.law.at(within("thickness_cm", thickness_cm, *self.range_cm, "cm"))


def control_words(line: ChartLine, projection: Projection | None = None) -> str:
    """How a line is exposed: "manual", "breathing", "AEC, chamber L+R, density +1"."""
    if line.exposure_control != "aec":
        return line.exposure_control
    cells = line.aec_cells or (projection.aec_cells if projection else "as usual")
    return f"AEC, chamber {cells}" + (f", density {line.aec_density:+d}".replace("-", "−") if line.aec_density else "")


@dataclass(frozen=True, slots=True)
class Chart:
    """A version of a room's chart. status: draft, proposed (waits for approval, does not change), approved (never changes
    again) or superseded."""

    id: int
    room: str
    name: str
    version: int
    status: Status
    grid_table: GridTable
    lines: tuple[ChartLine, ...]
    author: str = ""
    approver: str = ""
    created_at: str = ""
    approved_at: str = ""
    note: str = ""
    revision: int = 1
    proposed_by: str = ""
    proposed_at: str = ""
    review_by: str = ""
    """The day by which an approved version is to be looked at again, ISO 8601; "" where none was set."""


def even_steps_cm(range_cm: tuple[float, float]) -> list[float]:
    """The whole centimetres [cm] within a range, the half ones too where it is no longer than SHORT_RANGE_CM."""
    low, high = range_cm
    step = 0.5 if high - low <= SHORT_RANGE_CM else 1.0
    return [step * i for i in range(math.ceil(low / step), math.floor(high / step) + 1)]


def usual_range_cm(projection: Projection) -> tuple[float, float]:
    """The range a new line starts with: 0.8 x small to 1.2 x large adult, to the half centimetre, within 0.5 to 45."""
    small, _, large = projection.thickness_cm
    low, high = THICKNESS_RANGE_CM
    return max(low, round(1.6 * small) / 2), min(high, round(2.4 * large) / 2)


def usual_bands(projection: Projection, range_cm: tuple[float, float]) -> tuple[tuple[str, float, float], ...]:
    """(name, from, to) of the bands of a range, cut midway between the projection's small, average and large adult."""
    small, average, large = projection.thickness_cm
    low, high = range_cm
    cuts = [cut for cut in ((small + average) / 2, (average + large) / 2) if low < cut < high]
    names = ["small", "average", "large"] if len(cuts) == 2 else ["small", "large"] if cuts else ["all"]
    return tuple((name, a, b) for name, (a, b) in zip(names, pairwise((low, *cuts, high)), strict=True))


def find_line(
    lines: Iterable[ChartLine],
    projection: Projection,
    thickness_cm: float,
    support: str | None = None,
    receptor: str | None = None,
    grid_ratio: int | None = None,
    exposure_control: str | None = None,
) -> ChartLine:
    """The line to start from: among the projection's lines that hold the thickness, the one nearest to the set-up wanted.

    Nearness counts support first, then grid, receptor and exposure control; the chart's order breaks ties, so a chart's
    first line is its default. Raises Refusal where the chart has no such line, OutOfRange where none holds the thickness.
    """
    own = [line for line in lines if line.projection == projection.id]
    if not own:
        raise Refusal(
            "No line for this projection",
            f"The chart has no line for {projection.exam} {projection.name}.",
            None,
            "projection",
        )
    holding = [line for line in own if line.range_cm[0] <= thickness_cm <= line.range_cm[1]]
    if not holding:
        low, high = min(line.range_cm[0] for line in own), max(line.range_cm[1] for line in own)
        within("thickness_cm", thickness_cm, low, high, "cm")
        raise OutOfRange(
            "Between two lines",
            f"No line of the chart holds {thickness_cm:g} cm.",
            {"min": low, "max": high, "unit": "cm"},
            "thickness_cm",
        )
    return min(
        holding,
        key=lambda line: (
            support is not None and line.support != support,
            grid_ratio is not None and line.grid_ratio != grid_ratio,
            receptor is not None and line.receptor != receptor,
            exposure_control is not None and line.exposure_control != exposure_control,
        ),
    )
