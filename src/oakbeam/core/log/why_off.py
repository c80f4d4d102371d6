"""Why is a projection off? The evidence, split: what of the spread of its deviation index goes with which cause.

A robust regression: numbers (thickness, months, the build) have a slope each, groups (person, shift, receptor) an effect for
each member that is drawn towards none (a random effect). Images that fit badly count less, by Student's t. What was set over
what was suggested is taken as it is: its effect on the index is known.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from oakbeam.core.physics.beam.tables import Array

LEAST = 20
"""Images from which a projection is explained."""
DEGREES = 4.0
GROUP_PRIOR_DI = 0.5
"""One standard deviation of what a person, a shift or a receptor may differ by from the others [DI]; an estimate."""
LEVEL_PRIOR_DI = 3.0
SURE = 1.96
TELLING = 0.02
"""A share of the spread below this is not worth a sentence."""
ROUNDS = 8


@dataclass(frozen=True, slots=True)
class NumberCause:
    """A cause that is a number: its values, and one standard deviation of what one unit of it may do [DI]. known: what one
    unit does, where that is known."""

    values: Array
    prior_di: float
    known: float | None = None


@dataclass(frozen=True, slots=True)
class Part:
    """A cause's part: the share of the spread (variance) that goes with it, 0 to 1; its effect with its 95 % interval: of a
    number per unit, of a group of the member that differs most, named in `of`. sure: the interval leaves out zero."""

    name: str
    share: float
    effect: float
    low: float
    high: float
    of: str = ""

    @property
    def sure(self) -> bool:
        """Whether it can hardly be chance."""
        return self.low > 0 or self.high < 0


@dataclass(frozen=True, slots=True)
class Explained:
    """A projection's images explained: n; the level of an image at the mean of everything, with its 95 % interval [DI];
    parts, the largest first; rest: the share that goes with none of them; spread_di: one standard deviation of that."""

    n: int
    level_di: float
    level_low: float
    level_high: float
    parts: tuple[Part, ...]
    rest: float
    spread_di: float


def explain(
    di: Sequence[float], numbers: Mapping[str, NumberCause], groups: Mapping[str, Sequence[str]]
) -> Explained | None:
    """The parts of the causes in some deviation indices; None of fewer than LEAST."""
    y = np.asarray(di, float)
    if len(y) < LEAST:
        return None
    total = float(y.var())
    y = y - sum(
        (one.known * (one.values - one.values.mean()) for one in numbers.values() if one.known is not None), np.zeros(len(y))
    )
    columns: list[Array] = [np.ones(len(y))]
    prior = [LEVEL_PRIOR_DI]
    places: dict[str, list[int]] = {}
    members: dict[str, list[str]] = {}
    for name, cause in numbers.items():
        if cause.known is None and float(np.ptp(cause.values)) > 0:
            places[name] = [len(columns)]
            columns.append(cause.values - cause.values.mean())
            prior.append(cause.prior_di)
    for name, of in groups.items():
        found = [one for one, n in Counter(of).items() if n >= 3]
        if len(found) < 2:
            continue
        members[name] = found
        places[name] = list(range(len(columns), len(columns) + len(found)))
        for one in found:
            here = np.array([other == one for other in of], float)
            columns.append(here - here.mean())
            prior.append(GROUP_PRIOR_DI)
    x = np.stack(columns, axis=1)
    mean, covariance, spread = _fit(x, y, np.array(prior))
    parts = []
    for name, at in places.items():
        fitted = x[:, at] @ mean[at]
        # Of a group: each member against the mean of the others.
        count = len(at)
        against = np.eye(count) if name not in members else (np.eye(count) * count - 1) / (count - 1)
        effects = against @ mean[at]
        errors = np.sqrt(np.diag(against @ covariance[np.ix_(at, at)] @ against.T))
        most = int(np.argmax(np.abs(effects) / errors))
        effect, error = float(effects[most]), float(errors[most])
        which = members[name][most] if name in members else ""
        parts.append(Part(name, float(fitted.var()) / total, effect, effect - SURE * error, effect + SURE * error, which))
    for name, cause in numbers.items():
        if cause.known is not None and float(np.ptp(cause.values)) > 0:
            share = float((cause.known * cause.values).var()) / total
            effect = cause.known * float(cause.values.mean())
            parts.append(Part(name, share, effect, effect, effect))
    whole = sum(part.share for part in parts)
    if whole > 0.99:
        # Causes that go together explain the same twice: each gives way in proportion.
        parts = [Part(p.name, 0.99 * p.share / whole, p.effect, p.low, p.high, p.of) for p in parts]
    parts.sort(key=lambda part: -part.share)
    level, error = float(mean[0]), math.sqrt(float(covariance[0, 0]))
    rest = max(0.01, 1 - sum(part.share for part in parts))
    return Explained(len(y), level, level - SURE * error, level + SURE * error, tuple(parts), rest, spread)


def _fit(x: Array, y: Array, prior: Array) -> tuple[Array, Array, float]:
    """Posterior mean and covariance of the coefficients, and the spread of an image, by Student's t."""
    weight, spread = np.ones(len(y)), max(0.1, float(np.std(y)))
    mean, covariance = np.zeros(x.shape[1]), np.diag(prior**2)
    for _ in range(ROUNDS):
        worth = weight / spread**2
        covariance = np.asarray(np.linalg.inv(np.diag(prior**-2.0) + x.T * worth @ x))
        mean = covariance @ (x.T @ (worth * y))
        left = y - x @ mean
        weight = (DEGREES + 1) / (DEGREES + (left / spread) ** 2)
        # Of a normal spread the weighed square is 0.788 of it (see `tuning.WEIGHED`).
        free = max(1.0, len(y) - float(np.trace(covariance @ (x.T * worth @ x))))
        spread = max(0.1, math.sqrt(float((weight * left**2).sum()) / 0.788 / free))
    return mean, covariance, spread
