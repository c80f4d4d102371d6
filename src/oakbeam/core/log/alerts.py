"""Alerts of the log: few, each with what it saw, how sure that is, and what to do.

A series that moved is told once. Where most series of a receptor or of the room moved the same way at the same time, it is
one alert of the room and none of its lines. A move toward the target is good news and no alert.
"""

from __future__ import annotations

import math
import statistics
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

from oakbeam.core.log.control_chart import ControlChart, Shift

TOGETHER_DAYS = 25.0
"""Series that moved within so many days of each other moved together."""
WATCHED = 60
"""Images of a series from which it has a say of the room."""
TOGETHER_LEAST, TOGETHER_SHARE = 3, 0.5
"""A room moved where so many series did, and so large a share of those with enough images."""
NEAR_DAYS = 4.0
"""An event so near a change may be its cause."""
AWAY_DI = 0.2
"""By how much further from the target a change has to bring a series."""


@dataclass(frozen=True, slots=True)
class Event:
    """Something that was done to a room: a chart version approved, a calibration accepted."""

    day: float
    name: str


@dataclass(frozen=True, slots=True)
class Series:
    """A series of images with its control chart. days: of each; set_over_di: what was set over what was suggested [DI];
    name: in words; receptor: of all of them."""

    key: str
    name: str
    receptor: str
    days: Sequence[float]
    set_over_di: Sequence[float]
    people: Sequence[str]
    chart: ControlChart


class Moved(NamedTuple):
    """A series with its last change, and the day it began."""

    series: Series
    shift: Shift
    day: float


@dataclass(frozen=True, slots=True)
class Alert:
    """A change that somebody should look at. key: the same for the same change; kind: shift, trend or room; since_day;
    size_di with its 95 % interval, a month for a trend; what it saw, what it goes with, and what to do, in words."""

    key: str
    kind: str
    series: tuple[str, ...]
    since_day: float
    size_di: float
    low: float
    high: float
    saw: str
    with_what: str
    do: str


def alerts(series: Sequence[Series], events: Sequence[Event], receptors: Mapping[str, str], since_day: float) -> list[Alert]:
    """The alerts of a room for changes since a day, the newest first. receptors: their names."""
    moved = [
        Moved(one, shift, one.days[shift.begins])
        for one in series
        for shift in one.chart.shifts[-1:]
        if one.days[shift.begins] >= since_day and abs(shift.after) > abs(shift.before) + AWAY_DI
    ]
    found = _of_groups(series, moved, events, receptors)
    told = {key for alert in found for key in alert.series}
    found += [_of_series(one, events) for one in moved if one.series.key not in told]
    told |= {key for alert in found for key in alert.series}
    found += [alert for one in series if one.key not in told and (alert := _of_trend(one))]
    return sorted(found, key=lambda alert: -alert.since_day)


def _of_groups(
    series: Sequence[Series], moved: Sequence[Moved], events: Sequence[Event], receptors: Mapping[str, str]
) -> list[Alert]:
    """Where most series of the room, or of a receptor, moved together."""
    watched = [one for one in series if len(one.days) >= WATCHED]
    found: list[Alert] = []
    told: set[str] = set()
    for of in ("", *receptors):
        members = {one.key for one in watched if not of or one.receptor == of}
        for sign in (1, -1):
            together = [
                one
                for one in moved
                if one.series.key in members and one.series.key not in told and one.shift.size * sign > 0
            ]
            middle = statistics.median([one.day for one in together] or [0.0])
            near = [one for one in together if abs(one.day - middle) <= TOGETHER_DAYS]
            if len(near) < max(TOGETHER_LEAST, TOGETHER_SHARE * len(members)):
                continue
            if not of and len({one.series.receptor for one in near}) < min(2, len(receptors)):
                # All of one receptor: that is what moved.
                continue
            told |= {one.series.key for one in near}
            found.append(_of_group(receptors.get(of, ""), of, near, middle, events))
    return found


def _of_series(moved: Moved, events: Sequence[Event]) -> Alert:
    one, shift = moved.series, moved.shift
    hand = _mean(one.set_over_di[shift.begins :]) - _mean(one.set_over_di[: shift.begins])
    return Alert(
        f"shift {one.key} {int(moved.day)}",
        "shift",
        (one.key,),
        moved.day,
        shift.size,
        shift.low,
        shift.high,
        f"{one.name}: {_di(shift.size)} DI ({_di(shift.low)} to {_di(shift.high)}), {shift.n} images since.",
        _with_what(moved.day, events, hand, shift.size),
        "Look at its images, then at what was set and at the tape; tune the line where the images support it.",
    )


def _of_trend(one: Series) -> Alert | None:
    """A slow change away from the target; None where there is none, or where it leads back."""
    trend = one.chart.trend
    level = one.chart.centre[-1] if one.chart.centre else 0.0
    if trend is None or (level * trend.per_month < 0 and abs(level) > AWAY_DI):
        return None
    begins, half = trend.begins, trend.begins + (len(one.days) - trend.begins) // 2
    months = (one.days[-1] - one.days[begins]) / 30
    hand = 2 * (_mean(one.set_over_di[half:]) - _mean(one.set_over_di[begins:half]))
    return Alert(
        f"trend {one.key} {int(one.days[begins] // 60)}",
        "trend",
        (one.key,),
        one.days[begins],
        trend.per_month,
        trend.low,
        trend.high,
        f"{one.name}: {_di(trend.per_month)} DI a month ({_di(trend.low)} to {_di(trend.high)}) for {months:.0f} months.",
        _with_what(one.days[begins], (), hand, trend.per_month * months),
        "It creeps: look at what is set against the chart, then at the constancy of output and index.",
    )


def _of_group(name: str, of: str, near: Sequence[Moved], day: float, events: Sequence[Event]) -> Alert:
    images = [one.shift.n for one in near]
    size = sum(one.shift.size * one.shift.n for one in near) / sum(images)
    half = sum((one.shift.high - one.shift.low) / 2 * one.shift.n for one in near) / sum(images) / math.sqrt(len(near))
    hand = _mean([value for one in near for value in one.series.set_over_di[one.shift.begins :]])
    hand -= _mean([value for one in near for value in one.series.set_over_di[: one.shift.begins]])
    where = f"All of {name}" if of else "The whole room"
    return Alert(
        f"room {of} {int(day)}",
        "room",
        tuple(one.series.key for one in near),
        day,
        size,
        size - half,
        size + half,
        f"{where} moved by {_di(size)} DI ({_di(size - half)} to {_di(size + half)}): {len(near)} series.",
        _with_what(day, events, hand, size),
        "That is no line of the chart: measure output and index, and calibrate.",
    )


def _with_what(day: float, events: Sequence[Event], hand_di: float, size: float) -> str:
    near = [one.name for one in events if abs(one.day - day) <= NEAR_DAYS]
    said = [f"about when {' and '.join(near)}"] if near else []
    if abs(hand_di) >= 0.15 and hand_di * size > 0:
        said.append(f"{_di(hand_di)} DI of it were set over the chart by hand")
    return "; ".join(said)


def _mean(values: Sequence[float]) -> float:
    return sum(values) / len(values) if values else 0.0


def _di(value: float) -> str:
    return f"{value:+.1f}".replace("-", "−")
