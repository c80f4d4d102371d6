"""The department: its name, its unit of length and the technique system its charts are written in."""

from __future__ import annotations

from dataclasses import asdict, dataclass

from oakbeam.core.chart_making.systems import TechniqueSystem
from oakbeam.core.errors import Refusal, one_of
from oakbeam.core.lengths import LENGTH_UNITS, LengthUnit
from oakbeam.store import settings
from oakbeam.store.database import Store

KEY = "department"
MOST_NAME = 80


@dataclass(frozen=True, slots=True)
class Department:
    """What the department is called, and what new consoles and new charts start with; a console may still take another unit,
    a line another system. system None: nobody chose one."""

    name: str = ""
    length_unit: LengthUnit = "cm"
    system: TechniqueSystem | None = None


def read(store: Store) -> Department:
    """The department as set, or as it ships."""
    return store.remembered(KEY, lambda: Department(**(settings.read(store, KEY) or {})))


def save(store: Store, wanted: Department, actor: str) -> Department:
    """Set it."""
    if len(wanted.name) > MOST_NAME:
        raise Refusal("Too long", f"The name takes at most {MOST_NAME} characters.", None, "name")
    one_of("length_unit", wanted.length_unit, LENGTH_UNITS)
    settings.save(store, KEY, asdict(wanted), actor)
    return wanted
