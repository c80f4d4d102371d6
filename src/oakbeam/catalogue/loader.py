"""Reads projections and exams from their data files and refuses, by name, an entry that is incomplete or contradicts itself.

A department's own entries come through the same door as the shipped ones.
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Iterable, Iterator, Mapping
from functools import cache
from importlib.resources import files
from typing import Any, get_args

from oakbeam.core import projection as types
from oakbeam.core.anatomy.body import AgeBand
from oakbeam.core.anatomy.composition import Composition, bone_of_region_mm
from oakbeam.core.exam.order import Exam, ExamStep, StepSide
from oakbeam.core.projection import SUPPORTS, Angulation, DigitNote, DoseLevel, Projection, SidChoice, Variant

Entry = dict[str, Any]
SPOTS = ("small", "small_or_large", "large")
AEC_CELLS = ("none", "L", "C", "R", "L+R", "L+C", "C+R", "L+C+R")
REGIONS = ("upper_limb", "shoulder", "lower_limb", "pelvis", "spine", "chest", "abdomen", "skull")
OPTIONAL: Mapping[str, Any] = {
    "ages": [],
    "sid_choices": [],
    "minimum_sid_cm": None,
    "detector_grid": False,
    "lying": "supine",
    "receptor_square": False,
    "kvp_on": {},
    "angle": [],
    "turn": [],
    "angle_school": None,
    "turn_school": None,
    "exposures": 1,
    "marker_note": "",
    "dose_levels": [],
    "thick_end": None,
    "digit": [],
    "short": "",
}
"""What an entry may leave out, and what that means. A grid is never left out: grid_over_cm, or grid = "never". angle_school
and turn_school: the school a department takes, which then comes first. short: the name on a run sheet, else the name up to
its first comma or bracket."""
REQUIRED = (
    *(
        "id",
        "exam",
        "name",
        "region",
        "shows",
        "also",
        "measure",
        "direction",
        "thickness_cm",
        "child",
        "sid_cm",
        "supports",
    ),
    *(
        "kvp",
        "aec",
        "spot",
        "posture",
        "beam",
        "central_ray",
        "receptor_cm",
        "field_cm",
        "collimate",
        "position",
        "breathing",
    ),
    *("time_ceiling_ms", "marker", "shield", "structure_cm", "look_for", "faults", "variants"),
    "view",
)
CHOICES: Mapping[str, tuple[str, ...]] = {
    "region": REGIONS,
    "direction": get_args(types.Direction),
    "child": get_args(types.ChildSize),
    "aec": AEC_CELLS,
    "spot": SPOTS,
    "posture": get_args(types.Posture),
    "lying": get_args(types.Posture),
    "beam": ("vertical", "horizontal"),
    "marker": get_args(types.Marker),
}
LISTS: Mapping[str, tuple[str, ...]] = {
    "supports": tuple(map(str, SUPPORTS)),
    "breathing": get_args(types.Breathing),
    "shield": get_args(types.Shield),
    "ages": get_args(AgeBand),
}


DAY = re.compile(r"(\d{4}-(0[1-9]|1[0-2])-(0[1-9]|[12]\d|3[01]))?")
DOSE_UNITS: Mapping[str, str] = {
    "incident_air_kerma": "mGy",
    "entrance_surface_air_kerma": "mGy",
    "kerma_area_product": "mGy·cm²",
}
ADULT_SOURCE = "example after national surveys, from memory"
CHILD_SOURCE = "example after the European guidelines for children, 2018, from memory"


class CatalogueError(ValueError):
    """A catalogue entry that cannot be right; says which and why."""


def shipped_entries() -> list[Entry]:
    """The shipped projections as plain entries, each with its group's facts filled in, in the order of the files."""
    found = []
    for name in (
        "upper_limb",
        "shoulder",
        "lower_limb",
        "knee",
        "pelvis",
        "spine",
        "chest",
        "abdomen",
        "skull",
        "paediatric",
    ):
        for group in read_toml(f"projections/{name}.toml").values():
            shared = {key: value for key, value in group.items() if key != "projection"}
            found += [overlaid(shared, own) for own in group["projection"]]
    return found


def overlaid(base: Entry, own: Entry) -> Entry:
    """An entry with its own facts over those it starts from; a word on the grid takes the place of either kind of it, a dose
    level that of the same quantity for the same people."""
    grid = {"grid", "grid_over_cm"}
    whole = {**{key: value for key, value in base.items() if not (key in grid and grid & set(own))}, **own}
    if base.get("dose_levels") and _is_levels(own.get("dose_levels")):
        replaced = [(level.get("quantity"), level.get("kg")) for level in own["dose_levels"]]
        kept = [level for level in base["dose_levels"] if (level["quantity"], level.get("kg")) not in replaced]
        whole["dose_levels"] = kept + own["dose_levels"]
    return whole


def _is_levels(given: Any) -> bool:
    """A list of objects: what else may be wrong with them is said when the entry is built."""
    return isinstance(given, list) and all(isinstance(level, dict) for level in given)


def read_toml(name: str) -> Entry:
    """A data file of this package."""
    return tomllib.loads((files(__package__) / "data" / name).read_text(encoding="utf-8"))


@cache
def compositions() -> Mapping[str, Composition]:
    """What lies in the beam by view, from the one description of each part of the body (data/body.toml)."""
    return {
        name: Composition(
            site=part,
            view=name,
            bone_mm=bone_of_region_mm(site["bone_mm2"], view["shadow_mm"], view["covers"]),
            lung_fraction=view.get("lung", 0.0),
            width_cm=view.get("width_cm"),
            fat=view.get("fat", site["fat"]),
            fat_gained=site["fat_gained"],
            fat_lost=site["fat_lost"],
            growth=site["growth"],
            bone_spread=site["bone_spread"],
            fat_spread=site["fat_spread"],
            lung_spread=view.get("lung_spread", 0.0),
            bone_unsure=view["bone_unsure"],
            fat_unsure=site["fat_unsure"],
            lung_unsure=view.get("lung_unsure", 0.0),
            why=f"{site['why']} {view['why']}",
        )
        for part, site in read_toml("body.toml").items()
        for name, view in site["view"].items()
    }


def projections_of(entries: Iterable[Entry]) -> Mapping[str, Projection]:
    """Projections by id, in order. Raises CatalogueError."""
    found: dict[str, Projection] = {}
    for entry in entries:
        projection = projection_of(entry)
        if projection.id in found:
            raise CatalogueError(f"projection {projection.id}: stands twice")
        found[projection.id] = projection
    for projection in found.values():
        for variant in projection.variants:
            if variant.instead is not None and variant.instead not in found:
                raise CatalogueError(f"projection {projection.id}: no projection '{variant.instead}' to take instead")
    return found


def projection_of(entry: Entry) -> Projection:
    """One projection. Raises CatalogueError that names what is missing, unknown or contradictory."""
    name = str(entry.get("id", "?"))
    known = {*REQUIRED, *OPTIONAL, "grid", "grid_over_cm"}
    if missing := [key for key in REQUIRED if key not in entry]:
        raise CatalogueError(f"projection {name}: missing {', '.join(missing)}")
    if unknown := sorted(set(entry) - known):
        raise CatalogueError(f"projection {name}: unknown {', '.join(unknown)}")
    whole = {**OPTIONAL, **entry}
    try:
        for fault in _faults(whole):
            raise CatalogueError(f"projection {name}: {fault}")
        return _built(whole)
    except (TypeError, ValueError, KeyError, AttributeError) as wrong:
        if isinstance(wrong, CatalogueError):
            raise
        raise CatalogueError(f"projection {name}: a value is not of the kind it should be ({wrong})") from None


def _faults(entry: Entry) -> Iterator[str]:
    """What is wrong with a whole entry, in words."""
    for key, choices in CHOICES.items():
        if entry[key] not in choices:
            yield f"{key} must be one of {', '.join(choices)}"
    for key, choices in LISTS.items():
        if not set(entry[key]) <= set(choices) or (not entry[key] and key != "ages"):
            yield f"{key} must be some of {', '.join(choices)}"
    for key in ("id", "exam", "name", "shows", "measure", "central_ray", "collimate", "position"):
        if not isinstance(entry[key], str) or not entry[key].strip():
            yield f"{key} must say something"
    if not isinstance(entry["short"], str) or len(entry["short"]) > 14:
        yield "short must be a name of at most 14 letters"
    for key in ("look_for", "variants"):
        if not entry[key]:
            yield f"{key} must not be empty"
    small, average, large = entry["thickness_cm"]
    if not 0.5 <= small < average < large <= 60:
        yield "thickness_cm must rise from small to large, 0.5 to 60"
    if not 40 <= entry["sid_cm"] <= 400:
        yield "sid_cm must be 40 to 400"
    if (entry["minimum_sid_cm"] or 0) > entry["sid_cm"]:
        yield "minimum_sid_cm must not exceed sid_cm"
    for window in (entry["kvp"], *entry["kvp_on"].values()):
        if len(window) != 2 or not 40 <= window[0] < window[1] <= 150:
            yield "kvp must be a window that rises, 40 to 150"
    if not set(entry["kvp_on"]) <= set(entry["supports"]):
        yield "kvp_on must name its own supports"
    if ("grid_over_cm" in entry) == (entry.get("grid") == "never"):
        yield 'grid_over_cm or grid = "never", and not both'
    for pair in (entry["receptor_cm"], entry["field_cm"]):
        if len(pair) != 2 or not 1 <= min(pair) <= max(pair) <= 60:
            yield "receptor_cm and field_cm must be two lengths of 1 to 60 cm"
    if any(f > r + 15 for f, r in zip(sorted(entry["field_cm"]), sorted(entry["receptor_cm"]), strict=True)):
        yield "field_cm is larger than receptor_cm"
    if not 1 <= entry["time_ceiling_ms"] <= 5000:
        yield "time_ceiling_ms must be 1 to 5000"
    if not 0 < entry["structure_cm"] <= 60:
        yield "structure_cm must be above 0"
    if entry["aec"] != "none" and not {"table_bucky", "upright_bucky"} & set(entry["supports"]):
        yield "aec needs a Bucky among the supports"
    if not 1 <= entry["exposures"] <= 4:
        yield "exposures must be 1 to 4"
    if entry["view"] not in compositions():
        yield f"view must be one of {', '.join(compositions())}"
    yield from _level_faults(entry["dose_levels"])
    yield from _digit_faults(entry["digit"])
    for key, ways in (("angle_school", entry["angle"]), ("turn_school", entry["turn"])):
        if entry[key] is not None and entry[key] not in (schools := [way["school"] for way in ways]):
            yield f"{key} must be one of {', '.join(schools) or 'none'}"
    for way in (*entry["angle"], *entry["turn"]):
        if way.get("rule", "fixed") not in get_args(types.AngleRule):
            yield f"angle rule must be one of {', '.join(get_args(types.AngleRule))}"
        if not -60 <= way["deg"] <= 60:
            yield "an angle must be -60 to 60 degrees"


def _level_faults(levels: list[Entry]) -> Iterator[str]:
    for level in levels:
        if unknown := sorted(set(level) - {"quantity", "value", "kg", "source", "as_of"}):
            yield f"a dose level has no {', '.join(unknown)}"
        if level["quantity"] not in DOSE_UNITS:
            yield f"the quantity of a dose level must be one of {', '.join(DOSE_UNITS)}"
        if not 0 < level["value"] <= 100_000:
            yield "the value of a dose level must be above 0, at most 100000"
        if (kg := level.get("kg")) is not None and not 0 <= kg[0] < kg[1] <= 200:
            yield "kg of a dose level must be two weights that rise, 0 to 200"
        if not DAY.fullmatch(str(level.get("as_of", ""))):
            yield "as_of of a dose level must be a day, as 2026-11-27"


def _digit_faults(notes: list[Entry]) -> Iterator[str]:
    known = [digit for digit in get_args(types.Digit) if digit]
    digits = [note["digit"] for note in notes]
    if len(set(digits)) < len(digits) or not set(digits) <= set(known):
        yield f"digit must be some of {', '.join(known)}, each once"
    for note in notes:
        if not 0 <= note.get("off_cm", 0) <= 6:
            yield "off_cm of a digit must be 0 to 6"
        if "field_cm" in note and not 1 <= min(note["field_cm"]) <= max(note["field_cm"]) <= 60:
            yield "field_cm of a digit must be two lengths of 1 to 60 cm"


def _levels(entry: Entry) -> Iterator[DoseLevel]:
    """The dose levels of an entry: those of its usual patient, then by weight."""
    usual = "the average child" if entry["ages"] and "adult" not in entry["ages"] else "the average adult"
    for level in sorted(entry["dose_levels"], key=lambda one: one.get("kg") or [-1]):
        kg = None if level.get("kg") is None else _pair(level["kg"])
        yield DoseLevel(
            quantity=level["quantity"],
            value=float(level["value"]),
            unit=DOSE_UNITS[level["quantity"]],
            kg=kg,
            of_whom=f"a child of {kg[0]:g} to {kg[1]:g} kg" if kg else usual,
            source=str(level.get("source") or (CHILD_SOURCE if kg else ADULT_SOURCE)),
            as_of=str(level.get("as_of", "")),
        )


def _built(entry: Entry) -> Projection:
    grid_over_cm = entry.get("grid_over_cm")
    return Projection(
        id=entry["id"],
        exam=entry["exam"],
        name=entry["name"],
        short=entry["short"] or re.split(r"[,(]", entry["name"])[0].strip(),
        region=entry["region"],
        shows=entry["shows"],
        also=tuple(entry["also"]),
        measure=entry["measure"],
        direction=entry["direction"],
        thickness_cm=_three(entry["thickness_cm"]),
        child=entry["child"],
        ages=tuple(entry["ages"]),
        sid_cm=float(entry["sid_cm"]),
        sid_choices=tuple(SidChoice(float(choice["cm"]), choice["why"]) for choice in entry["sid_choices"]),
        minimum_sid_cm=None if entry["minimum_sid_cm"] is None else float(entry["minimum_sid_cm"]),
        supports=tuple(entry["supports"]),
        detector_grid=bool(entry["detector_grid"]),
        grid_over_cm=None if grid_over_cm is None else float(grid_over_cm),
        kvp_window=_pair(entry["kvp"]),
        kvp_on=tuple((support, _pair(window)) for support, window in entry["kvp_on"].items()),
        aec_cells=entry["aec"],
        focal_spot=entry["spot"],
        posture=entry["posture"],
        lying=entry["lying"],
        beam=entry["beam"],
        angles=_ways(entry["angle"], entry["angle_school"]),
        turns=_ways(entry["turn"], entry["turn_school"]),
        central_ray=entry["central_ray"],
        receptor_cm=_pair(entry["receptor_cm"]),
        field_cm=_pair(entry["field_cm"]),
        collimate=entry["collimate"],
        position=entry["position"],
        receptor_square=bool(entry["receptor_square"]),
        exposures=int(entry["exposures"]),
        breathing=tuple(entry["breathing"]),
        time_ceiling_ms=float(entry["time_ceiling_ms"]),
        marker=entry["marker"],
        marker_note=entry["marker_note"],
        shields=tuple(entry["shield"]),
        structure_cm=float(entry["structure_cm"]),
        look_for=tuple(entry["look_for"]),
        faults=tuple((seen, change) for seen, change in entry["faults"]),
        variants=tuple(Variant(**variant) for variant in entry["variants"]),
        digits=tuple(
            DigitNote(**{**note, "field_cm": _pair(note["field_cm"]) if "field_cm" in note else None})
            for note in entry["digit"]
        ),
        composition=compositions()[entry["view"]],
        dose_levels=tuple(_levels(entry)),
        thick_end=None if entry["thick_end"] is None else str(entry["thick_end"]),
    )


def _ways(entries: list[Entry], first: str | None) -> tuple[Angulation, ...]:
    """The schools' ways, the department's first."""
    return tuple(Angulation(**way) for way in sorted(entries, key=lambda way: way["school"] != first))


def exams_of(entries: Iterable[Entry], projections: Mapping[str, Projection]) -> Mapping[str, Exam]:
    """Exam sets by id, in order. Raises CatalogueError."""
    found: dict[str, Exam] = {}
    for entry in entries:
        name = str(entry.get("id", "?"))
        if wrong := {"id", "name", "steps", "why"}.symmetric_difference(set(entry) - {"also", "age_band", "as_brought"}):
            raise CatalogueError(f"exam {name}: missing or unknown {', '.join(sorted(wrong))}")
        if name in found:
            raise CatalogueError(f"exam {name}: stands twice")
        also = entry.get("also", [])
        if not isinstance(also, list) or not all(isinstance(one, str) and one.strip() for one in also):
            raise CatalogueError(f"exam {name}: also is a list of names")
        exam = Exam(
            name,
            entry["name"],
            tuple(_step(name, step, entry.get("as_brought", False)) for step in entry["steps"]),
            entry["why"],
            tuple(also),
            entry.get("age_band"),
        )
        if exam.age_band not in (None, *get_args(AgeBand)):
            raise CatalogueError(f"exam {name}: age_band is one of {', '.join(get_args(AgeBand))}")
        for step in exam.steps:
            for missing in set(step.projections) - set(projections):
                raise CatalogueError(f"exam {name}: no projection '{missing}'")
        if not exam.projections:
            raise CatalogueError(f"exam {name}: needs a projection")
        found[name] = exam
    return found


def _step(exam: str, step: Entry, as_brought: bool) -> ExamStep:
    kinds = [key for key in ("p", "one_of", "clearance", "wait_min") if key in step]
    if len(kinds) != 1 or set(step) - {*kinds, "when", "note", "text", "asks", "side", "support", "cleared"}:
        raise CatalogueError(
            f"exam {exam}: a step is one of p, one_of, clearance or wait_min, with when, note, text, asks, side, support"
            " or cleared"
        )
    projections = (step["p"],) if "p" in step else tuple(step.get("one_of", ()))
    if "one_of" in step and len(projections) < 2:
        raise CatalogueError(f"exam {exam}: one_of needs two methods or more")
    if step.get("side", "") not in get_args(StepSide):
        raise CatalogueError(f"exam {exam}: side is one of {', '.join(filter(None, get_args(StepSide)))}")
    if step.get("support") not in (None, *SUPPORTS):
        raise CatalogueError(f"exam {exam}: support is one of {', '.join(SUPPORTS)}")
    wait = step.get("wait_min")
    if wait is not None and not 0 < wait <= 120:
        raise CatalogueError(f"exam {exam}: wait_min must be above 0, at most 120")
    return ExamStep(
        projections,
        step.get("clearance"),
        None if wait is None else float(wait),
        str(step.get("when", "")),
        str(step.get("note", step.get("text", ""))),
        str(step.get("asks", "")),
        step.get("side", ""),
        step.get("support"),
        # A step for which a clearance before it lets the patient be turned.
        bool(as_brought and projections and not step.get("cleared", False)),
    )


def _pair(values: Any) -> tuple[float, float]:
    first, second = values
    return float(first), float(second)


def _three(values: Any) -> tuple[float, float, float]:
    first, second, third = values
    return float(first), float(second), float(third)
