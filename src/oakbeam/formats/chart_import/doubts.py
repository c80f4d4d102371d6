"""What is asked of a line that can be read, but may not be meant so: a film's numbers, an index far off, the same twice."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

import numpy as np

from oakbeam.core.chart_check.expected_index import index_over_thickness
from oakbeam.core.charts.line import ChartLine
from oakbeam.core.charts.links import scaled
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import OutOfRange
from oakbeam.core.projection import Projection
from oakbeam.formats.chart_import.made import Made
from oakbeam.formats.chart_import.questions import LEFT_OUT, Asking, Option
from oakbeam.formats.chart_import.set_up import Origin
from oakbeam.formats.chart_import.settings import Setting

UNKNOWN_FILM = "The file names a film without its speed: are its numbers taken as they stand?"
FAR_DI = 3.0
"""An expected index further off target than this is asked about."""


def of_film(
    line: ChartLine, one: Setting, room: Room, sources: dict[str, Origin], asking: Asking
) -> tuple[ChartLine, float]:
    """A film's numbers for a digital receptor: as they stand, or by the ratio of the speed classes, as a person chooses."""
    receptor = room.receptor(line.receptor)
    if one.setup.speed is None or not receptor.digital:
        return line, 1.0
    if not one.setup.speed:
        asking.ask(
            "film", "unknown", UNKNOWN_FILM, [one.row], (Option("as written", "as they stand"), LEFT_OUT), given="film"
        )
        return line, 1.0
    speed = receptor.speed_class(line.target_ei)
    factor = one.setup.speed / speed
    _, mas = line.law.at(line.thickness_cm)
    choices = (
        Option("converted", f"for speed class {speed:.0f}, × {factor:.2g}: {mas * factor:.3g} mAs in row {one.row}"),
        Option("as written", f"as they stand: {mas:.3g} mAs in row {one.row}"),
        LEFT_OUT,
    )
    text = f"Speed {one.setup.speed:g} is a film's: how are its numbers taken for {receptor.name}?"
    about, given = f"{one.setup.speed:g} {receptor.id}", f"speed {one.setup.speed:g}"
    answer = asking.ask("film", about, text, [one.row], choices, "converted", given=given)
    if answer != "converted":
        return line, 1.0
    sources["mas"] = Origin("asked", f"converted from speed {one.setup.speed:g}, × {factor:.2g}")
    return replace(line, law=scaled(line.law, factor)), factor


def target_read(line: ChartLine, one: Setting, room: Room, sources: dict[str, Origin], asking: Asking) -> float | None:
    """The target index of a line as an exposure index: where the console shows another number, which is meant is asked."""
    said, receptor = one.setup.target_ei, room.receptor(line.receptor)
    scale = receptor.index_scale
    if said is None or scale is None:
        return said
    try:
        meant = scale.ei(said)
    except OutOfRange:
        return said
    choices = (
        Option("shown", f"as the console shows it: {scale.name} {said:g} is EI {meant:.0f}"),
        Option("ei", f"as the exposure index: EI {said:g} shows as {scale.name} {scale.shown(said):.3g}"),
        LEFT_OUT,
    )
    text = f"{receptor.name} shows {scale.name}: what is the target of {said:g}?"
    answer = asking.ask("index", f"{said:g} {receptor.id}", text, [one.row], choices, "shown", given=f"target {said:g}")
    if answer != "shown":
        return said if answer else None
    sources["target_ei"] = Origin("asked", f"{scale.name} {said:g} of the console")
    return round(meant, 1)


def ask_far(made: Made, room: Room, projection: Projection, asking: Asking) -> None:
    """Ask about a line whose index would be far off."""
    strip = index_over_thickness(made.line, room, projection)
    converting = any(key.startswith("film:") for row in made.rows for key in asking.waiting.get(row, ()))
    if strip is None or converting:
        return
    off = [strip.offset_di + float(np.interp(cell.thickness_cm, strip.places_cm, strip.exact_di)) for cell in made.cells]
    worst = max(range(len(off)), key=lambda i: abs(off[i]))
    if abs(off[worst]) <= FAR_DI:
        return
    cell = made.cells[worst]
    name, shown = f"{projection.exam} {projection.name}", f"{off[worst]:+.1f}".replace("-", "−")
    text = (
        f"{name}, {cell.kvp:g} kVp and {cell.mas:.3g} mAs at {cell.thickness_cm:g} cm: the expected DI is {shown}. "
        "Is that right?"
    )
    about = f"{made.line.projection} {made.rows[0]}"
    choices = (Option("take", "take it as it stands"), LEFT_OUT)
    asking.ask("far", about, text, made.rows, choices, None, given=f"row {made.rows[0]}")


def asked_twice(found: Sequence[Made], asking: Asking) -> Iterator[Made]:
    """Of lines for the same conditions the Desk would take the first: which is meant is asked."""
    by_condition: dict[tuple[object, ...], list[Made]] = {}
    for made in found:
        line = made.line
        key = (
            line.projection,
            line.support,
            line.receptor,
            line.grid_ratio,
            line.exposure_control,
            line.filter,
            "children" in line.note,
        )
        by_condition.setdefault(key, []).append(made)
    for group in by_condition.values():
        overlapping = [a for a in group if any(a is not b and _overlap(a, b) for b in group)]
        if not overlapping:
            yield from group
            continue
        about = " ".join(str(row) for made in overlapping for row in made.rows)
        choices = [Option(f"row {made.rows[0]}", _shown(made)) for made in overlapping]
        choices += [Option("all", "all of them; they differ in what the file does not say"), LEFT_OUT]
        rows = [row for made in overlapping for row in made.rows]
        text = f"Rows {', '.join(map(str, rows))} are for the same conditions: which is meant?"
        answer = asking.ask("twice", about, text, rows, choices, None, given=f"rows {about}")
        kept = [made for made in overlapping if answer in (None, "all", f"row {made.rows[0]}")]
        yield from (made for made in group if made in kept or made not in overlapping)


def _overlap(one: Made, other: Made) -> bool:
    (low, high), (least, most) = one.line.range_cm, other.line.range_cm
    return low < most and least < high


def _shown(made: Made) -> str:
    kvp, mas = made.line.law.at(made.line.thickness_cm)
    return f"row {made.rows[0]}: {kvp:g} kVp, {mas:.3g} mAs, {made.line.sid_cm:g} cm"
