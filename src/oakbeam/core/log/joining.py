"""One exposure is one row: which exposure of the log an object, or a record of the Desk, tells of.

The same irradiation event is the same exposure, two events are two. Without event keys: the same study, view and side, the
same kVp and mAs, and a time within SAME_WITHIN_S. The Desk records after the exposure, once the image was judged. What is
likely is taken where nothing else is; what stays doubtful waits for somebody to say.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

from oakbeam.core.projection import Side

SAME_WITHIN_S = 60.0
JUDGED_WITHIN_S = 900.0
"""How long after an exposure the Desk may record it."""
SAME_SETTING = 0.02
"""Relative: two numbers of one setting, one of them rounded."""
Sameness = Literal["same", "likely", "doubtful", "other"]


@dataclass(frozen=True, slots=True)
class Told:
    """What is told of an exposure. taken_s: seconds since any fixed moment; of the Desk, when it was recorded. study_key ""
    and event_key None: not known. at_desk: somebody recorded it; with_image: an image or a dose report told of it."""

    projection: str
    side: Side
    taken_s: float
    kvp: float
    mas: float
    ei: float | None
    study_key: str
    event_key: str | None
    at_desk: bool
    with_image: bool


@dataclass(frozen=True, slots=True)
class Choice:
    """The row that it is, counted from 0, None for none of them; doubtful: those it may be, which somebody has to say."""

    same: int | None = None
    doubtful: tuple[int, ...] = ()


def choose(rows: Sequence[Told], new: Told) -> Choice:
    """Which of some rows of the same room an object or a record tells of."""
    found = [(at, sameness(row, new)) for at, row in enumerate(rows)]
    of = {kind: [at for at, one in found if one == kind] for kind in ("same", "likely", "doubtful")}
    if of["same"]:
        return Choice(min(of["same"], key=lambda at: abs(rows[at].taken_s - new.taken_s)))
    if len(of["likely"]) == 1 and not of["doubtful"]:
        return Choice(of["likely"][0])
    return Choice(None, tuple(sorted((*of["likely"], *of["doubtful"]))))


def sameness(row: Told, new: Told) -> Sameness:
    """Whether what is new tells of the exposure of a row of the same room."""
    if row.event_key and new.event_key:
        return "same" if row.event_key == new.event_key else "other"
    # Two records are two exposures: the Desk records each once.
    if row.at_desk and new.at_desk:
        return "other"
    if row.projection != new.projection or (row.side and new.side and row.side != new.side):
        return "other"
    if row.study_key and new.study_key and row.study_key != new.study_key:
        return "other"
    if not _in_time(row, new):
        return "other"
    same_study = bool(row.study_key) and row.study_key == new.study_key
    same_index = row.ei is not None and new.ei is not None and _near(row.ei, new.ei)
    if _near(row.kvp, new.kvp) and _near(row.mas, new.mas):
        return "same" if same_study or same_index else "likely" if _record_and_image(row, new) else "other"
    # Two images with other settings are two tries. At the Desk it may be a slip: what was suggested, and not what was set.
    return "doubtful" if same_study and _record_and_image(row, new) else "other"


def _record_and_image(row: Told, new: Told) -> bool:
    """One is a record without its image, the other an image without its record."""
    return (row.at_desk, row.with_image, new.at_desk, new.with_image) in (
        (True, False, False, True),
        (False, True, True, False),
    )


def _in_time(row: Told, new: Told) -> bool:
    if row.at_desk == new.at_desk:
        return abs(row.taken_s - new.taken_s) <= SAME_WITHIN_S
    desk, image = (row, new) if row.at_desk else (new, row)
    return -SAME_WITHIN_S <= desk.taken_s - image.taken_s <= JUDGED_WITHIN_S


def _near(a: float, b: float) -> bool:
    return abs(a - b) <= SAME_SETTING * max(abs(a), abs(b))
