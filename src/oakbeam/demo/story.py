"""What happened in the invented clinic in nine months, so that the log has something to tell (docs/demo-story.md tells it).

Each is planted as a cause: what it does to the index of an image, or to what was set. Nothing here is read by what finds it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

DAYS = 270
TAMSIN, JOREN = "tamsin", "joren"


@dataclass(frozen=True, slots=True)
class Moment:
    """One exposure as far as the story goes: the room, the view, the receptor, who made it, and how many days ago."""

    room: str
    projection: str
    receptor: str
    person: str
    days_ago: float


@dataclass(frozen=True, slots=True)
class Cause:
    """Something that was planted. index_di: what it moves the index by [DI]; set_di: what it makes people set over what is
    suggested [DI]."""

    name: str
    index_di: Callable[[Moment], float] = lambda _: 0.0
    set_di: Callable[[Moment], float] = lambda _: 0.0


RECEPTOR_SWAPPED, VERSION_2, CREEP_SINCE = 130, 120, 150
"""Days ago: the loose panel of Room 1 was replaced, Room 2's second version came, the bedside began to creep."""
LUMBAR_OFF_DI = 1.0
"""How far Room 2's lumbar AP is over what the model expects; the second version takes it off the mAs."""


def _aged(at: Moment) -> float:
    # The tube of Room 2 gives 8 % less after nine months: 0.36 DI.
    return -0.36 * (1 - at.days_ago / DAYS) if at.room == "room-2" else 0.0


def _swapped(at: Moment) -> float:
    return 0.6 if at.room == "room-1" and at.receptor == "panel-24" and at.days_ago < RECEPTOR_SWAPPED else 0.0


def _lumbar(at: Moment) -> float:
    return LUMBAR_OFF_DI if at.room == "room-2" and at.projection == "lspine-ap" else 0.0


def _far(at: Moment) -> float:
    # Left at 115 cm where the table's chart wants 107: 0.63 DI.
    return -0.63 if at.room == "room-1" and at.person == JOREN and at.projection in TABLE_VIEWS else 0.0


TABLE_VIEWS = ("abdomen-supine", "lspine-ap", "lspine-lateral")


def _creeping(at: Moment) -> float:
    begun = at.room == "portable" and at.projection == "chest-pa" and at.days_ago < CREEP_SINCE
    return 1.6 * (1 - at.days_ago / CREEP_SINCE) if begun else 0.0


CAUSES = (
    Cause("the tube of Room 2 ages", index_di=_aged),
    Cause("a loose panel of Room 1 was replaced", index_di=_swapped),
    Cause("Room 2's lumbar AP was too high until version 2", index_di=_lumbar),
    Cause("one person leaves the tube too far from the table", index_di=_far),
    Cause("chests at the bedside creep up", set_di=_creeping),
)


def index_di(at: Moment) -> float:
    """What the story moves an index by [DI]."""
    return sum(cause.index_di(at) for cause in CAUSES)


def set_di(at: Moment) -> float:
    """What the story makes people set over what is suggested [DI]."""
    return sum(cause.set_di(at) for cause in CAUSES)
