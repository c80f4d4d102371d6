"""Something specific to do or to look at."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

CautionLevel = Literal["warning", "note"]


@dataclass(frozen=True, slots=True)
class Caution:
    """Something specific to do or to look at. cites names the rule behind it."""

    level: CautionLevel
    text: str
    cites: str = ""
