"""What a person is asked about a file, and what was taken as what: nothing is guessed in silence."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Literal

from oakbeam.formats.chart_csv import BadCell

Kind = Literal[
    "sheet",
    "heads",
    "projection",
    "support",
    "receptor",
    "grid",
    "chamber",
    "unit",
    "time",
    "range",
    "column",
    "kvp",
    "film",
    "index",
    "twice",
    "far",
    "row",
]
Confidence = Literal["exact", "assumed", "asked"]
"""As a cell says it; taken by a rule that is said; answered by a person, now or before."""
LEAVE_OUT = "leave out"
REMEMBERED: frozenset[Kind] = frozenset(("projection", "support", "receptor", "chamber"))
"""Questions whose answers hold for the next file too: they are about the department's own words."""


@dataclass(frozen=True, slots=True)
class Option:
    """An answer that can be given, and what it says."""

    value: str
    label: str


LEFT_OUT = Option(LEAVE_OUT, "leave out")


@dataclass(frozen=True, slots=True)
class Question:
    """id: stable, so that an answer holds when the file is read again. given: the file's text it is about. rows: where it
    stands. guess: the likeliest answer, not taken. answer: what was answered, None while it waits. free: any projection of
    the catalogue answers it, not only those offered."""

    id: str
    kind: Kind
    text: str
    given: str
    rows: tuple[int, ...]
    choices: tuple[Option, ...]
    guess: str | None = None
    answer: str | None = None
    free: bool = False


@dataclass(frozen=True, slots=True)
class Taken:
    """A cell that was read as something else than it says: where it stands, what stood there, what it was taken as, and how
    sure that is. why: the rule, where it was assumed."""

    row: int
    given: str
    taken_as: str
    confidence: Confidence = "exact"
    column: str = ""
    why: str = ""


@dataclass(slots=True)
class Asking:
    """The questions, the faults and what was taken, gathered while a file is read. answers: by the question's id."""

    answers: Mapping[str, str]
    questions: dict[str, Question] = field(default_factory=dict)
    taken: dict[tuple[int, str, str], Taken] = field(default_factory=dict)
    faults: dict[BadCell, None] = field(default_factory=dict)
    """In order; each once, of however many rows."""
    waiting: dict[int, set[str]] = field(default_factory=dict)
    """Open questions and faults by row."""
    dropped: set[int] = field(default_factory=set)
    """Rows that a question's answer leaves out."""

    def ask(
        self,
        kind: Kind,
        about: str,
        text: str,
        rows: Iterable[int],
        choices: Iterable[Option],
        guess: str | None = None,
        free: bool = False,
        given: str | None = None,
    ) -> str | None:
        """The answer to a question; None while it waits, and then its rows wait for it, or where it leaves its rows out."""
        key, at = f"{kind}:{about}", tuple(rows)
        old = self.questions.get(key)
        at = tuple(dict.fromkeys((*(old.rows if old else ()), *at)))
        offered = tuple(choices)
        answer = self.answers.get(key)
        if answer is not None and not free and answer != LEAVE_OUT and answer not in {one.value for one in offered}:
            answer = None
        self.questions[key] = Question(key, kind, text, about if given is None else given, at, offered, guess, answer, free)
        if answer is None:
            for row in at:
                self.waiting.setdefault(row, set()).add(key)
        if answer == LEAVE_OUT:
            self.dropped.update(at)
            return None
        return answer

    def note(self, row: int, column: str, given: str, taken_as: str, confidence: Confidence, why: str = "") -> None:
        """Keep how a cell was taken."""
        self.taken[row, column, given] = Taken(row, given, taken_as, confidence, column, why)

    def fault(self, row: int, column: str, problem: str) -> None:
        """Keep that a cell is not right: its row makes no line unless it is left out."""
        one = BadCell(row, column, problem)
        self.faults.setdefault(one)
        self.waiting.setdefault(row, set()).add("fault")

    def left_out(self, row: int) -> bool:
        """Whether a person left the row out."""
        return self.answers.get(f"row:{row}") == LEAVE_OUT
