"""A whole chart from some test exposures: the room's scale from what they showed, the lines from the physics model.

The model knows ratios; accepted exposures tie it to the room. What each says is the logarithm of its index over the one
that the model calls for. That is taken as a sum of unknowns, each with a prior: the room as a whole, a slope with kVp and
one with thickness (output, filtration), each receptor, each support with its grid, and what is not known of the mean body:
bone, fat and lung of each view, in part shared by the views of one site. Gaussian regression gives every line its
correction, its uncertainty, the share that each exposure has in it, and which further exposure would shrink the uncertainty
of the whole chart most. A row that does not go with the others is found, named and left out; misfit of the rest widens every
spread.
"""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from oakbeam.core.anatomy.composition import Composition, PatientPart, beam_and_spread, signal_per_mas
from oakbeam.core.chart_making.from_model import drafted_lines
from oakbeam.core.chart_making.systems import TechniqueSystem, in_system
from oakbeam.core.charts.line import KVP_RANGE, MAS_RANGE, THICKNESS_RANGE_CM, ChartLine
from oakbeam.core.charts.links import scaled
from oakbeam.core.charts.receptor_exposure import wanted_of
from oakbeam.core.equipment.room import Room
from oakbeam.core.equipment.room_beam import beam_setup, usual_field
from oakbeam.core.equipment.settings import nearest_generator_setting
from oakbeam.core.errors import Refusal, within
from oakbeam.core.image_review import EI_RANGE, LEAST_INDEX, MOST_INDEX_OF_TARGET
from oakbeam.core.patient.patient import CALIPER_SPREAD_CM
from oakbeam.core.patient.thickness import BELIEVED
from oakbeam.core.physics.beam.model import BeamSetup, Part, rqa5_equivalent_ugy
from oakbeam.core.physics.beam.tables import Array
from oakbeam.core.projection import Projection

FEWEST, MOST = 1, 250
SPREADS = {"room": 0.20, "kvp": 0.07, "thickness": 0.05, "receptor": 0.08, "support": 0.05}
"""Prior standard deviation, in the logarithm of the signal, of each unknown: what a room that nobody has measured may be
off by. kvp: for 40 kV; thickness: for 20 cm. Rooms drawn by usual tolerances (output 15 %, filtration 0.6 mm Al, kilovoltage
2 %, a grid's lead 10 %, covers 30 %, tops 20 %) show 0.19, 0.05, 0.04, 0.06 and 0.03; the rest is reserve for what such
tolerances leave out. Estimates."""
READING_SPREAD = 0.04
"""One standard deviation of an index read off one exposure: mAs delivered, index computed."""
ANATOMY = ("fat", "bone", "lung")
SHARED = 0.3
"""How much of what is not known of a view's mean body (as variance) it shares with the other views of its site."""
PRIOR_COUNT = 6
"""The readings that the stated spreads themselves are worth, before misfit widens them."""
MOST_DI = 10.0
"""A number up to this typed for an exposure index is likelier a deviation index."""
MISFIT = 2.7
"""A row this many standard deviations from what the others call for is left out and named: one that is wrong by ×3 is then
found in 96 to 99 of a hundred rooms, and less than one in a hundred good rows is blamed (`tools/hidden_room.py`)."""
Trust = Literal["supported", "model"]
"""What stands behind a drafted line: exposures of the same part of the body, or the physics model alone."""
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
    trust: Trust
    refusal: str | None = None


@dataclass(frozen=True, slots=True)
class Suggestion:
    """A further test exposure: of which line, at what; the mean spread of all lines before it and after it, and the share of
    images within ±1 DI to expect after it, each line counted as often as it is used."""

    line: ChartLine
    thickness_cm: float
    kvp: float
    mas: float
    mean_before_di: float
    mean_after_di: float
    share_after: float


@dataclass(frozen=True, slots=True)
class ExpectedShare:
    """After so many test exposures, the share of images within ±1 DI to expect over the lines as they are used."""

    exposures: int
    share: float


@dataclass(frozen=True, slots=True)
class Suspect:
    """An exposure that the chart is not built on, counted from 0, and why.

    index_of_di: the number typed is likelier a deviation index, and this is the exposure index that goes with it.
    """

    exposure: int
    why: str
    index_of_di: float | None = None


@dataclass(frozen=True, slots=True)
class Built:
    """A whole chart: its lines, what the exposures said, and what to expose next."""

    drafts: tuple[Draft, ...]
    readings: tuple[Reading, ...]
    suggestions: tuple[Suggestion, ...]
    left_out: tuple[str, ...]
    """Projections that the room cannot serve."""
    suspects: tuple[Suspect, ...] = ()
    curve: tuple[ExpectedShare, ...] = ()
    """Without any exposure, with the first, two, four … of those believed, and with the suggested ones, one by one."""


def build(
    exposures: Sequence[TestExposure],
    room: Room,
    projections: Sequence[Projection],
    school: TechniqueSystem = "levelled",
    known: Sequence[Projection] = (),
    taught: bool = False,
    used: Mapping[str, float] | None = None,
) -> Built:
    """Draft lines for the projections from 1 to 250 test exposures in the room.

    known: the projections of the exposures, where they are not among those wanted. used: how often the room uses each
    projection, for what to expose next; every one alike where nothing is said. Raises Refusal with what is allowed for
    an exposure that cannot have been, and where none of them can be believed.
    """
    if not FEWEST <= len(exposures) <= MOST:
        raise Refusal(
            "Number of exposures",
            f"Give {FEWEST} to {MOST} test exposures; four tell of a room, one a projection of its chart.",
            {"min": FEWEST, "max": MOST, "unit": ""},
            "exposures",
        )
    by_id = {one.id: one for one in (*projections, *known)}
    plain = list(drafted_lines(projections, room))
    served = {line.projection for line in plain}
    names = _Names(room, by_id, plain)
    seen = [_seen(exposure, room, by_id, at, names) for at, exposure in enumerate(exposures)]
    suspects = _repeated(exposures) | _implausible(exposures, room, by_id)
    suspects |= _misfits(seen, [at for at in range(len(seen)) if at not in suspects], names.spreads)
    believed = [at for at in range(len(seen)) if at not in suspects]
    if not believed:
        raise Refusal(
            "No exposure to build on",
            " ".join(f"Exposure {at + 1}: {why}" for at, why in sorted(suspects.items())),
            None,
            "exposures",
        )
    fit = _Fit(names.spreads, [seen[at] for at in believed])
    off = np.array([seen[at].off for at in believed])
    rows = np.array([_row(line, room, by_id[line.projection], names) for line in plain])
    supported = {by_id[exposures[at].projection].composition.site for at in believed if not exposures[at].layers}
    drafts = []
    for line, row in zip(plain, rows, strict=True):
        weights = fit.weights(row)
        correction, spread = float(weights @ off), math.sqrt(fit.variance(row))
        trust: Trust = "supported" if by_id[line.projection].composition.site in supported else "model"
        tied = replace(
            line,
            law=scaled(line.law, math.exp(-correction)),
            note=_note(line, spread),
            origin="tests" if trust == "supported" else "model",
            origin_spread_di=round(spread / LN_PER_DI, 3),
        )
        refused = None
        if school != "levelled":
            try:
                tied = in_system(tied, room, by_id[line.projection], school, taught)
            except Refusal as refusal:
                refused = refusal.detail
        shares = sorted(((believed[at], float(w)) for at, w in enumerate(weights)), key=lambda one: -abs(one[1]))
        drafts.append(Draft(tied, correction / LN_PER_DI, spread / LN_PER_DI, tuple(shares), trust, refused))
    readings = tuple(
        Reading(exposure, float(one.off) / LN_PER_DI, float(one.off - fit.weights(one.row) @ off) / LN_PER_DI)
        for exposure, one in zip(exposures, seen, strict=True)
    )
    by_use = _weights([draft.line for draft in drafts], used or {})
    suggestions = _suggestions(fit, rows, [draft.line for draft in drafts], by_id, room, by_use)
    noise = np.array([_expected_noise(draft.line, by_id[draft.line.projection], room) for draft in drafts])
    curve = []
    for count in sorted({0, *(2**k for k in range(9) if 2**k < len(believed)), len(believed)}):
        variance = _variances(rows, _Fit(names.spreads, [seen[at] for at in believed[:count]]).covariance)
        curve.append(ExpectedShare(count, _within(variance, noise, by_use)))
    curve += [ExpectedShare(len(believed) + i, one.share_after) for i, one in enumerate(suggestions, 1)]
    left_out = tuple(one.id for one in projections if one.id not in served)
    named = tuple(Suspect(at, why, _index_of_di(exposures[at], room, by_id)) for at, why in sorted(suspects.items()))
    return Built(tuple(drafts), readings, suggestions, left_out, named, tuple(curve))


def _weights(lines: Sequence[ChartLine], used: Mapping[str, float]) -> Array:
    """How much each line counts: by the use of its projection, with one use more, so that none counts for nothing."""
    found = np.array([1.0 + used.get(line.projection, 0.0) for line in lines])
    return np.asarray(found / found.sum())


def _variances(rows: Array, covariance: Array) -> Array:
    return np.asarray(np.einsum("ij,jk,ik->i", rows, covariance, rows))


def _within(variance: Array, noise: Array, weights: Array) -> float:
    """Share of images within ±1 DI: of each line what a normal distribution about the target leaves there, by their use."""
    sigma_di = np.sqrt(np.maximum(variance, 0) + noise) / LN_PER_DI
    return float(weights @ _central_share(1 / sigma_di))


def _central_share(z: Array) -> Array:
    """Share of a normal distribution within ±z standard deviations."""
    return np.array([math.erf(one / math.sqrt(2)) for one in z])


def _note(line: ChartLine, spread: float) -> str:
    """The uncertainty of a drafted line, kept with it."""
    return f"{line.note}; from test exposures, ±{spread / LN_PER_DI:.1f} DI"


class _Names:
    """The unknowns: one column each, with its prior spread, and the row of a set-up in them."""

    def __init__(self, room: Room, by_id: dict[str, Projection], lines: Iterable[ChartLine]) -> None:
        grids = {(line.support, line.grid_ratio) for line in lines}
        grids |= {(one.id, one.grid.ratio if one.grid else 0) for one in room.supports}
        columns: list[tuple[str, object]] = [("room", 0), ("kvp", 0), ("thickness", 0)]
        columns += [("receptor", one.id) for one in room.receptors]
        columns += [("support", one) for one in sorted(grids)]
        compositions = {projection.composition for projection in by_id.values()}
        for kind in ANATOMY:
            columns += [(kind, site) for site in sorted({one.site for one in compositions})]
            columns += [(kind, ("view", view)) for view in sorted({one.view for one in compositions})]
        self.at = {column: i for i, column in enumerate(columns)}
        # What is not known of a body is counted in its own standard deviations: its size is in the rows.
        self.spreads = np.array([SPREADS.get(kind, 1.0) for kind, _ in columns])

    def row(
        self,
        line: ChartLine | TestExposure,
        thickness_cm: float,
        kvp: float,
        composition: Composition | None,
        unsure: dict[str, float],
    ) -> Array:
        """What each unknown counts for in a set-up. composition None: a phantom, of which all is known."""
        row = np.zeros(len(self.at))
        row[0], row[1], row[2] = 1.0, (kvp - 80) / 40, (thickness_cm - 12) / 20
        for key in (("receptor", line.receptor), ("support", (line.support, line.grid_ratio))):
            if key in self.at:
                row[self.at[key]] = 1.0
        for kind, size in unsure.items():
            assert composition is not None
            row[self.at[kind, composition.site]] = size * math.sqrt(SHARED)
            row[self.at[kind, ("view", composition.view)]] = size * math.sqrt(1 - SHARED)
        return row


@dataclass(frozen=True, slots=True)
class _Seen:
    """A reading: ln of index over the model's, its row, and its variance."""

    off: float
    row: Array
    noise: float


class _Fit:
    """Gaussian regression with independent priors: covariance of the unknowns after some readings.

    Where the readings scatter more than they should the covariance is widened by as much; never narrowed.
    """

    def __init__(self, spreads: Array, seen: Sequence[_Seen]) -> None:
        prior = np.diag(spreads**2)
        if not seen:
            self.gain, self.covariance = np.zeros((len(spreads), 0)), prior
            return
        rows, noise = np.array([one.row for one in seen]), np.array([one.noise for one in seen])
        off = np.array([one.off for one in seen])
        expected = rows @ prior @ rows.T + np.diag(noise)
        self.gain = np.linalg.solve(expected, rows @ prior).T
        misfit = float(off @ np.linalg.solve(expected, off))
        widened = max(1.0, (PRIOR_COUNT + misfit) / (PRIOR_COUNT + len(seen)))
        self.covariance = widened * (prior - self.gain @ rows @ prior)

    def weights(self, row: Array) -> Array:
        """How much of each reading goes into a set-up's correction."""
        return np.asarray(row @ self.gain)

    def variance(self, row: Array) -> float:
        """Variance of a set-up's correction."""
        return max(0.0, float(row @ self.covariance @ row))


def _repeated(exposures: Sequence[TestExposure]) -> dict[int, str]:
    """Rows that stand there twice: one reading, however often it is written down."""
    first: dict[TestExposure, int] = {}
    found = {}
    for at, exposure in enumerate(exposures):
        if exposure in first:
            found[at] = f"the same as exposure {first[exposure] + 1}: it counts once."
        first.setdefault(exposure, at)
    return found


def _implausible(exposures: Sequence[TestExposure], room: Room, by_id: dict[str, Projection]) -> dict[int, str]:
    """Rows whose numbers are not those of an accepted image: a slip of the pen is likelier."""
    found = {}
    for at, one in enumerate(exposures):
        projection = by_id[one.projection]
        target = room.receptor(one.receptor).target_for(projection.region) or 250.0
        low, high = LEAST_INDEX, MOST_INDEX_OF_TARGET * target
        small, _, large = projection.thickness_cm
        if not low <= one.ei <= high:
            found[at] = f"an index of {one.ei:g} is not that of an accepted image here ({low:g} to {high:g}): read it again."
        elif not room.generator.mas[0] <= one.mas <= room.generator.mas[-1]:
            stations = f"{room.generator.mas[0]:g} to {room.generator.mas[-1]:g}"
            found[at] = f"{one.mas:g} mAs is none that the room can set ({stations})."
        elif not one.layers and not BELIEVED[0] * small <= one.thickness_cm <= BELIEVED[1] * large:
            found[at] = f"{one.thickness_cm:g} cm is far from the usual {small:g} to {large:g} cm: measure again."
    return found


def _index_of_di(one: TestExposure, room: Room, by_id: dict[str, Projection]) -> float | None:
    """The exposure index that goes with what was typed for one, where that is as small as a deviation index."""
    target = room.receptor(one.receptor).target_for(by_id[one.projection].region)
    return round(target * 10 ** (one.ei / 10)) if target and one.ei <= MOST_DI else None


def _misfits(seen: Sequence[_Seen], among: list[int], spreads: Array) -> dict[int, str]:
    """Rows that do not go with the others: the worst is left out, the rest looked at again, at most a third of them.

    Each is held against what the others (and the prior) call for, in standard deviations of that and of its own patient.
    """
    found: dict[int, str] = {}
    left = list(among)
    while len(left) > 1 and len(found) < max(1, len(among) // 3):
        rows, off = np.array([seen[at].row for at in left]), np.array([seen[at].off for at in left])
        expected = rows * spreads**2 @ rows.T + np.diag([seen[at].noise for at in left])
        inverse = np.linalg.inv(expected)
        # Left-one-out residual and its variance, in closed form.
        residual, variance = (inverse @ off) / np.diag(inverse), 1 / np.diag(inverse)
        far = np.abs(residual) / np.sqrt(variance)
        worst = int(np.argmax(far))
        if far[worst] < MISFIT:
            break
        at = left.pop(worst)
        times = math.exp(residual[worst])
        said = f"×{times:.2g}" if times > 1 else f"÷{1 / times:.2g}"
        found[at] = f"its index is {said} what the other exposures call for; the chart is built without it."
    return found


def _seen(exposure: TestExposure, room: Room, by_id: dict[str, Projection], at: int, names: _Names) -> _Seen:
    where = f"exposures.{at}"
    within(f"{where}.thickness_cm", exposure.thickness_cm, *THICKNESS_RANGE_CM, "cm")
    within(f"{where}.kvp", exposure.kvp, *KVP_RANGE, "kVp")
    within(f"{where}.mas", exposure.mas, *MAS_RANGE, "mAs")
    within(f"{where}.ei", exposure.ei, *EI_RANGE, "")
    projection = by_id.get(exposure.projection)
    if projection is None:
        raise Refusal("Unknown projection", f"'{exposure.projection[:60]}' is not in the catalogue.", None, where)
    receptor, support = room.receptor(exposure.receptor), room.support(exposure.support)
    if not receptor.digital:
        raise Refusal("No index on film", f"{receptor.name} gives no exposure index.", None, f"{where}.receptor")
    field = usual_field(exposure.field_cm, projection, receptor)
    setup = beam_setup(room, exposure.kvp, exposure.sid_cm, support, exposure.grid_ratio, receptor, field)
    unsure: dict[str, float] = {}
    if exposure.layers:
        signal = float(rqa5_equivalent_ugy(setup, _phantom(exposure.layers, where))[0])
        noise, composition = 0.0, None
    else:
        composition = projection.composition
        signal, noise, unsure = _patient(setup, projection, exposure.thickness_cm)
    row = names.row(exposure, exposure.thickness_cm, exposure.kvp, composition, unsure)
    off = math.log(exposure.ei / (100 * receptor.ei_scale * exposure.mas * signal))
    return _Seen(off, row, READING_SPREAD**2 + noise)


def _row(line: ChartLine, room: Room, projection: Projection, names: _Names) -> Array:
    """What each unknown counts for in a drafted line at its own thickness."""
    kvp, _ = line.law.at(line.thickness_cm)
    _, _, unsure = _patient(_setup(line, room, projection), projection, line.thickness_cm)
    return names.row(line, line.thickness_cm, kvp, projection.composition, unsure)


def _setup(line: ChartLine, room: Room, projection: Projection) -> BeamSetup:
    receptor, kvp = room.receptor(line.receptor), line.law.at(line.thickness_cm)[0]
    field = usual_field(line.field_cm, projection, receptor)
    added = room.filter(line.filter)
    return beam_setup(room, kvp, line.sid_cm, room.support(line.support), line.grid_ratio, receptor, field, added=added)


def _patient(setup: BeamSetup, projection: Projection, thickness_cm: float) -> tuple[float, float, dict[str, float]]:
    """The signal [µGy/mAs] of the part as estimated; the variance of its logarithm between patients of that reading; and by
    how much (ln) it moves for one standard deviation of what is not known of the mean body: fat, bone, lung."""
    average = projection.thickness_cm[1]
    patient = PatientPart(projection.composition, average, thickness_cm, None, (), CALIPER_SPREAD_CM)
    _, spread_di, unsure_di = beam_and_spread(setup, patient)
    unsure = {kind: di * LN_PER_DI for kind, di in unsure_di.items()}
    return signal_per_mas(setup, patient), (spread_di * LN_PER_DI) ** 2, unsure


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
    fit: _Fit, rows: Array, lines: Sequence[ChartLine], by_id: dict[str, Projection], room: Room, weights: Array
) -> tuple[Suggestion, ...]:
    """The further exposures, one after the other, that shrink the spread of the lines most, each by its use: on settings of
    the room, and never of a child, who is not exposed for a chart's sake."""
    digital = {one.id for one in room.receptors if one.digital}
    noise = np.array([_expected_noise(line, by_id[line.projection], room) for line in lines])
    allowed = np.array([line.receptor in digital and _of_an_adult(line, by_id[line.projection]) for line in lines])
    covariance, found = fit.covariance, []
    for _ in range(min(SUGGESTED, int(allowed.sum()))):
        across = rows @ covariance @ rows.T
        variance = np.diag(across)
        # What each candidate would take off the variance of every line, and what mean spread that would leave.
        after = variance[None, :] - across**2 / (variance + noise)[:, None]
        spread_after = np.sqrt(np.maximum(after, 0)) / LN_PER_DI
        left = spread_after @ weights
        left[~allowed] = np.inf
        best = int(np.argmin(left))
        line = lines[best]
        on = nearest_generator_setting(room, by_id[line.projection], *line.law.at(line.thickness_cm))
        before = float(np.sqrt(np.maximum(variance, 0)).mean()) / LN_PER_DI
        share, mean_after = _within(after[best], noise, weights), float(spread_after[best].mean())
        found.append(Suggestion(line, line.thickness_cm, on.kvp, on.mas, before, mean_after, share))
        seen = covariance @ rows[best]
        covariance = covariance - np.outer(seen, seen) / (variance[best] + noise[best])
        allowed[best] = False
    return tuple(found)


def _of_an_adult(line: ChartLine, projection: Projection) -> bool:
    return projection.child != "own" and line.thickness_cm >= projection.thickness_cm[0]


def _expected_noise(line: ChartLine, projection: Projection, room: Room) -> float:
    """Variance of a reading that is yet to be made on a patient of the line's own thickness."""
    return READING_SPREAD**2 + _patient(_setup(line, room, projection), projection, line.thickness_cm)[1]


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
