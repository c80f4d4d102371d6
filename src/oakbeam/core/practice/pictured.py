"""Pictures of right and wrong: for a projection's page in the Guide, and for the words that an image is judged by at the
Desk."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Literal

from oakbeam.core.image_review import Finding
from oakbeam.core.practice.own_faults import OWN, Cause, Centred
from oakbeam.core.practice.radiograph import GridFault
from oakbeam.core.practice.simulated_room import Case, Console, Mishap, usual_console
from oakbeam.core.practice.views import VIEWS, Lie, View
from oakbeam.core.projection import Projection

Kind = Literal["noise", "burned", "flat", "motion", "grid", "breath", "scapulae", "cut", "angle", "turned"]
WORDS: Mapping[Kind, tuple[str, ...]] = {
    "noise": ("noise", "noisy", "grain", "all too light", "both too light"),
    "burned": ("burned out",),
    "flat": ("flat contrast", "flat and grey", "flat from"),
    "motion": ("blur", "unsharp", "moved"),
    "grid": ("grid off", "grid cut", "off level"),
    "breath": ("fewer than nine ribs", "six ribs", "breathing out", "under the dome", "small lung"),
    "scapulae": ("shoulder blades in the lung",),
    "cut": (" cut", "missing", "outside the field"),
    "angle": ("cephalad", "caudal"),
    "turned": ("rotat", "rolled", "raised", "wider", "nearer", "turned", "turn more", "turn less", "turn further"),
}
"""What a fault's own words tell of its cause, the surest words first."""
NOT_PICTURED = (
    "chin",
    "palm",
    "foot",
    "finger",
    "wrist",
    "elbow",
    "hand",
    "arm",
    "waist",
    "leaning",
    "head",
    "face",
    "forward",
)
"""Words of what a computed body cannot do by itself: no picture rather than one of something else."""
MOST = 3
Ways = tuple[tuple[tuple[str, ...], float], ...]


@dataclass(frozen=True, slots=True)
class Pictured:
    """An exposure that shows something: what is seen, and its cause with what to change, in the projection's own words."""

    seen: str
    cause: str
    case: Case
    console: Console
    lie: Lie
    mishap: Mishap


def kind_of(seen: str, change: str) -> Kind | None:
    """The kind of a fault, by its own words; None where no picture can be made of it."""
    whole = f"{seen} {change}".lower()
    for text in (f" {seen.lower()}", f" {change.lower()}"):
        for kind, words in WORDS.items():
            if any(word in text for word in words):
                return None if kind in ("angle", "turned") and any(one in whole for one in NOT_PICTURED) else kind
    return None


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
    own, found, shown = OWN.get(projection.id, {}), list[Pictured](), set[tuple[Kind, float]]()
    for seen, change in projection.faults:
        kind = kind_of(seen, change)
        way = way_of(kind, f"{seen} {change}".lower(), VIEWS[projection.id]) if kind else None
        if len(found) == MOST:
            break
        if seen in own:
            found.append(pictured_own(projection, own[seen], seen, change))
        elif kind is not None and way is not None and (kind, way) not in shown:
            found.append(made(projection, kind, seen, change, way))
            shown.add((kind, way))
    for kind, seen, change in ANYWHERE:
        if len(found) < MOST and (kind, 1.0) not in shown:
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


def way_of(kind: Kind, text: str, view: View) -> float | None:
    """Which way a fault goes, by its words: 1 or -1 as `made` takes it; None where they do not tell, and no picture is
    made."""
    said = {"cut": CUT, "angle": ANGLED}.get(kind)
    if said is not None:
        return next((way for words, way in said if any(word in text for word in words)), None)
    if kind != "turned":
        return 1.0
    for words, right_raised in SIDES:
        if any(word in text for word in words):
            # Seen from the back the raised side lies the other way about.
            return right_raised * (-1.0 if view.seen == "back" else 1.0)
    for words, further in TURNS:
        if any(word in text for word in words):
            return further * math.copysign(1.0, view.turned_deg) if view.turned_deg else None
    return next((way for words, way in EITHER if any(word in text for word in words)), None)


CUT: Ways = (
    (("symphysis cut", "crests cut", "angles cut", "knee missing", "soles cut"), 1.0),
    (("domes cut", "pouch cut"), -1.0),
)
"""What is cut, and whether the centre was too high (1) or too low."""
ANGLED: Ways = ((("too much caudal", "more cephalad", "cephalad, up to"), 1.0), (("more caudal", "toward caudal"), -1.0))
"""What is asked for, and whether the picture has the tube too little toward the head (1) or too much."""
SIDES: Ways = (
    (("right side is raised", "right side is off", "right is off"), 1.0),
    (("right side is nearer", "let the left down"), -1.0),
)
TURNS: Ways = (
    (("turn more", "turn further", "turned too little", "° more"), -1.0),
    (("turn less", "too far", "past 45", "° less"), 1.0),
)
EITHER: Ways = (
    (("turned in", "rotat", "rolled", "one side wider", "wing wider", "si joint wider"), -1.0),
    (("turned out",), 1.0),
)
"""A leg turned in is turned the one way, turned out the other; a trunk that is turned somehow shows it either way."""


def made(projection: Projection, kind: Kind, seen: str, cause: str, way: float = 1.0) -> Pictured:
    """An exposure of a projection that shows a kind of fault; way: 1, or -1 for the other."""
    case = average(projection)
    console, lie, mishap = usual_console(case), Lie(), Mishap()
    height = projection.field_cm[1]
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
    elif kind == "cut":
        lie = Lie(off_cm=(0.0, 0.36 * height * way))
    elif kind == "breath":
        lie = Lie(breathed_out=True)
    elif kind == "scapulae":
        lie = Lie(shoulders_back=True)
    elif kind == "angle":
        lie = Lie(angle_deg=-14.0 * way)
    else:
        lie = Lie(turned_deg=16.0 * way)
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
