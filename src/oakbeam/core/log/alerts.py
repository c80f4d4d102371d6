"""Alerts of the log: few, each with what it saw, how sure that is, and what to do.

A series that moved is told once. Where most series of a receptor or of the room moved the same way at the same time, it is
one alert of the room and none of its lines. A move toward the target is good news and no alert.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np

from oakbeam.core.log.control_chart import ControlChart, Creep, Shift, control_chart, creep_of

MEMBER, WATCHED = 12, 60
"""Images of a series from which it has a say of the room, and of all of them together."""
TOGETHER_LEAST, TOGETHER_SHARE, SHOWN = 3, 0.6, 0.5
"""A room moved where so many series did, and so large a share of those with enough images; SHOWN: the share of its move that
a part of them has to show."""
NEAR_DAYS = 4.0
"""An event so near a change may be its cause."""
MOSTLY = 0.7
"""A part that is so much of a change is the change."""
VERSION_DAYS = 10.0
"""A step of many series so near the approval of a chart version is likely that version's: its lines changed at once."""
TOWARD_DI = 0.1
"""A change that brings a series nearer to the target by more than this is good news."""
LEAST_DI, POOLED_LEAST_DI = 0.3, 0.2
"""Smaller changes are not told, of one series and of many."""
POOLED_TOLD = 4.5
"""Standard errors of a change of many series laid one after the other: their images are so many that the usual ones would
come by chance every other month."""
SURELY = 2.5
"""Standard errors by which a receptor has to show what is said of the whole room."""


@dataclass(frozen=True, slots=True)
class Event:
    """Something that was done to a room: a calibration accepted, a chart version approved (version: which)."""

    day: float
    name: str
    version: int | None = None


@dataclass(frozen=True, slots=True)
class Series:
    """A series of images with its control chart. days: of each; set_over_di: what was set over what was suggested [DI];
    name: in words; receptor: of all of them."""

    key: str
    name: str
    receptor: str
    days: Sequence[float]
    di: Sequence[float]
    set_over_di: Sequence[float]
    chart: ControlChart


class Moved(NamedTuple):
    """A series with its last change, and the day it began."""

    series: Series
    shift: Shift
    day: float


@dataclass(frozen=True, slots=True)
class Alert:
    """A change that somebody should look at. key: the same for the same change; kind: shift, creep or room; since_day;
    size_di with its 95 % interval, a month for a creep; what it saw, what it goes with, and what to do, in words."""

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
        if one.days[shift.begins] >= since_day
        and abs(shift.size) >= LEAST_DI
        and abs(shift.after) > abs(shift.before) - TOWARD_DI
    ]
    found = [_of_group(one, receptors.get(one.of, ""), events) for one in groups(series) if one.day >= since_day]
    told = {key for alert in found for key in alert.series}
    found += [_of_series(one, events) for one in moved if one.series.key not in told]
    told |= {key for alert in found for key in alert.series}
    found += [alert for one in series if one.key not in told and (alert := _of_creep(one))]
    return sorted(found, key=lambda alert: -alert.since_day)


@dataclass(frozen=True, slots=True)
class Together:
    """Series of a receptor, of the room where of is "", that moved together: from a day on, or slowly since it (a month).
    middle: the day that parts before from after."""

    of: str
    day: float
    middle: float
    size: float
    low: float
    high: float
    slow: bool
    series: tuple[Series, ...]

    def by(self, day: float) -> float:
        """How far an image of a day is moved by it [DI]."""
        if day < self.day:
            return 0.0
        return self.size * (day - self.day) / 30 if self.slow else self.size


def groups(series: Sequence[Series]) -> list[Together]:
    """Where the series of the room, or of one receptor, moved together, by all their images laid one after the other.

    Each image is held against the mean of its own series. A move counts where most series show it, and without the one that
    shows it most, too. Where all receptors show it, it is the room's.
    """
    members = [one for one in series if len(one.days) >= MEMBER]
    whole = _together("", members)
    by_receptor = [
        found
        for of in dict.fromkeys(one.receptor for one in members)
        if (found := _together(of, [one for one in members if one.receptor == of]))
    ]
    if whole is None:
        return by_receptor
    receptors = {one.receptor for one in members}
    of_all = abs(_difference(members, whole.middle) or 0)
    showing = []
    for of in receptors:
        own = [one for one in members if one.receptor == of]
        moved = (_difference(own, whole.middle) or 0) * math.copysign(1, whole.size)
        if moved >= SHOWN * of_all and moved > SURELY * _error(own, whole.middle):
            showing.append(of)
    if len(showing) == len(receptors):
        return [whole]
    return by_receptor


def version_of(one: Together, events: Sequence[Event]) -> int | None:
    """The chart version that was approved when series moved together at once; None where none was."""
    near = [event for event in events if event.version is not None and abs(event.day - one.day) <= VERSION_DAYS]
    return None if one.slow or not near else min(near, key=lambda event: abs(event.day - one.day)).version


def _together(of: str, members: Sequence[Series]) -> Together | None:
    laid = [
        (day, di - mean) for one in members for mean in [_mean(one.di)] for day, di in zip(one.days, one.di, strict=True)
    ]
    # By the day alone: images of one moment are not put in the order of their index.
    laid.sort(key=lambda one: one[0])
    if len(members) < TOGETHER_LEAST or len(laid) < WATCHED:
        return None
    days = [day for day, _ in laid]
    values = [di for _, di in laid]
    chart = control_chart(values, days, POOLED_TOLD)
    creep = creep_of(np.array(values), np.array(days))
    if creep and (not chart.shifts or _creeps(values, days, chart, creep)):
        # Half of a slow change lies on either side of its middle.
        day, size, low, high, slow = days[len(days) // 2], creep.per_month, creep.low, creep.high, True
    elif chart.shifts:
        last = chart.shifts[-1]
        day, size, low, high, slow = days[last.begins], last.size, last.low, last.high, False
        if abs(size) < POOLED_LEAST_DI:
            return None
    else:
        return None
    differences = [(one, moved) for one in members if (moved := _difference([one], day)) is not None]
    showing = [one for one, moved in differences if moved * size > 0]
    whole = _difference(members, day) or 0.0
    most = max(differences, key=lambda one: one[1] * size, default=None)
    without = _difference([one for one in members if most is None or one is not most[0]], day) or 0.0
    few = len(showing) < max(TOGETHER_LEAST, TOGETHER_SHARE * len(differences))
    if few or whole * size <= 0 or abs(whole) < POOLED_LEAST_DI / 2 or abs(without) < SHOWN * abs(whole):
        return None
    return Together(of, days[0] if slow else day, day, size, low, high, slow, tuple(showing))


def _creeps(values: Sequence[float], days: Sequence[float], chart: ControlChart, creep: Creep) -> bool:
    """Whether a straight line says as much of a series as its steps do, for how much each may choose: a day and a size a
    step, one slope (BIC, after Schwarz, from memory)."""
    x, months = np.array(values), (np.array(days) - np.mean(days)) / 30
    line, steps = x - x.mean() - creep.per_month * months, x - np.array(chart.centre)
    more = (2 * len(chart.shifts) - 1) * math.log(len(x))
    return len(x) * math.log(float(line @ line) / float(steps @ steps)) <= more


def _error(members: Sequence[Series], day: float) -> float:
    """The standard error of such a difference [DI]."""
    before = sum(at < day for one in members for at in one.days)
    after = sum(at >= day for one in members for at in one.days)
    spread = _mean([one.chart.spread for one in members])
    return spread * math.sqrt(1 / before + 1 / after) if before and after else math.inf


def _difference(members: Sequence[Series], day: float) -> float | None:
    """How much higher some series lie from a day on than before it [DI], each counted as often as its fewer side; None where
    they have too few images."""
    total = worth = 0.0
    for one in members:
        before = [di for at, di in zip(one.days, one.di, strict=True) if at < day]
        after = [di for at, di in zip(one.days, one.di, strict=True) if at >= day]
        n = min(len(before), len(after))
        if n >= 4:
            total, worth = total + n * (_mean(after) - _mean(before)), worth + n
    return total / worth if worth else None


def _of_series(moved: Moved, events: Sequence[Event]) -> Alert:
    one, shift = moved.series, moved.shift
    hand = _mean(one.set_over_di[shift.begins :]) - _mean(one.set_over_di[: shift.begins])
    approved = [event.version for event in events if event.version and abs(event.day - moved.day) <= NEAR_DAYS]
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
        "Look at its images, then at what was set and at the tape; tune the line where the images support it."
        if not approved
        else f"Version {approved[0]} was approved then: likely that. Look at what it changed of this line.",
    )


def _of_creep(one: Series) -> Alert | None:
    """A slow change away from the target; None where there is none, or where it leads back."""
    creep = one.chart.creep
    level = one.chart.centre[-1] if one.chart.centre else 0.0
    if creep is None or (level * creep.per_month < 0 and abs(level) > LEAST_DI):
        return None
    begins, half = creep.begins, creep.begins + (len(one.days) - creep.begins) // 2
    months = (one.days[-1] - one.days[begins]) / 30
    hand = 2 * (_mean(one.set_over_di[half:]) - _mean(one.set_over_di[begins:half]))
    return Alert(
        f"creep {one.key} {int(one.days[begins] // 60)}",
        "creep",
        (one.key,),
        one.days[begins],
        creep.per_month,
        creep.low,
        creep.high,
        f"{one.name}: {_di(creep.per_month)} DI a month ({_di(creep.low)} to {_di(creep.high)}) for {months:.0f} months.",
        _with_what(one.days[begins], (), hand, creep.per_month * months),
        "It creeps: look at what is set against the chart, then at the constancy of output and index.",
    )


def _of_group(one: Together, name: str, events: Sequence[Event]) -> Alert:
    after = [value for s in one.series for day, value in zip(s.days, s.set_over_di, strict=True) if day >= one.day]
    before = [value for s in one.series for day, value in zip(s.days, s.set_over_di, strict=True) if day < one.day]
    where, version = f"All of {name}" if one.of else "The whole room", version_of(one, events)
    size = f"{_di(one.size, 2 if one.slow else 1)} DI{' a month' if one.slow else ''}"
    interval = f"{_di(one.low, 2 if one.slow else 1)} to {_di(one.high, 2 if one.slow else 1)}"
    return Alert(
        f"room {one.of} {int(one.day)}",
        "room",
        tuple(s.key for s in one.series),
        one.day,
        one.size,
        one.low,
        one.high,
        f"{where} {'moves' if one.slow else 'moved'} by {size} ({interval}): {len(one.series)} series.",
        "" if one.slow else _with_what(one.day, events, _mean(after) - _mean(before), one.size),
        "That is no line of the chart: measure output and index, and calibrate."
        if version is None
        else f"Version {version} was approved then: likely that. Look at what it changed before anything is measured.",
    )


def _with_what(day: float, events: Sequence[Event], hand_di: float, size: float) -> str:
    near = [one.name for one in events if abs(one.day - day) <= NEAR_DAYS]
    said = [f"about when {' and '.join(near)}"] if near else []
    if abs(hand_di) >= 0.15 and hand_di * size > 0:
        share = "it" if hand_di / size > MOSTLY else f"{_di(hand_di)} DI of it"
        said.append(f"{share} was set over the chart by hand")
    return "; ".join(said)


def _mean(values: Sequence[float]) -> float:
    return sum(values) / len(values) if values else 0.0


def _di(value: float, places: int = 1) -> str:
    return f"{value:+.{places}f}".replace("-", "−")
