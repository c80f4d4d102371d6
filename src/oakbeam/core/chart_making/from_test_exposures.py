"""A whole chart from a few test exposures: the room's scale from what they showed, the lines from the physics model.

The model knows ratios; a few accepted exposures tie it to the room. What each exposure says is the logarithm of its index
over the one that the model calls for. That is taken as a sum of small unknowns, each with a prior: the room as a whole, a
slope with kVp and one with thickness (output, filtration), each receptor, each support with its grid, each region's
composition. Gaussian regression on the exposures gives every line its correction, its uncertainty, the share that each
exposure has in it, and which further exposure would shrink the uncertainty of the whole chart most.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from oakbeam.core.anatomy.composition import BONE_SPREAD, FAT_SPREAD, part_of
from oakbeam.core.chart_making.from_model import drafted_lines
from oakbeam.core.chart_making.systems import TechniqueSystem, in_system
from oakbeam.core.charts.line import KVP_RANGE, MAS_RANGE, THICKNESS_RANGE_CM, ChartLine
from oakbeam.core.charts.links import scaled
from oakbeam.core.charts.receptor_exposure import wanted_of
from oakbeam.core.equipment.room import Room
from oakbeam.core.equipment.room_beam import beam_setup, usual_field
from oakbeam.core.errors import Refusal, within
from oakbeam.core.patient.patient import CALIPER_SPREAD_CM
from oakbeam.core.physics.beam.model import Part, rqa5_equivalent_ugy
from oakbeam.core.physics.beam.tables import Array
from oakbeam.core.projection import Projection

FEWEST, MOST = 1, 12
SPREADS = {"room": 0.20, "kvp": 0.15, "thickness": 0.12, "receptor": 0.12, "support": 0.10, "region": 0.12}
"""Prior standard deviation, in the logarithm of the signal, of each unknown: what a room that nobody has measured may be
off by. kvp: for 40 kV; thickness: for 20 cm. Estimates."""
READING_SPREAD = 0.04
"""One standard deviation of an index read off one exposure: mAs delivered, index computed."""
LAYERS = {
    "soft": "soft tissue",
    "adipose": "fat",
    "muscle": "muscle",
    "bone": "bone",
    "lung": "lung",
    "aluminium": "aluminium",
}
SUGGESTED = 3
LN_PER_DI = math.log(10) / 10


@dataclass(frozen=True, slots=True)
class TestExposure:
    """One accepted exposure, or one of a phantom: conditions as a line has them, what was set, and the index shown.

    layers: (material, cm) of a phantom from the tube down; None for a patient, whose composition is only estimated.
    """

    __test__ = False  # not a test case, whatever its name

    projection: str
    receptor: str
    support: str
    grid_ratio: int
    sid_cm: float
    thickness_cm: float
    kvp: float
    mas: float
    ei: float
    field_cm: tuple[float, float] | None = None
    layers: tuple[tuple[str, float], ...] | None = None


@dataclass(frozen=True, slots=True)
class Reading:
    """A test exposure as the fit sees it: off_di, index over the model's before the fit; left_di, what the fit leaves."""

    exposure: TestExposure
    off_di: float
    left_di: float


@dataclass(frozen=True, slots=True)
class Draft:
    """A drafted line. correction_di: what the exposures moved the bare model by; spread_di: one standard deviation of the
    line itself (not of its patients); shares: of the test exposures in the correction, largest first; refusal: why the
    technique system could not be had, the levelled line standing in its place."""

    line: ChartLine
    correction_di: float
    spread_di: float
    shares: tuple[tuple[int, float], ...]
    refusal: str | None = None


@dataclass(frozen=True, slots=True)
class Suggestion:
    """A further test exposure: of which line, at what; the mean spread of all lines before it and after it."""

    line: ChartLine
    thickness_cm: float
    kvp: float
    mas: float
    mean_before_di: float
    mean_after_di: float


@dataclass(frozen=True, slots=True)
class Built:
    """A whole chart: its lines, what the exposures said, and what to expose next."""

    drafts: tuple[Draft, ...]
    readings: tuple[Reading, ...]
    suggestions: tuple[Suggestion, ...]
    left_out: tuple[str, ...]
    """Projections that the room cannot serve."""


def build(
    exposures: Sequence[TestExposure],
    room: Room,
    projections: Sequence[Projection],
    school: TechniqueSystem = "levelled",
    known: Sequence[Projection] = (),
    taught: bool = False,
) -> Built:
    """Draft lines for the projections from 1 to 12 test exposures in the room.

    known: the projections of the exposures, where they are not among those wanted. Raises Refusal with what is allowed for
    an exposure that cannot have been.
    """
    if not FEWEST <= len(exposures) <= MOST:
        raise Refusal(
            "Number of exposures",
            f"Give {FEWEST} to {MOST} test exposures; 3 to 6 are usual.",
            {"min": FEWEST, "max": MOST, "unit": ""},
            "exposures",
        )
    by_id = {one.id: one for one in (*projections, *known)}
    plain = list(drafted_lines(projections, room))
    served = {line.projection for line in plain}
    names = _Names(room, by_id, plain)
    seen = [_seen(exposure, room, by_id, at, names) for at, exposure in enumerate(exposures)]
    rows = np.array([names.row(line, line.thickness_cm, line.law.at(line.thickness_cm)[0]) for line in plain])
    fit = _Fit(names.spreads, np.array([one.row for one in seen]), np.array([one.noise for one in seen]))
    off = np.array([one.off for one in seen])
    drafts = []
    for line, row in zip(plain, rows, strict=True):
        weights = fit.weights(row)
        correction, spread = float(weights @ off), math.sqrt(fit.variance(row))
        tied, refused = replace(line, law=scaled(line.law, math.exp(-correction)), note=_note(line, spread)), None
        if school != "levelled":
            try:
                tied = in_system(tied, room, by_id[line.projection], school, taught)
            except Refusal as refusal:
                refused = refusal.detail
        shares = sorted(((at, float(w)) for at, w in enumerate(weights)), key=lambda one: -abs(one[1]))
        drafts.append(Draft(tied, correction / LN_PER_DI, spread / LN_PER_DI, tuple(shares), refused))
    readings = tuple(
        Reading(exposure, float(one.off) / LN_PER_DI, float(one.off - fit.weights(one.row) @ off) / LN_PER_DI)
        for exposure, one in zip(exposures, seen, strict=True)
    )
    suggestions = _suggestions(fit, rows, [draft.line for draft in drafts], by_id, room)
    return Built(tuple(drafts), readings, suggestions, tuple(one.id for one in projections if one.id not in served))


def _note(line: ChartLine, spread: float) -> str:
    """The uncertainty of a drafted line, kept with it."""
    return f"{line.note}; from test exposures, ±{spread / LN_PER_DI:.1f} DI"


class _Names:
    """The unknowns: one column each, with its prior spread, and the row of a set-up in them."""

    def __init__(self, room: Room, by_id: dict[str, Projection], lines: Iterable[ChartLine]) -> None:
        self.by_id = by_id
        grids = {(line.support, line.grid_ratio) for line in lines}
        grids |= {(one.id, one.grid.ratio if one.grid else 0) for one in room.supports}
        self.columns: list[tuple[str, object]] = [("room", 0), ("kvp", 0), ("thickness", 0)]
        self.columns += [("receptor", one.id) for one in room.receptors]
        self.columns += [("support", one) for one in sorted(grids)]
        self.columns += [("region", one) for one in sorted({projection.region for projection in by_id.values()})]
        self.at = {column: i for i, column in enumerate(self.columns)}
        self.spreads = np.array([SPREADS[kind] for kind, _ in self.columns])

    def row(self, line: ChartLine | TestExposure, thickness_cm: float, kvp: float, phantom: bool = False) -> Array:
        """What each unknown counts for in a set-up."""
        row = np.zeros(len(self.columns))
        row[0], row[1], row[2] = 1.0, (kvp - 80) / 40, (thickness_cm - 12) / 20
        for key in (("receptor", line.receptor), ("support", (line.support, line.grid_ratio))):
            if key in self.at:
                row[self.at[key]] = 1.0
        if not phantom:
            row[self.at["region", self.by_id[line.projection].region]] = 1.0
        return row


@dataclass(frozen=True, slots=True)
class _Seen:
    """A reading: ln of index over the model's, its row, and its variance."""

    off: float
    row: Array
    noise: float


class _Fit:
    """Gaussian regression with independent priors: covariance of the unknowns after readings of given rows and noise."""

    def __init__(self, spreads: Array, rows: Array, noise: Array) -> None:
        prior = np.diag(spreads**2)
        self.gain = prior @ rows.T @ np.linalg.inv(rows @ prior @ rows.T + np.diag(noise))
        self.covariance = prior - self.gain @ rows @ prior

    def weights(self, row: Array) -> Array:
        """How much of each reading goes into a set-up's correction."""
        return np.asarray(row @ self.gain)

    def variance(self, row: Array) -> float:
        """Variance of a set-up's correction."""
        return max(0.0, float(row @ self.covariance @ row))


def _seen(exposure: TestExposure, room: Room, by_id: dict[str, Projection], at: int, names: _Names) -> _Seen:
    where = f"exposures.{at}"
    within(f"{where}.thickness_cm", exposure.thickness_cm, *THICKNESS_RANGE_CM, "cm")
    within(f"{where}.kvp", exposure.kvp, *KVP_RANGE, "kVp")
    within(f"{where}.mas", exposure.mas, *MAS_RANGE, "mAs")
    within(f"{where}.ei", exposure.ei, 1, 50_000, "")
    projection = by_id.get(exposure.projection)
    if projection is None:
        raise Refusal("Unknown projection", f"'{exposure.projection[:60]}' is not in the catalogue.", None, where)
    receptor, support = room.receptor(exposure.receptor), room.support(exposure.support)
    if not receptor.digital:
        raise Refusal("No index on film", f"{receptor.name} gives no exposure index.", None, f"{where}.receptor")
    field = usual_field(exposure.field_cm, projection, receptor)
    setup = beam_setup(room, exposure.kvp, exposure.sid_cm, support, exposure.grid_ratio, receptor, field)
    parts = [_phantom(exposure.layers, where)] if exposure.layers else _patients(projection, exposure.thickness_cm)
    signals = np.concatenate([rqa5_equivalent_ugy(setup, part) for part in parts])
    called_for = 100 * receptor.ei_scale * exposure.mas * float(signals[0])
    patient = float(np.sum(np.log(signals[1:] / signals[0]) ** 2))
    row = names.row(exposure, exposure.thickness_cm, exposure.kvp, exposure.layers is not None)
    return _Seen(math.log(exposure.ei / called_for), row, READING_SPREAD**2 + patient)


def _patients(projection: Projection, thickness_cm: float) -> list[Part]:
    """The part as estimated, then with each thing that is not known of a patient moved by one standard deviation."""
    here, average = np.array([thickness_cm]), projection.thickness_cm[1]
    return [
        part_of(projection.composition, average, here),
        part_of(projection.composition, average, here, fat_shift=FAT_SPREAD),
        part_of(projection.composition, average, here, bone_scale=1 + BONE_SPREAD),
        part_of(projection.composition, average, here + CALIPER_SPREAD_CM),
    ]


def _phantom(layers: tuple[tuple[str, float], ...], where: str) -> Part:
    """A phantom of known layers as the model takes it."""
    for material, cm in layers:
        if material not in LAYERS:
            raise Refusal(
                "Unknown layer",
                f"'{material[:40]}' is no layer; one of: {', '.join(LAYERS)}.",
                list(LAYERS),
                f"{where}.layers",
            )
        within(f"{where}.layers", cm, 0.01, 45, "cm")
    thick = {name: sum(cm for material, cm in layers if material == name) for name in LAYERS}
    tissue = thick["soft"] + thick["adipose"] + thick["muscle"]
    whole = tissue + thick["bone"] + thick["lung"]
    if tissue <= 0:
        raise Refusal("No tissue", "A phantom needs a layer of soft tissue, fat or muscle.", list(LAYERS), f"{where}.layers")
    within(f"{where}.layers", whole, *THICKNESS_RANGE_CM, "cm")
    shares: dict[str, Array | float] = {name: thick[name] / tissue for name in ("soft", "adipose", "muscle") if thick[name]}
    overlay = (("aluminium", thick["aluminium"]),) if thick["aluminium"] else ()
    return Part(np.array([whole]), shares, 10 * thick["bone"], thick["lung"] / whole, overlay)


def _suggestions(
    fit: _Fit, rows: Array, lines: Sequence[ChartLine], by_id: dict[str, Projection], room: Room
) -> tuple[Suggestion, ...]:
    """The further exposures, one after the other, that shrink the mean spread of all lines most."""
    digital = {one.id for one in room.receptors if one.digital}
    noise = np.array([_expected_noise(line, by_id[line.projection], room) for line in lines])
    allowed = np.array([line.receptor in digital for line in lines])
    covariance, found = fit.covariance, []
    for _ in range(min(SUGGESTED, int(allowed.sum()))):
        across = rows @ covariance @ rows.T
        variance = np.diag(across)
        # What each candidate would take off the variance of every line, and what mean spread that would leave.
        after = variance[None, :] - across**2 / (variance + noise)[:, None]
        mean_after = np.sqrt(np.maximum(after, 0)).mean(axis=1) / LN_PER_DI
        mean_after[~allowed] = np.inf
        best = int(np.argmin(mean_after))
        line = lines[best]
        kvp, mas = line.law.at(line.thickness_cm)
        before = float(np.sqrt(np.maximum(variance, 0)).mean()) / LN_PER_DI
        found.append(Suggestion(line, line.thickness_cm, kvp, mas, before, float(mean_after[best])))
        seen = covariance @ rows[best]
        covariance = covariance - np.outer(seen, seen) / (variance[best] + noise[best])
        allowed[best] = False
    return tuple(found)


def _expected_noise(line: ChartLine, projection: Projection, room: Room) -> float:
    """Variance of a reading that is yet to be made on a patient of the line's own thickness."""
    receptor, kvp = room.receptor(line.receptor), line.law.at(line.thickness_cm)[0]
    field = usual_field(line.field_cm, projection, receptor)
    setup = beam_setup(room, kvp, line.sid_cm, room.support(line.support), line.grid_ratio, receptor, field)
    parts = _patients(projection, line.thickness_cm)
    signals = np.concatenate([rqa5_equivalent_ugy(setup, part) for part in parts])
    return READING_SPREAD**2 + float(np.sum(np.log(signals[1:] / signals[0]) ** 2))


def expected_ei(exposure: TestExposure, room: Room, projection: Projection, part: Part) -> float:
    """The index [1] that the model expects of an exposure of a part in a room: what a simulated room shows."""
    receptor, support = room.receptor(exposure.receptor), room.support(exposure.support)
    field = usual_field(exposure.field_cm, projection, receptor)
    setup = beam_setup(room, exposure.kvp, exposure.sid_cm, support, exposure.grid_ratio, receptor, field)
    return 100 * receptor.ei_scale * exposure.mas * float(rqa5_equivalent_ugy(setup, part)[0])


def target_index(line: ChartLine, room: Room, projection: Projection) -> float:
    """The index [1] that a digital line aims at."""
    receptor = room.receptor(line.receptor)
    return 100 * receptor.ei_scale * wanted_of(line, room, projection)
