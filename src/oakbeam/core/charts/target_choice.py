"""Which target index a department's own accepted images speak for, and what each choice costs in dose."""

from __future__ import annotations

import math
import statistics
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

from oakbeam.core.charts.line import ChartLine
from oakbeam.core.charts.links import scaled
from oakbeam.core.errors import within

FEWEST_IMAGES = 20
"""With fewer accepted images nothing is offered: their middle still moves with each."""
NEAR_DI = 1.0
"""Images within this of a choice say how noisy it is."""
TARGET_RANGE = (50.0, 5000.0)
ROUNDED_TO = 5.0


@dataclass(frozen=True, slots=True)
class Accepted:
    """An accepted image with a reliable index: the index, and whether noise was noted in it."""

    ei: float
    noisy: bool


@dataclass(frozen=True, slots=True)
class TargetChoice:
    """A target index that could be chosen: where it stands among the accepted images, what it does to the dose [%] against
    the target now, and of the images near it how many there are and in how many noise was noted."""

    ei: float
    says: str
    dose_change_percent: float
    near: int
    noisy: int


@dataclass(frozen=True, slots=True)
class TargetChoices:
    """The accepted images of a view on a receptor: the target now, how many images, the middle and the 20 and 80 % of their
    index, in how many noise was noted, and the choices from the lowest."""

    projection: str
    receptor: str
    target_ei: float
    images: int
    median_ei: float
    low_ei: float
    high_ei: float
    noisy: int
    choices: tuple[TargetChoice, ...]


def target_choices(projection: str, receptor: str, target_ei: float, images: Sequence[Accepted]) -> TargetChoices | None:
    """What accepted images speak for; None where they are fewer than FEWEST_IMAGES."""
    if len(images) < FEWEST_IMAGES:
        return None
    indices = sorted(one.ei for one in images)
    fifths = statistics.quantiles(indices, n=5)
    median = statistics.median(indices)
    wanted = {
        "a fifth are below": fifths[0],
        "the middle": median,
        "a fifth are above": fifths[3],
        "the target now": target_ei,
    }
    # The target now goes before a choice that comes out the same.
    choices = {one.ei: one for one in (_choice(says, ei, target_ei, images) for says, ei in wanted.items())}
    noisy = sum(one.noisy for one in images)
    ordered = tuple(sorted(choices.values(), key=lambda one: one.ei))
    return TargetChoices(projection, receptor, target_ei, len(images), median, fifths[0], fifths[3], noisy, ordered)


def _choice(says: str, ei: float, target_ei: float, images: Iterable[Accepted]) -> TargetChoice:
    rounded = ei if ei == target_ei else max(ROUNDED_TO, ROUNDED_TO * round(ei / ROUNDED_TO))
    near = [one for one in images if abs(10 * math.log10(one.ei / rounded)) <= NEAR_DI]
    return TargetChoice(rounded, says, 100 * (rounded / target_ei - 1), len(near), sum(one.noisy for one in near))


def retargeted(line: ChartLine, now_ei: float, target_ei: float) -> ChartLine:
    """The line for another target index [EI]: its mAs follows, so that its images come out there. now_ei: its target now."""
    within("target_ei", target_ei, *TARGET_RANGE, "")
    return replace(line, target_ei=target_ei, law=scaled(line.law, target_ei / now_ei))
