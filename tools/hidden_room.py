"""Renews docs/hidden-room.md: what a chart from test exposures is worth where room and bodies are not those on paper.

python -m tools.hidden_room [rooms]
"""

from __future__ import annotations

import functools
import subprocess
import sys
from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import date
from pathlib import Path

import numpy as np

from oakbeam import catalogue
from oakbeam.core.chart_making.from_model import drafted_lines
from oakbeam.core.chart_making.from_test_exposures import TestExposure, build
from oakbeam.core.chart_making.systems import TechniqueSystem
from oakbeam.core.charts.line import ChartLine
from oakbeam.core.charts.links import scaled
from oakbeam.core.errors import Refusal
from oakbeam.core.technique.forecast import BAND_80
from oakbeam.demo import clinic
from oakbeam.demo.hidden import FILTRATION_MM_AL, KV, OUTPUT, READING_NOISE, deviations, drawn, expose, mean_off, shot_of

ROOT = Path(__file__).parents[1]
TARGET = ROOT / "docs" / "hidden-room.md"
ROOM, PROJECTIONS = clinic.room_1(), dict(catalogue.shipped().projections)
ROOMS, PATIENTS, SEED = 30, 150, 100
COUNTS = (1, 2, 4, 8, 16)
PLANTED = 3.0
"""A planted bad row is this many times too high or too low."""
WRONG = 4
"""Rows of a room that are planted, one at a time."""
EXPOSED = (
    TestExposure("lspine-ap", "panel-43", "table_bucky", 12, 107, 21, 80, 40, 1),
    TestExposure("chest-pa", "panel-43", "upright_bucky", 10, 180, 22, 117, 2, 1),
    TestExposure("knee-ap", "panel-24", "tabletop", 0, 100, 12, 66, 5, 1),
    TestExposure("hand-pa", "panel-24", "tabletop", 0, 100, 3, 57, 1.6, 1),
)
"""What a keeper would begin with; further ones are other projections at random."""
SCHOOLS: tuple[tuple[str, TechniqueSystem, bool], ...] = (
    ("Levelled", "levelled", False),
    ("AEC, its manual equivalent", "aec", False),
    ("Fixed kVp, doubling fitted to the part", "fixed_kvp", False),
    ("Fixed kVp as taught, 4.5 cm", "fixed_kvp", True),
    ("High kVp", "high_kvp", False),
    ("Variable kVp, 2 or 3 kVp per cm", "variable_kvp", False),
    ("Variable kVp as taught, 2 kVp per cm", "variable_kvp", True),
    ("Banded, three bands", "banded", False),
)


@dataclass(frozen=True, slots=True)
class Worth:
    """What charts were worth over some rooms. within: share of images within ±1 DI, promised: what the chart's
    makers were told to expect, bound: the same with every line centred
    on its mean patient; z: each line's error over its stated spread; named: planted rows found; blamed: good rows named."""

    within: float
    promised: float
    bound: float
    z: tuple[float, ...]
    named: float
    blamed: float

    @property
    def rms_z(self) -> float:
        """Root mean square of the errors over the stated spread: 1 where the spread is honest."""
        return float(np.sqrt(np.mean(np.square(self.z))))

    @property
    def held(self) -> float:
        """Share of the errors within the stated band of 80 %."""
        return float(np.mean(np.abs(self.z) < BAND_80))


@functools.cache
def first_lines() -> dict[str, ChartLine]:
    """A line of each projection, as the model drafts it."""
    found: dict[str, ChartLine] = {}
    for line in drafted_lines(PROJECTIONS.values(), ROOM):
        found.setdefault(line.projection, line)
    return found


def shots(count: int, chance: np.random.Generator) -> list[TestExposure]:
    """The first exposures, then other projections at random on patients at random; at most one of each projection."""
    lines = first_lines()
    others = [one for one in lines if one not in {shot.projection for shot in EXPOSED}]
    more = chance.choice(others, min(max(0, count - len(EXPOSED)), len(others)), replace=False)
    found = list(EXPOSED[:count])
    for name in more:
        line, (small, _, large) = lines[str(name)], PROJECTIONS[str(name)].thickness_cm
        cm = round(float(np.clip(chance.uniform(small, large), *line.range_cm)), 1)
        kvp, mas = line.at(cm)
        found.append(shot_of(line, cm, kvp, float(np.clip(mas, ROOM.generator.mas[0], ROOM.generator.mas[-1]))))
    return found


def measure(
    count: int, rooms: int = ROOMS, patients: int = PATIENTS, school: TechniqueSystem = "levelled", taught: bool = False
) -> Worth:
    """Charts from `count` exposures in `rooms` rooms, each drawn anew with its bodies."""
    within: list[float] = []
    promised: list[float] = []
    bound: list[float] = []
    z: list[float] = []
    named, blamed, good = 0.0, 0, 0
    for at in range(rooms):
        chance = np.random.default_rng(SEED + at)
        truth = drawn(ROOM, list(PROJECTIONS.values()), chance)
        shown = [expose(one, truth, PROJECTIONS[one.projection], chance) for one in shots(count, chance)]
        built = build(shown, ROOM, list(PROJECTIONS.values()), school, taught=taught)
        promised.append(next(one.share for one in built.curve if one.exposures == len(shown) - len(built.suspects)))
        blamed, good = blamed + len(built.suspects), good + len(shown)
        drafts = [one for one in built.drafts if one.refusal is None]
        off = [mean_off(one.line, ROOM, truth, PROJECTIONS[one.line.projection]) for one in drafts]
        z += [one / draft.spread_di for one, draft in zip(off, drafts, strict=True)]
        centred = [replace(d.line, law=scaled(d.line.law, 10 ** (-o / 10))) for d, o in zip(drafts, off, strict=True)]
        for lines, into in (([one.line for one in drafts], within), (centred, bound)):
            into.append(float((np.abs(deviations(lines, ROOM, truth, PROJECTIONS, patients, chance)) <= 1).mean()))
        named += _named(shown, chance)
    shown_within, told, most = (float(np.mean(one)) for one in (within, promised, bound))
    return Worth(shown_within, told, most, tuple(z), named / rooms, blamed / good)


def _named(shown: Sequence[TestExposure], chance: np.random.Generator) -> float:
    """Share found of rows that were written down wrong, up to `WRONG` of them, one at a time, too high and too low."""
    rows = chance.choice(len(shown), min(WRONG, len(shown)), replace=False)
    return float(np.mean([_found(shown, int(at), wrong) for at in rows for wrong in (PLANTED, 1 / PLANTED)]))


def _found(shown: Sequence[TestExposure], at: int, wrong: float) -> bool:
    bad = [replace(one, ei=one.ei * wrong) if i == at else one for i, one in enumerate(shown)]
    try:
        found = build(bad, ROOM, [PROJECTIONS["hand-pa"]], known=list(PROJECTIONS.values())).suspects
    except Refusal:
        return True
    return at in {one.exposure for one in found}


def main() -> None:
    """Measure, write the page."""
    rooms = int(sys.argv[1]) if len(sys.argv) > 1 else ROOMS
    curve, systems = [], []
    for count in (*COUNTS, len(first_lines())):
        worth = measure(count, rooms)
        name = f"{count}" if count in COUNTS else f"{count}, one per projection"
        of_bound = f"{100 * worth.within / worth.bound:.0f} %"
        named = "–" if count == 1 else f"{100 * worth.named:.0f} %"
        row = [
            name,
            *(f"{100 * share:.0f} %" for share in (worth.within, worth.promised, worth.bound)),
            of_bound,
            f"{worth.rms_z:.2f}",
        ]
        row += [f"{100 * worth.held:.0f} %", named, f"{100 * worth.blamed:.1f} %"]
        curve.append(f"| {' | '.join(row)} |")
        print(curve[-1], flush=True)
    for title, school, taught in SCHOOLS:
        worth = measure(4, max(2, rooms // 3), school=school, taught=taught)
        systems.append(f"| {title} | {100 * worth.within:.0f} % | {100 * worth.bound:.0f} % |")
        print(systems[-1], flush=True)
    commit = subprocess.run(["git", "rev-parse", "--short", "HEAD"], cwd=ROOT, capture_output=True, text=True, check=True)
    TARGET.write_text(
        f"""# A chart from test exposures, in hidden rooms

Made by `python -m tools.hidden_room` on {date.today().isoformat()}, at {commit.stdout.strip()}. Room 1 of the demo is the
room on paper. {rooms} hidden ones are drawn: output ±{100 * OUTPUT:.0f} %, filtration ±{FILTRATION_MM_AL:g} mm Al, index
scale of each receptor, kilovoltage ±{100 * KV:.0f} %, lead and cover of the grids, table tops; and for each view the mean
body of that room's patients, by how well it is known (`*_unsure` of data/body.toml). Each patient then differs from that
mean (`*_spread`), is read with calipers (±0.5 cm) and shows an index with {100 * READING_NOISE:.0f} % noise. The chart's
keeper sees the exposures alone. {PATIENTS} patients a room, thickness uniform from the small to the large adult, over all
lines.

The bound is what the same lines would reach if each were centred on its mean patient: no chart can do better, since no two
patients of a thickness are alike. Expected: the share that the keeper was told to expect when the chart was built. rms z:
a line's error over its stated spread, 1 where that is honest. Named: of planted rows {PLANTED:g} times too high or low;
blamed: of good rows.

| exposures | within ±1 DI | expected | bound | of the bound | rms z | in the 80 % band | bad row named | good ones blamed |
|---|---|---|---|---|---|---|---|---|
{chr(10).join(curve)}

By technique system, four exposures, {max(2, rooms // 3)} rooms:

| system | within ±1 DI | bound |
|---|---|---|
{chr(10).join(systems)}

The bodies here are drawn about the catalogue's own means, by its own statement of how well they are known: the page shows
that spread and charts agree with each other, not that the means are right. [composition](composition.md) says what they rest
on.
""",
        encoding="utf-8",
    )


if __name__ == "__main__":
    main()
