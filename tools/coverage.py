"""The coverage table: does the Desk give a technique for every projection, patient and grid? `make coverage` writes it.

    python -m tools.coverage

Each projection is tried on the demo's charts, in every room that has a line for it: small, average and large adult and the
five age bands of children, with the room's grid and without.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

from oakbeam import catalogue
from oakbeam.core.anatomy.body import AgeBand
from oakbeam.core.charts.line import ChartLine, find_line
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.core.patient.patient import Patient
from oakbeam.core.patient.thickness import usual_child_cm
from oakbeam.core.projection import Projection
from oakbeam.core.technique.derive import derive
from oakbeam.core.technique.result import Derived
from oakbeam.core.technique.set_up import Setup
from oakbeam.demo import clinic

TARGET = Path(__file__).parents[1] / "docs" / "coverage.md"


@dataclass(frozen=True, slots=True)
class Tried:
    """One technique asked for: who, which grid, and the answer or why there is none."""

    projection: Projection
    room: Room
    who: str
    thickness_cm: float
    grid: str
    charted: bool
    derived: Derived | None
    refused: str


def patients(projection: Projection) -> list[tuple[str, float, AgeBand | None]]:
    """(who, thickness, age band): three adults, or the sizes of a children's projection, and the children it is for."""
    sizes: list[tuple[str, float, AgeBand | None]] = [
        (name, cm, None) for name, cm in zip(("small", "average", "large"), projection.thickness_cm, strict=True)
    ]
    bands: list[AgeBand] = ["newborn", "1y", "5y", "10y", "15y"]
    return sizes + [(band, cm, band) for band in bands if (cm := usual_child_cm(projection, band)) is not None]


def line_for(projection: Projection, room: Room, lines: tuple[ChartLine, ...], thickness_cm: float) -> ChartLine | None:
    """The chart's line for a projection, or None."""
    try:
        return find_line(lines, projection, thickness_cm)
    except Refusal:
        return next((line for line in lines if line.projection == projection.id), None)


def grids(line: ChartLine, projection: Projection, room: Room) -> dict[str, Setup]:
    """As charted, and the other way with the grid where room and projection have one; by "with" and "without"."""
    if line.grid_ratio:
        return {"with": Setup(), "without": Setup(grid_ratio=0)}
    found = {"without": Setup()}
    if projection.grid_over_cm is None:
        return found
    support = room.support(line.support)
    bucky = next((one for one in room.supports if one.grid and one.id in projection.supports), None)
    if support.id == "tabletop" and bucky and bucky.grid:
        found["with"] = Setup(support=bucky.id, grid_ratio=bucky.grid.ratio)
    elif support.id != "tabletop":
        ratio = support.grid.ratio if support.grid else room.loose_grids[0].ratio if room.loose_grids else 0
        if ratio:
            found["with"] = Setup(grid_ratio=ratio)
    return found


def tried(room: Room, lines: tuple[ChartLine, ...]) -> Iterator[Tried]:
    """Every projection of the room's chart, patient and grid."""
    for projection in catalogue.shipped().projections.values():
        for who, cm, band in patients(projection):
            line = line_for(projection, room, lines, cm)
            if line is None:
                continue
            for name, setup in grids(line, projection, room).items():
                try:
                    derived, refused = derive(line, room, projection, Patient(cm, age_band=band), setup), ""
                except Refusal as refusal:
                    derived, refused = None, refusal.detail
                yield Tried(projection, room, who, cm, name, setup == Setup(), derived, refused)


def gaps(everything: list[Tried]) -> list[Tried]:
    """What no room gives: one for each projection, patient and grid that every room that has a line for it refused."""
    given = {(one.projection.id, one.who, one.grid) for one in everything if one.derived}
    return [one for one in everything if (one.projection.id, one.who, one.grid) not in given]


def largest_di(everything: list[Tried]) -> float:
    """The largest |DI| expected of the techniques as charted: see `forecast`."""
    return max(abs(one.derived.forecast.di) for one in everything if one.derived and one.charted)


def largest_model_di(everything: list[Tried]) -> float:
    """The same by the physics model."""
    return max(abs(one.derived.forecast.model_di or 0) for one in everything if one.derived and one.charted)


def table() -> str:
    """The page."""
    everything = [one for room in clinic.rooms() for one in tried(room, clinic.chart_lines(room))]
    given = [one for one in everything if one.derived]
    missing = gaps(everything)
    lines = [
        "# Coverage: does the Desk give a technique for everything?",
        "",
        "Made by `make coverage` from the demo's charts; do not edit. A cell is the mAs at the station; – is not for this",
        "age; a dot is not in this room's chart, another room's has it.",
        "",
        f"{len(catalogue.shipped().projections)} projections, {len(given)} techniques, {len(missing)} that no room gives.",
        f"As charted the largest deviation index expected is {largest_di(everything):.2f} by line, model and room, and",
        f"{largest_model_di(everything):.2f} by the physics model alone (what the line's rule is off by, and the stations).",
        "",
        "| projection | room | grid | S | A | L | newborn | 1 y | 5 y | 10 y | 15 y |",
        "|---|---|---|---|---|---|---|---|---|---|---|",
    ]
    rows: dict[tuple[str, str, str], dict[str, str]] = {}
    for one in everything:
        row = rows.setdefault((one.projection.id, one.room.name, one.grid), {})
        row[one.who] = f"{one.derived.technique.mas:g}" if one.derived else "·"
    for (projection, room, grid), row in rows.items():
        cells = [row.get(who, "–") for who in ("small", "average", "large", "newborn", "1y", "5y", "10y", "15y")]
        lines.append(f"| `{projection}` | {room} | {grid} | {' | '.join(cells)} |")
    if missing:
        lines += ["", "## Given by no room", ""]
        lines += [
            f"- `{m.projection.id}`, {m.room.name}, {m.who} {m.thickness_cm:g} cm, {m.grid}: {m.refused}" for m in missing
        ]
    return "\n".join(lines) + "\n"


if __name__ == "__main__":
    TARGET.write_text(table(), encoding="utf-8")
    print(f"wrote {TARGET.name}")
