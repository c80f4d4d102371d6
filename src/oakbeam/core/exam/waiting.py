"""A request that waits to be done, without who it is for."""

from __future__ import annotations

from dataclasses import dataclass

from oakbeam.core.anatomy.body import AgeBand, Sex
from oakbeam.core.projection import Digit, Side


@dataclass(frozen=True, slots=True)
class Waiting:
    """A request that waits: study key, exam, side, age band, and what the request says; a digit, a cast, and a weight where
    it bears on the technique. exam "": nobody said yet which exam the procedure is; procedure: its one-way key; words: what
    it says in words of the field. scheduled_at: ISO 8601, empty where it is not said. done: projections of which an image
    was accepted; due: those still to be taken, the usual one of each step. No patient identity."""

    study_key: str
    exam: str
    side: Side = ""
    age_band: AgeBand | None = None
    question: str = ""
    arrives: str = ""
    cast: str | None = None
    weight_kg: float | None = None
    digit: Digit = ""
    height_cm: float | None = None
    sex: Sex | None = None
    procedure: str = ""
    words: str = ""
    scheduled_at: str = ""
    done: tuple[str, ...] = ()
    due: tuple[str, ...] = ()
