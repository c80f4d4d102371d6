"""Which drill comes next: what was missed comes again, sooner the worse it went; what goes well comes seldom; the rest in
the order of the work. How well it goes decides how hard the next is; how many in a row does not."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import cast

import numpy as np

from oakbeam.core.practice.drills.question import Level

GOOD = 0.8
"""Credit from which an answer was right."""
FIRST_GAP, GROWS = 3, 2.2
"""Answers after which a missed drill comes again; after each right answer in a row so many times as many."""


@dataclass(frozen=True, slots=True)
class Standing:
    """How a drill goes: answers, mean credit of the last five, and after how many more answers it is due (0: now)."""

    answers: int
    mean: float
    due_in: int


def standings(history: Sequence[tuple[str, float]]) -> dict[str, Standing]:
    """How each drill goes by what was answered, oldest first: (drill, credit)."""
    found: dict[str, Standing] = {}
    for drill in {one for one, _ in history}:
        places = [i for i, (one, _) in enumerate(history) if one == drill]
        earned = [history[i][1] for i in places]
        row = 0
        for credit in reversed(earned):
            if credit < GOOD:
                break
            row += 1
        gap = round(FIRST_GAP * GROWS**row)
        since = len(history) - 1 - places[-1]
        found[drill] = Standing(len(earned), sum(earned[-5:]) / len(earned[-5:]), max(0, gap - since))
    return found


def level_of(earned: Sequence[float]) -> Level:
    """How hard a drill is next for who earned this with it, oldest first: it begins easier; two right in a row and it is
    harder by one step, less than half and it is easier by one."""
    level, row = 1, 0
    for credit in earned:
        row = row + 1 if credit >= GOOD else 0
        if row == 2:
            level, row = min(level + 1, 3), 0
        elif credit < HALF:
            level = max(level - 1, 1)
    return cast(Level, level)


HALF = 0.5


def next_drill(history: Sequence[tuple[str, float]], drills: Sequence[str], chance: np.random.Generator) -> str:
    """The drill that comes next: of those due the worst; else one never done, in their order; else the one due soonest.
    Never the same twice in a row where another is there."""
    last = history[-1][0] if history else None
    there = [one for one in drills if one != last] or list(drills)
    known = standings(history)
    due = [one for one in there if one in known and known[one].due_in == 0]
    if due:
        return min(due, key=lambda one: (known[one].mean, drills.index(one)))
    new = [one for one in there if one not in known]
    if new:
        return new[min(int(chance.integers(3)), len(new) - 1)]
    return min(there, key=lambda one: (known[one].due_in, drills.index(one)))


def confusions(pairs: Sequence[tuple[str, str]]) -> Mapping[str, Mapping[str, int]]:
    """How often each cause was taken for which: right -> given -> count."""
    found: dict[str, dict[str, int]] = {}
    for right, given in pairs:
        row = found.setdefault(right, {})
        row[given] = row.get(given, 0) + 1
    return found
