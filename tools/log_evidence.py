"""What the Log finds in simulated logs with planted causes, and what it tells of that is not there: docs/log-evidence.md.

The logs are drawn from numbers, not from the demo or the physics model: a room of twelve views on two receptors, three
people, 600 images a month, each of a spread of 0.8 DI. python -m tools.log_evidence [rooms]
"""

from __future__ import annotations

import random
import sys
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from oakbeam import catalogue
from oakbeam.core.log.alerts import LEAST_DI, Alert, Series, alerts
from oakbeam.core.log.control_chart import control_chart
from oakbeam.core.log.tuning import LineImages, di_per_cm, learn
from oakbeam.core.log.why_off import NumberCause, explain
from oakbeam.demo import clinic

PAGE = Path(__file__).parents[1] / "docs" / "log-evidence.md"
START, END = "<!-- found -->", "<!-- /found -->"
VIEWS, RECEPTORS, PEOPLE = 12, 2, ("one", "two", "three")
A_MONTH, MONTHS, SPREAD_DI = 600, 9, 0.8
LOOKED_EVERY = 6
"""Images after which somebody looks again."""
AT_MONTH = 6.0
"""When a sudden cause sets in."""
NAMES = {str(i): f"receptor {i}" for i in range(RECEPTORS)}


@dataclass(frozen=True)
class Image:
    """An image of a simulated log, as far as a cause looks at it."""

    view: int
    receptor: int
    person: str
    shift: str
    sid: str
    month: float
    thicker_cm: float


@dataclass(frozen=True)
class Planted:
    """A cause: what it does to an image [DI], what of that was set by hand, and whether it was found."""

    name: str
    found_by: str
    does: Callable[[Image], float]
    found: Callable[[Log], bool]
    by_hand: bool = False


@dataclass(frozen=True)
class Log:
    """A simulated log: its images, their DI, and what was set over what was suggested."""

    images: Sequence[Image]
    di: Sequence[float]
    by_hand: Sequence[float]

    def alerts(self) -> list[Alert]:
        """What the Log would alert to."""
        return alerts(self.series(), (), NAMES, 0.0)

    def until(self, month: float) -> Log:
        """What there was of it by then."""
        n = sum(image.month < month for image in self.images)
        return Log(self.images[:n], self.di[:n], self.by_hand[:n])

    def series(self) -> list[Series]:
        found = []
        for view in range(VIEWS):
            own = [i for i, image in enumerate(self.images) if image.view == view]
            if not own:
                continue
            days, di = [30 * self.images[i].month for i in own], [self.di[i] for i in own]
            hand = [self.by_hand[i] for i in own]
            found.append(Series(str(view), f"view {view}", str(view % RECEPTORS), days, di, hand, control_chart(di, days)))
        return found

    def explained(self, view: int) -> dict[str, bool]:
        """Whether each cause is sure for a view's images."""
        own = [i for i, image in enumerate(self.images) if image.view == view]
        images = [self.images[i] for i in own]
        numbers = {
            "thickness": NumberCause(np.array([one.thicker_cm for one in images]), 0.3),
            "time": NumberCause(np.array([one.month for one in images]), 0.15),
        }
        groups = {name: [getattr(one, name) for one in images] for name in ("person", "shift", "sid")}
        result = explain([self.di[i] for i in own], numbers, groups)
        return {part.name: part.sure for part in result.parts} if result else {}

    def learned(self, view: int) -> tuple[float | None, float | None]:
        """(level, slope) that tuning finds for a view; None where it is not sure."""
        lines = LINES
        told = []
        for at, line in enumerate(lines[:VIEWS]):
            own = [i for i, image in enumerate(self.images) if image.view == at][-200:]
            projection = catalogue.projection(line.projection)
            cm = line.thickness_cm + np.array([self.images[i].thicker_cm for i in own])
            off = np.array([self.di[i] for i in own])
            per_cm, site = di_per_cm(line, ROOM, projection), projection.composition.site
            told.append(LineImages(line, cm, np.full(len(own), 0.5), off, 0.6, per_cm, site))
        one = next(found for found in learn(told).lines if found.line is lines[view])
        return one.level_di if one.level_sure else None, one.slope_di_per_cm if one.slope_sure else None


ROOM = clinic.room_1()
LINES = [one for one in clinic.chart_lines(ROOM) if ROOM.receptor(one.receptor).digital][:VIEWS]


def simulate(seed: int, does: Callable[[Image], float], by_hand: bool = False, months: float = MONTHS) -> Log:
    """A log in which one cause is at work; each view has a level of its own."""
    chance = random.Random(seed)
    levels = [chance.gauss(0, 0.15) for _ in range(VIEWS)]
    weights = [chance.uniform(0.5, 2.0) for _ in range(VIEWS)]
    times = sorted(chance.uniform(0, months) for _ in range(int(A_MONTH * months)))
    images, di, hand = [], [], []
    for month in times:
        view = chance.choices(range(VIEWS), weights)[0]
        image = Image(
            view,
            view % RECEPTORS,
            chance.choices(PEOPLE, (5, 3, 2))[0],
            chance.choices(("early", "late", "night"), (6, 4, 2))[0],
            "another" if chance.random() < 0.2 else "as charted",
            month,
            chance.gauss(0, 2.0),
        )
        planted = does(image)
        images.append(image)
        hand.append(planted if by_hand else 0.0)
        di.append(levels[view] + planted + chance.gauss(0, SPREAD_DI))
    return Log(images, di, hand)


def _alerted(kind: str, of: str, sign: int = 1, hand: bool = False) -> Callable[[Log], bool]:
    def found(log: Log) -> bool:
        for one in log.alerts():
            named = one.key.split(" ")[1] == of if kind != "room" else one.key.startswith(f"room {of} ")
            if (one.kind == kind or (kind == "shift" and one.kind == "trend")) and named and one.size_di * sign > 0:
                return not hand or "by hand" in one.with_what
        return False

    return found


def _later(view: int, size_di: float) -> Callable[[Image], float]:
    return lambda image: size_di * (image.view == view and image.month > AT_MONTH)


def _under(view: int, name: str, who: str, size_di: float) -> Callable[[Image], float]:
    return lambda image: size_di * (image.view == view and getattr(image, name) == who)


def _sure(view: int, name: str) -> Callable[[Log], bool]:
    return lambda log: log.explained(view).get(name, False)


VIEW, WHOLE, WHY = "alert of the view", "alert of the room", "why off"
CAUSES = (
    Planted("a view 0.5 DI higher from one day on", VIEW, _later(3, 0.5), _alerted("shift", "3")),
    Planted("a view 0.5 DI lower", VIEW, _later(4, -0.5), _alerted("shift", "4", -1)),
    Planted("a view 1 DI higher", VIEW, _later(5, 1.0), _alerted("shift", "5")),
    Planted(
        "a receptor 0.4 DI higher",
        "alert of the receptor",
        lambda image: 0.4 * (image.receptor == 1 and image.month > AT_MONTH),
        _alerted("room", "1"),
    ),
    Planted("the room 0.4 DI lower", WHOLE, lambda image: -0.4 * (image.month > AT_MONTH), _alerted("room", "", -1)),
    Planted(
        "the tube ages, 8 % in nine months", WHOLE, lambda image: -0.36 * image.month / MONTHS, _alerted("room", "", -1)
    ),
    Planted(
        "a view creeps up by hand, 1 DI in five months",
        "alert of the view, by hand",
        lambda image: max(0.0, (image.month - 4) / 5) * (image.view == 2),
        _alerted("shift", "2", 1, hand=True),
        by_hand=True,
    ),
    Planted("one person 0.6 DI under the others at a view", WHY, _under(1, "person", "three", -0.6), _sure(1, "person")),
    Planted("the night shift 0.6 DI over", WHY, _under(1, "shift", "night", 0.6), _sure(1, "shift")),
    Planted("another SID in one of five, 0.6 DI", WHY, _under(1, "sid", "another", -0.6), _sure(1, "sid")),
    Planted(
        "mAs rise too fast, 0.15 DI per cm",
        "tuning: slope",
        lambda image: 0.15 * image.thicker_cm * (image.view == 0),
        lambda log: (log.learned(0)[1] or 0) > 0,
    ),
    Planted(
        "a line always 0.8 DI over",
        "tuning: level",
        lambda image: 0.8 * (image.view == 0),
        lambda log: (log.learned(0)[0] or 0) > 0.3,
    ),
)


def found_share(cause: Planted, rooms: int, first_seed: int) -> tuple[int, int]:
    """(found, rooms) of a cause."""
    found = 0
    for seed in range(first_seed, first_seed + rooms):
        found += cause.found(simulate(seed, cause.does, cause.by_hand))
    return found, rooms


def false_alerts(rooms: int, first_seed: int) -> tuple[int, float]:
    """(alerts, room-months) where nothing was planted, for somebody who looks every week: one that goes and comes again
    about the same day counts once."""
    told = 0
    for seed in range(first_seed, first_seed + rooms):
        log, known = simulate(seed, lambda _: 0.0), list[Alert]()
        for week in range(1, int(MONTHS * 30 / 7) + 1):
            for one in log.until(week * 7 / 30).alerts():
                if not any(_same(one, other) for other in known):
                    known.append(one)
        told += len(known)
    return told, rooms * MONTHS


def _same(one: Alert, other: Alert) -> bool:
    alike = one.kind == other.kind and one.size_di * other.size_di > 0 and set(one.series) & set(other.series)
    return bool(alike) and abs(one.since_day - other.since_day) <= 30


def shift_found(
    before: int, spread_di: float, size_di: float = 0.5, within: int = 60, runs: int = 400, seed: int = 1
) -> float:
    """Share of shifts of a line that are told by the time so many of its images came after so many before it, for somebody
    who looks every few images; dated no earlier than half of that before it began."""
    draw = np.random.default_rng(seed)
    found = 0
    for _ in range(runs):
        x = draw.normal(0, spread_di, before + within)
        x[before:] += size_di
        for now in range(before + LOOKED_EVERY, before + within + 1, LOOKED_EVERY):
            newest = control_chart(list(x[:now]), list(np.arange(now) / 2)).shifts[-1:]
            if any(one.size >= LEAST_DI and one.begins >= before - within / 2 for one in newest):
                found += 1
                break
    return found / runs


def page(rooms: int) -> str:
    """The tables."""
    lines = ["| cause planted | where it is told | found |", "|---|---|---|"]
    for number, cause in enumerate(CAUSES):
        found, of = found_share(cause, rooms, 1000 * (number + 1))
        lines.append(f"| {cause.name} | {cause.found_by} | {found} of {of} |")
    told, months = false_alerts(rooms, 90_000)
    lines += [
        "",
        f"Where nothing was planted: {told} alerts in {months:.0f} room-months ({told / months:.2f} a room-month) for",
        "somebody who looks every week.",
        "",
    ]
    befores, spreads = (60, 100, 150, 250, 400), (0.5, 0.65, 0.8, 1.0)
    lines += ["A line moves by 0.5 DI: how often it is told within 60 of its images.", ""]
    lines += [
        f"| images before | {' | '.join(f'spread {one:g} DI' for one in spreads)} |",
        "|" + "---|" * (1 + len(spreads)),
    ]
    for before in befores:
        row = " | ".join(f"{100 * shift_found(before, one):.0f} %" for one in spreads)
        lines.append(f"| {before} | {row} |")
    return "\n".join(lines)


def main() -> None:
    """Write the tables into the page."""
    rooms = int(sys.argv[1]) if len(sys.argv) > 1 else 40
    text = PAGE.read_text(encoding="utf-8")
    before, after = text.split(START)[0], text.split(END)[1]
    PAGE.write_text(f"{before}{START}\n{page(rooms)}\n{END}{after}", encoding="utf-8")


if __name__ == "__main__":
    main()
