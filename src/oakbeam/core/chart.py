"""Charts and their lines: a line gives kVp and mAs over a range of thickness, by one of four schools.

Fixed kVp: mAs doubles every `doubling_cm`. Variable kVp: mAs stays, kVp climbs by `kvp_per_cm`. Banded: one setting per
band of thickness, as most paper charts are written. Levelled: points that the beam model found. The chart is the authority:
at its own conditions a line gives its own numbers back.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterable
from dataclasses import dataclass, field
from itertools import pairwise
from typing import Literal

from oakbeam.core import rules
from oakbeam.core.projection import Projection
from oakbeam.core.refusal import OutOfRange, Refusal, within
from oakbeam.core.room import Room, SupportId
from oakbeam.core.rules import GridTable

THICKNESS_RANGE_CM = (0.5, 45.0)
KVP_RANGE = (40.0, 150.0)
MAS_RANGE = (0.01, 2000.0)
SID_RANGE_CM = (40.0, 400.0)
Status = Literal["draft", "proposed", "approved", "superseded"]
LawName = Literal["fixed_kvp", "variable_kvp", "banded", "levelled"]
LAW_WORDS: dict[str, str] = {
    "fixed_kvp": "fixed kVp",
    "variable_kvp": "variable kVp",
    "banded": "banded",
    "levelled": "levelled",
}
"""The laws' names within a sentence."""


@dataclass(frozen=True, slots=True)
class FixedKvp:
    """kVp fixed; mas is right at thickness_cm and doubles every doubling_cm."""

    thickness_cm: float
    kvp: float
    mas: float
    doubling_cm: float = rules.DEFAULT_DOUBLING_CM
    name: Literal["fixed_kvp"] = "fixed_kvp"

    def at(self, thickness_cm: float) -> tuple[float, float]:
        """(kVp, mAs) for a thickness [cm]."""
        return self.kvp, rules.mas_for_thickness(self.mas, self.thickness_cm, thickness_cm, self.doubling_cm)


@dataclass(frozen=True, slots=True)
class VariableKvp:
    """mAs fixed; kvp is right at thickness_cm and climbs by kvp_per_cm."""

    thickness_cm: float
    kvp: float
    mas: float
    kvp_per_cm: float = rules.DEFAULT_KVP_PER_CM
    name: Literal["variable_kvp"] = "variable_kvp"

    def at(self, thickness_cm: float) -> tuple[float, float]:
        """(kVp, mAs) for a thickness [cm]."""
        return rules.kvp_for_thickness(self.kvp, self.thickness_cm, thickness_cm, self.kvp_per_cm), self.mas


@dataclass(frozen=True, slots=True)
class Band:
    """One setting for thicknesses from min_cm up to, but not including, max_cm (the last band includes its end)."""

    name: str
    min_cm: float
    max_cm: float
    kvp: float
    mas: float


@dataclass(frozen=True, slots=True)
class Banded:
    """Bands in rising order that touch each other."""

    bands: tuple[Band, ...]
    name: Literal["banded"] = "banded"

    def band(self, thickness_cm: float) -> Band:
        """The band a thickness [cm] falls in."""
        for band in self.bands:
            if thickness_cm < band.max_cm:
                return band
        return self.bands[-1]

    def at(self, thickness_cm: float) -> tuple[float, float]:
        """(kVp, mAs) for a thickness [cm]."""
        band = self.band(thickness_cm)
        return band.kvp, band.mas


@dataclass(frozen=True, slots=True)
class Point:
    """One point of a levelled line: the setting that is right at thickness_cm."""

    thickness_cm: float
    kvp: float
    mas: float


@dataclass(frozen=True, slots=True)
class Levelled:
    """Points that the beam model found to give the same exposure index at each thickness (see `levelling`).

    base_cm: the thickness of the accepted exposure it was levelled from, one of the points. Between points the logarithm of
    the mAs is linear where the kVp is the same; where it steps, the lower point's setting is carried up to the step.
    """

    points: tuple[Point, ...]
    base_cm: float
    name: Literal["levelled"] = "levelled"

    @property
    def thickness_cm(self) -> float:
        return self.base_cm

    def at(self, thickness_cm: float) -> tuple[float, float]:
        """(kVp, mAs) for a thickness [cm]."""
        places = [point.thickness_cm for point in self.points]
        i = min(max(bisect_right(places, thickness_cm) - 1, 0), len(places) - 1)
        point = self.points[i]
        if thickness_cm == point.thickness_cm or len(places) == 1:
            return point.kvp, point.mas
        # Where the kVp steps at the next point, go on along this side of the step; the last point goes on the same way.
        last = i + 1 == len(places)
        j = i - 1 if last or (self.points[i + 1].kvp != point.kvp and i > 0) else i + 1
        other = self.points[j]
        if other.kvp != point.kvp:
            return point.kvp, point.mas
        share = (thickness_cm - point.thickness_cm) / (other.thickness_cm - point.thickness_cm)
        return point.kvp, point.mas * (other.mas / point.mas) ** share


Law = FixedKvp | VariableKvp | Banded | Levelled


@dataclass(frozen=True, slots=True)
class Link:
    """How a line follows another of its chart: for a patient who measures thicker_cm less there, the kVp of that line plus
    kvp_added and its mAs times mas_factor. to: the key of the line followed."""

    to: int
    kvp_added: float = 0.0
    mas_factor: float = 1.0
    thicker_cm: float = 0.0


@dataclass(frozen=True, slots=True)
class ChartLine:
    """One line of a chart: the conditions it was made under, and its law over range_cm.

    key: which line this is, the same in every version of the room's chart. link: set where the law follows another line's
    (see `families`). id and revision belong to the database. None of key, id and revision is part of what a line says.
    """

    projection: str
    receptor: str
    support: SupportId
    grid_ratio: int
    sid_cm: float
    range_cm: tuple[float, float]
    law: Law
    target_ei: float | None = None
    field_cm: tuple[float, float] | None = None
    note: str = ""
    link: Link | None = None
    key: int | None = field(default=None, compare=False)
    id: int | None = field(default=None, compare=False)
    revision: int = field(default=1, compare=False)

    @property
    def thickness_cm(self) -> float:
        """The thickness the ladder starts from: the law's own, or the middle of the middle band."""
        if isinstance(self.law, Banded):
            band = self.law.bands[len(self.law.bands) // 2]
            return (band.min_cm + band.max_cm) / 2
        return self.law.thickness_cm

    def at(self, thickness_cm: float) -> tuple[float, float]:
        """(kVp, mAs) of the line for a thickness [cm]; OutOfRange outside range_cm."""
        return self.law.at(within("thickness_cm", thickness_cm, *self.range_cm, "cm"))


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


def check_line(line: ChartLine, projection: Projection, room: Room) -> ChartLine:
    """Return the line when every number is in range and the room has what it names; raise Refusal otherwise."""
    low, high = line.range_cm
    within("range_cm.min", low, *THICKNESS_RANGE_CM, "cm")
    within("range_cm.max", high, *THICKNESS_RANGE_CM, "cm")
    if low >= high:
        raise OutOfRange(
            "Empty range",
            f"The range runs from {low:g} to {high:g} cm; its end must be above its start.",
            {"min": low, "unit": "cm"},
            "range_cm.max",
        )
    within("sid_cm", line.sid_cm, *SID_RANGE_CM, "cm")
    rules.grid_factor(line.grid_ratio, 80)
    receptor = room.receptor(line.receptor)
    support = room.support(line.support)
    if line.support == "tabletop" and line.grid_ratio:
        raise Refusal("No grid on the tabletop", "A tabletop receptor has no grid; set the grid to 0.", [0.0], "grid_ratio")
    if line.support not in projection.supports:
        raise Refusal(
            "Support does not fit",
            f"{projection.exam} {projection.name} is not done on the {line.support}.",
            list(projection.supports),
            "support",
        )
    if line.target_ei is not None:
        if not receptor.digital:
            raise Refusal("No index on film", "A film-screen line has no target exposure index.", None, "target_ei")
        within("target_ei", line.target_ei, 50, 5000, "")
    if line.field_cm:
        for side, value, most in zip(("width", "height"), line.field_cm, _longest(receptor.size_cm), strict=True):
            within(f"field_cm.{side}", value, 1, most, "cm")
    _check_law(line, room, low, high)
    if not line.sid_cm - support.gap_cm - high >= 15:
        raise OutOfRange(
            "SID too short for this part",
            f"At {high:g} cm thickness an SID of {line.sid_cm:g} cm leaves under 15 cm between focus and skin.",
            {"min": support.gap_cm + high + 15, "unit": "cm"},
            "sid_cm",
        )
    return line


def _longest(size_cm: tuple[float, float]) -> tuple[float, float]:
    """A receptor may be turned, so either side of the field may take its longer side."""
    return max(size_cm), max(size_cm)


def _check_law(line: ChartLine, room: Room, low: float, high: float) -> None:
    law = line.law
    if isinstance(law, Banded):
        _check_bands(law, low, high)
        settings = [(band.kvp, band.mas) for band in law.bands]
    elif isinstance(law, Levelled):
        _check_points(law, low, high)
        settings = [(point.kvp, point.mas) for point in law.points]
    else:
        within("thickness_cm", law.thickness_cm, *THICKNESS_RANGE_CM, "cm")
        settings = [law.at(low), law.at(law.thickness_cm), law.at(high)]
    for kvp, _ in settings:
        lowest, highest = max(KVP_RANGE[0], room.generator.kvp[0]), min(KVP_RANGE[1], room.generator.kvp[-1])
        within("kvp", kvp, lowest, highest, "kVp")
    # A band or an end of the range may ask more than the room can give: the line's table then says so, row by row.
    fixed = (law.mas,) if isinstance(law, FixedKvp | VariableKvp) else tuple(mas for _, mas in settings)
    for mas in fixed:
        within("mas", mas, *MAS_RANGE, "mAs")


def _check_points(law: Levelled, low: float, high: float) -> None:
    places = [point.thickness_cm for point in law.points]
    if len(places) < 2 or any(a >= b for a, b in pairwise(places)):
        raise Refusal("Points out of order", "A levelled line needs two points or more of rising thickness.", None, "points")
    if law.base_cm not in places:
        raise Refusal("No base point", f"No point lies at the accepted exposure's {law.base_cm:g} cm.", None, "points")
    if places[0] > low or places[-1] < high:
        raise Refusal(
            "Points do not cover the range",
            f"The points run from {places[0]:g} to {places[-1]:g} cm, the line from {low:g} to {high:g} cm.",
            {"min": low, "max": high, "unit": "cm"},
            "points",
        )


def _check_bands(law: Banded, low: float, high: float) -> None:
    if not law.bands:
        raise Refusal("No band", "A banded line needs at least one band.", None, "bands")
    for band in law.bands:
        if not band.min_cm < band.max_cm:
            raise Refusal("Empty band", f"Band '{band.name}' ends at or before its start.", None, "bands")
    for left, right in zip(law.bands, law.bands[1:], strict=False):
        if left.max_cm != right.min_cm:
            raise Refusal(
                "Bands do not touch",
                f"Band '{left.name}' ends at {left.max_cm:g} cm and '{right.name}' starts at {right.min_cm:g} cm.",
                None,
                "bands",
            )
    if (law.bands[0].min_cm, law.bands[-1].max_cm) != (low, high):
        raise Refusal(
            "Bands do not fill the range",
            f"The bands run from {law.bands[0].min_cm:g} to {law.bands[-1].max_cm:g} cm, the line from {low:g} to "
            f"{high:g} cm.",
            {"min": low, "max": high, "unit": "cm"},
            "bands",
        )


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
) -> ChartLine:
    """The line to start from: among the projection's lines that hold the thickness, the one nearest to the set-up wanted.

    Nearness counts support first, then grid, then receptor; the chart's order breaks ties, so a chart's first line is its
    default. Raises Refusal where the chart has no such line, OutOfRange where none holds the thickness.
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
        ),
    )
