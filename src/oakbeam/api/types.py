"""Types that the bodies of several resources share.

Requests forbid unknown fields, so that a misspelt one is named and not dropped. Numbers are finite.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field, StringConstraints

from oakbeam.core.charts.line import (
    KVP_RANGE,
    MAS_RANGE,
    SID_RANGE_CM,
    THICKNESS_RANGE_CM,
    ChartLine,
    Status,
)
from oakbeam.core.image_review import EI_RANGE

Number = Annotated[float, Field(allow_inf_nan=False)]
Key = Annotated[str, StringConstraints(min_length=1, max_length=60, strip_whitespace=True)]
Name = Annotated[str, StringConstraints(min_length=1, max_length=120, strip_whitespace=True)]
Text = Annotated[str, StringConstraints(max_length=500, strip_whitespace=True)]
Id = Annotated[int, Field(ge=1, le=2**63 - 1)]
ThicknessCm = Annotated[Number, Field(ge=THICKNESS_RANGE_CM[0], le=THICKNESS_RANGE_CM[1], description="cm")]
Sid = Annotated[Number, Field(ge=SID_RANGE_CM[0], le=SID_RANGE_CM[1], description="cm, along the central ray")]
Kvp = Annotated[Number, Field(ge=KVP_RANGE[0], le=KVP_RANGE[1])]
Mas = Annotated[Number, Field(ge=MAS_RANGE[0], le=MAS_RANGE[1])]
Ei = Annotated[Number, Field(ge=EI_RANGE[0], le=EI_RANGE[1])]
ShownIndexIn = Annotated[Number, Field(description="what the console shows, on the scale of the receptor; in place of ei")]
Length = Annotated[Number, Field(gt=0, le=60, description="cm")]
GridRatio = Literal[0, 5, 6, 8, 10, 12, 16]


class RequestBody(BaseModel):
    """A body that comes in."""

    model_config = ConfigDict(extra="forbid")


class Problem(BaseModel):
    """A refusal (RFC 9457 problem details). allowed says the range or the choices; faults lists the bad cells of a file;
    conflicts the lines that somebody else changed meanwhile."""

    type: str = "about:blank"
    title: str
    status: int
    detail: str
    allowed: dict[str, float | str] | list[str] | list[float] | None = None
    field: str | None = None
    faults: list[dict[str, str | int]] | None = None
    conflicts: list[LineNow] | None = None


class LineNow(BaseModel):
    """A line as it is now, where a change was made from an older reading; None where it was taken out."""

    line: int
    now: ChartLine | None


@dataclass(frozen=True, slots=True)
class ChartReference:
    """Which chart version a result came from."""

    id: int
    version: int
    status: Status
    line: ChartLine
