"""Pictures of right and wrong: for a projection's page in the Guide, and for the words that an image is judged by at the
Desk."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

from oakbeam.core.image_review import Finding
from oakbeam.core.practice.own_faults import OWN, Cause, Centred, Kind
from oakbeam.core.practice.radiograph import GridFault
from oakbeam.core.practice.simulated_room import Case, Console, Mishap, usual_console
from oakbeam.core.practice.views import Lie
from oakbeam.core.projection import Projection

MOST = 3


@dataclass(frozen=True, slots=True)
class Pictured:
    """An exposure that shows something: what is seen, and its cause with what to change, in the projection's own words."""

    seen: str
    cause: str
    case: Case
    console: Console
    lie: Lie
    mishap: Mishap


def average(projection: Projection) -> Case:
    """The patient of the pictures."""
    return Case(projection, float(projection.thickness_cm[1]), seed=1)


def good(projection: Projection) -> Pictured:
    """A good exposure of a projection."""
    case = average(projection)
    return Pictured("As it should be", "", case, usual_console(case), Lie(), Mishap())


def faults(projection: Projection) -> list[Pictured]:
    """What goes wrong with a projection: of its own list what can be pictured, then what goes wrong with any; three in
    all."""
    own, causes, found = OWN.get(projection.id, {}), list[Cause](), list[Pictured]()
    for seen, change in projection.faults:
        if seen in own and own[seen] not in causes and len(found) < MOST:
            causes.append(own[seen])
            found.append(pictured_own(projection, own[seen], seen, change))
    for kind, seen, change in ANYWHERE:
        if len(found) < MOST and kind not in causes:
            found.append(made(projection, kind, seen, change))
    return found


def pictured_own(projection: Projection, cause: Cause, seen: str, change: str) -> Pictured:
    """An exposure of a projection that shows one of its own faults."""
    if isinstance(cause, str):
        return made(projection, cause, seen, change)
    case = average(projection)
    if isinstance(cause, Centred):
        width, height = projection.field_cm
        cause = Lie(off_cm=(cause.right * width, cause.up * height))
    return Pictured(seen, change, case, usual_console(case), cause, Mishap())


ANYWHERE: tuple[tuple[Kind, str, str], ...] = (
    ("noise", "Grain everywhere", "Too few photons, and a low index: mAs up."),
    ("motion", "Edges doubled", "It moved: hold still, a shorter time."),
    ("burned", "Black where it is thin", "Far too much: less mAs; what is clipped no window brings back."),
)
"""What goes wrong with every view, where its own list has no more that can be pictured."""


def made(projection: Projection, kind: Kind, seen: str, cause: str) -> Pictured:
    """An exposure of a projection that shows a kind of fault."""
    case = average(projection)
    console, lie, mishap = usual_console(case), Lie(), Mishap()
    if kind == "noise":
        console = replace(console, mas=max(0.05, console.mas / 16))
    elif kind == "burned":
        console = replace(console, mas=min(1000.0, console.mas * 16))
    elif kind == "flat":
        console = replace(console, grid_ratio=0, mas=max(0.05, console.mas / 3.5), field_cm=(43.0, 43.0))
    elif kind == "motion":
        mishap = Mishap(moved_mm=8.0)
    elif kind == "grid":
        console = replace(console, grid_ratio=console.grid_ratio or 8)
        mishap = Mishap(grid=GridFault(offset_cm=4.0, focal_cm=1.8 * console.sid_cm))
    elif kind == "breath":
        lie = Lie(breathed_out=True)
    else:
        lie = Lie(shoulders_back=True)
    return Pictured(seen, cause, case, console, lie, mishap)


LOOKS: Mapping[Finding, Kind] = {
    "noisy": "noise",
    "clipped": "burned",
    "flat_contrast": "flat",
    "motion": "motion",
    "cut_off": "grid",
}
LOW_KVP = 0.66


def looks_like(projection: Projection, finding: Finding) -> Pictured | None:
    """An exposure of a projection that shows a finding, so that people use the word alike; None where none is made of it."""
    if finding == "not_penetrated":
        one = good(projection)
        kvp = max(42.0, LOW_KVP * one.console.kvp)
        low = replace(one.console, kvp=kvp, mas=min(1000.0, one.console.mas * (one.console.kvp / kvp) ** 2))
        return replace(one, seen="Not penetrated", cause="The kVp was too low for what lies in the beam.", console=low)
    kind = LOOKS.get(finding)
    return made(projection, kind, finding, "") if kind else None
