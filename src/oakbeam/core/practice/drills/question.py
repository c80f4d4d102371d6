"""What a drill asks, and how an answer to it is judged."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from typing import Literal

import numpy as np

from oakbeam.core.errors import Refusal
from oakbeam.core.practice.simulated_room import Case, Console, Mishap
from oakbeam.core.practice.views import Lie
from oakbeam.core.projection import Projection

Track = Literal[
    "measure",
    "arithmetic",
    "set",
    "position numbers",
    "expose and judge",
    "AEC",
    "trauma order",
    "children",
    "dose",
    "chart building",
]
Level = Literal[1, 2, 3]
LEVELS: Mapping[Level, str] = {1: "easier", 2: "usual", 3: "harder"}
"""How hard a task is: how near a number has to be, how plain a fault is, and from 3 on a second step where mAs are asked
for."""
TOLERANCE: Mapping[Level, float] = {1: 1.5, 2: 1.0, 3: 0.7}
Projections = Mapping[str, Projection]
Answer = Mapping[str, float | str]
HINT_COSTS = 0.25
"""Credit that a hint takes."""
NEARLY = 3.0
"""A number so many tolerances off is still nearly right."""


class Chance(np.random.Generator):
    """What a task is drawn by; level: how hard it shall be. What is drawn does not depend on the level, only how much of
    it."""

    def __init__(self, seed: int, drill: str, level: Level = 2) -> None:
        super().__init__(np.random.PCG64([seed, *drill.encode()]))
        self.level = level

    def pick(self, *values: float) -> float:
        """One of some numbers."""
        return float(values[int(self.integers(len(values)))])

    def of(self, *values: str) -> str:
        """One of some words."""
        return values[int(self.integers(len(values)))]

    def sign(self) -> float:
        """Plus or minus one."""
        return 1.0 if self.random() < 0.5 else -1.0


@dataclass(frozen=True, slots=True)
class Asked:
    """One thing that is asked for. A number: unit, the right one, and how far off is still right (relative, or absolute
    where it is said to be; fixed where the rule itself says how far). A choice: options by key, and the right one. right is
    never told before the answer."""

    name: str
    label: str
    right: float | str
    unit: str = ""
    tolerance: float = 0.05
    absolute: bool = False
    fixed: bool = False
    options: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Scene:
    """An exposure that belongs to a question."""

    case: Case
    console: Console
    lie: Lie = field(default_factory=Lie)
    mishap: Mishap = field(default_factory=Mishap)


@dataclass(frozen=True, slots=True)
class Question:
    """A task: given, in words; what is asked; how it is worked out; a hint. before: an image to look at; after: what the
    answer would have made, None where it makes none."""

    given: str
    asked: tuple[Asked, ...]
    worked: str
    hint: str
    before: Scene | None = None
    after: Callable[[Answer], Scene | None] | None = None

    def model_answer(self) -> dict[str, float | str]:
        """The answer that gets full credit."""
        return {one.name: one.right for one in self.asked}


@dataclass(frozen=True, slots=True)
class Judged:
    """An answer judged: credit 0 to 1; said: what is right or wrong of each; worked: how it is worked out."""

    credit: float
    said: tuple[str, ...]
    worked: str


@dataclass(frozen=True, slots=True)
class Drill:
    """A drill: make gives its question for a seed."""

    id: str
    track: Track
    name: str
    aim: str
    make: Callable[[Chance, Projections], Question]

    def question(self, seed: int, projections: Projections, level: Level = 2) -> Question:
        """The task of a seed at a level; the same for all who do it."""
        chance = Chance(seed, self.id, level)
        question = self.make(chance, projections)
        if level == 3 and self.track == "arithmetic" and [one.name for one in question.asked] == ["mas"]:
            question = _with_a_second_step(question, chance)
        asked = tuple(
            one if one.fixed else replace(one, tolerance=one.tolerance * TOLERANCE[level]) for one in question.asked
        )
        return replace(question, asked=asked)


def _with_a_second_step(question: Question, chance: Chance) -> Question:
    """The same, and then one thing more that changes the mAs by a factor."""
    then = SECOND_STEPS[int(chance.integers(len(SECOND_STEPS)))]
    (one,) = question.asked
    first = float(one.right)
    right, made = first * then.factor, question.after
    after = None

    if made is not None:
        # The image of an answer is that of the first step at as many times its mAs.
        def after(answer: Answer) -> Scene | None:
            mas = answer.get("mas")
            return made({"mas": mas / then.factor}) if isinstance(mas, (int, float)) else None

    worked = f"{question.worked} Then {then.how}: {number(first)} × {number(then.factor)} = {number(right)} mAs."
    return replace(
        question, given=f"{question.given} {then.given}", asked=(replace(one, right=right),), worked=worked, after=after
    )


@dataclass(frozen=True, slots=True)
class SecondStep:
    """One thing more that changes the mAs: given, by which factor, and how that is found."""

    given: str
    factor: float
    how: str


SECOND_STEPS = (
    SecondStep("Besides, the cast on the part wants half as much again.", 1.5, "the cast"),
    SecondStep("Besides, the last calibration found that the tube gives 10 % too little.", 1 / 0.9, "the tube"),
    SecondStep("Besides, the patient is one doubling thinner than that.", 0.5, "one doubling less"),
    SecondStep("Besides, the chart keeper has asked for a fifth less exposure with this receptor.", 0.8, "a fifth less"),
)
"""What a harder task adds; each stands by itself, whatever the first step was."""


def judge(question: Question, answer: Answer, hinted: bool = False) -> Judged:
    """Judge an answer. Each thing asked counts alike: right is 1, nearly right half. Refusal for one that is missing, is no
    number, or is not among the choices."""
    earned, said = list[float](), list[str]()
    for one in question.asked:
        if one.name not in answer:
            raise Refusal("Not answered", f"{one.label} is missing.", None, one.name)
        given = answer[one.name]
        credit, words = _of_choice(one, given) if one.options else _of_number(one, given)
        earned.append(credit)
        said.append(words)
    credit = sum(earned) / len(earned)
    return Judged(max(0.0, credit - HINT_COSTS) if hinted else credit, tuple(said), question.worked)


def _of_choice(one: Asked, given: float | str) -> tuple[float, str]:
    if given not in one.options:
        raise Refusal("No such choice", f"{one.label}: choose one of those offered.", sorted(one.options), one.name)
    right = one.options[str(one.right)]
    if given == one.right:
        return 1.0, f"{_asked(one)} {right}. Right."
    return 0.0, f"{_asked(one)} {one.options[str(given)]}, but it is {right}."


def _asked(one: Asked) -> str:
    return one.label if one.label.endswith("?") else f"{one.label}:"


def _of_number(one: Asked, given: float | str) -> tuple[float, str]:
    if isinstance(given, str) or not math.isfinite(given):
        raise Refusal("Not a number", f"{one.label} is a number.", None, one.name)
    right = float(one.right)
    off = abs(given - right) / (one.tolerance if one.absolute else one.tolerance * max(abs(right), 1e-9))
    told = f"{_asked(one)} {number(given)} {one.unit}".rstrip()
    if off <= 1 + 1e-9:
        return 1.0, f"{told}. Right."
    way = "too much" if given > right else "too little"
    if off <= NEARLY:
        return 0.5, f"{told} is nearly right, {way}: {number(right)} {one.unit}.".replace(" .", ".")
    return 0.0, f"{told} is {way}: {number(right)} {one.unit}.".replace(" .", ".")


def number(value: float) -> str:
    """A figure as it is said: three digits that count."""
    return f"{float(f'{value:.3g}'):g}".replace("-", "−")
