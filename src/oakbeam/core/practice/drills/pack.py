"""A pack of images, each with one hidden fault or none: drawn so that kinds differ and one at least is good."""

from __future__ import annotations

import numpy as np

from oakbeam.core.practice.drills.question import Level, Projections
from oakbeam.core.practice.drills.register import DRILLS

DRILL = "judge-any"
SIZE = 8
MOST_ALIKE = 2
"""Images of a pack with the same fault."""


def pack(chance: np.random.Generator, projections: Projections, level: Level, size: int = SIZE) -> list[int]:
    """Seeds of the tasks of a pack, in its order."""
    found: list[tuple[int, str]] = []
    while len(found) < size:
        seed = int(chance.integers(2**31 - 1))
        fault = str(DRILLS[DRILL].question(seed, projections, level).model_answer()["fault"])
        # One place is kept for a good image until there is one.
        kept = size - len(found) == 1 and not any(one == "none" for _, one in found)
        if [one for _, one in found].count(fault) < MOST_ALIKE and (fault == "none" or not kept):
            found.append((seed, fault))
    order = chance.permutation(size)
    return [found[i][0] for i in order]
