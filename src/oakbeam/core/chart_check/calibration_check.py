"""The chart check that looks for lines which were not corrected since the room was calibrated."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from oakbeam.core.chart_check.register import CheckedLine, Finding, chart_check
from oakbeam.core.charts.calibration_effect import corrected, what_to_do
from oakbeam.core.dates import day_of
from oakbeam.core.equipment.room import Room

UNUSABLE_FROM_DI = 1.0


@chart_check(
    "since_calibration",
    "Not corrected since a calibration",
    "Accepting a calibration moves what a line's exposures give; the line is off by that until it is corrected.",
)
def _since_calibration(looked: Sequence[CheckedLine], room: Room) -> Iterator[Finding]:
    for one in looked:
        if one.moved is None or not one.moved.off:
            continue
        back = corrected(one.line, one.moved, room)
        by = f"{one.moved.di_change:+.1f} DI".replace("-", "−")
        yield Finding(
            "since_calibration",
            "error" if abs(one.moved.di_change) >= UNUSABLE_FROM_DI else "warning",
            (one.at,),
            f"{one.name}: off by {by} since the calibration of {day_of(one.moved.since)}.",
            what_to_do(one.line, one.moved, back),
            "Take the corrected line." if back else "Correct what steers it, then give the reason that it stands.",
            back.line if back else None,
            one.moved.di_change,
        )
