"""The chart check: every registered check asked of every line of a chart."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace

from oakbeam.core.cache import cached_by_object
from oakbeam.core.chart_check import calibration_check, comparison_checks, line_checks  # noqa: F401 (they register themselves)
from oakbeam.core.chart_check.expected_index import index_over_thickness
from oakbeam.core.chart_check.register import CHART_CHECKS, LINE_CHECKS, CheckedLine, Finding
from oakbeam.core.charts.calibration_effect import Moved
from oakbeam.core.charts.line import ChartLine
from oakbeam.core.equipment.room import Room
from oakbeam.core.errors import Refusal
from oakbeam.core.projection import Projection

_ORDER = {"error": 0, "warning": 1, "note": 2}


def check_chart(
    lines: Sequence[ChartLine], room: Room, projections: Mapping[str, Projection], moved: Mapping[int, Moved] | None = None
) -> tuple[Finding, ...]:
    """Everything that the checks find: errors first, then by how far off images would be, then in the order of the chart.
    moved: what calibrations moved since, by the key of a line. Refusal for an unknown projection."""
    looked = []
    for at, line in enumerate(lines):
        projection = projections.get(line.projection)
        if projection is None:
            raise Refusal("Unknown projection", f"'{line.projection[:60]}' is not in the catalogue.", None, "projection")
        since = (moved or {}).get(line.key) if line.key is not None else None
        looked.append(CheckedLine(at, line, projection, index_over_thickness(line, room, projection), since))
    found = [finding for one in looked for finding in _alone(one, room)]
    found += [finding for check in CHART_CHECKS for finding in check(looked, room)]
    return tuple(sorted(found, key=lambda one: (_ORDER[one.severity], -abs(one.off_di), one.lines[0], one.rule)))


def _alone(one: CheckedLine, room: Room) -> Iterator[Finding]:
    for finding in _findings(one.line, room, one.projection):
        yield replace(finding, lines=(one.at,))


@cached_by_object(4096)
def _findings(line: ChartLine, room: Room, projection: Projection) -> tuple[Finding, ...]:
    """What one line shows by itself; kept, since one edit changes one line."""
    one = CheckedLine(0, line, projection, index_over_thickness(line, room, projection))
    return tuple(finding for check in LINE_CHECKS for finding in check(one, room))
