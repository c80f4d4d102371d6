"""A room's set-up and a patient's part as the beam model takes them, and the ratios the ladder asks of it."""

from __future__ import annotations

from copy import copy
from dataclasses import dataclass, field
from functools import lru_cache

import numpy as np

from oakbeam.core import geometry, rules
from oakbeam.core.beam.model import KVP_RANGE, Beam, BeamSetup, Part, evaluate, rqa5_equivalent_ugy
from oakbeam.core.beam.spectrum import beam_quality
from oakbeam.core.beam.tables import Array
from oakbeam.core.chart import ChartLine
from oakbeam.core.patient import CALIPER_SPREAD_CM, Habitus
from oakbeam.core.projection import Composition, Projection
from oakbeam.core.refusal import Refusal
from oakbeam.core.room import Grid, Receptor, Room, Support

HABITUS_FAT = {"asthenic": -0.12, "hyposthenic": -0.06, "sthenic": 0.0, "hypersthenic": 0.12, None: 0.0}
"""What the build adds to the share of fat at a measured thickness."""
FAT_RANGE = (0.03, 0.85)
FAT_SPREAD = 0.15
"""One standard deviation of the share of fat between patients of the same build and thickness."""
BONE_SPREAD = 0.20
"""One standard deviation of the bone on the ray, relative: age, sex, stature."""
BONE_GROWTH = 0.3
"""Bone on the ray grows as the thickness to this power: a thicker adult is mostly softer, not bonier."""
MOST_GRID_LOSS = 0.95
"""No more of the primary than this counts as lost: between the strips some always passes."""
STANDARD_STRIPS = {5: 30.0, 6: 36.0, 8: 40.0, 10: 40.0, 12: 40.0, 16: 44.0}
"""Lines per cm taken for a ratio that the room has no grid of."""


def part_of(
    composition: Composition,
    average_cm: float,
    thickness_cm: Array,
    habitus: Habitus | None = None,
    overlay: tuple[tuple[str, float], ...] = (),
    fat_shift: Array | float = 0.0,
    bone_scale: Array | float = 1.0,
) -> Part:
    """What is in the beam for thicknesses of a part: the catalogue's composition, moved by build and thickness.

    thickness_cm (n). The thickness above (below) average_cm, the average adult's, is fat gained (lost) by extra_fat.
    fat_shift and bone_scale move the estimate, to see what its uncertainty does.
    """
    fat_cm = composition.fat * average_cm + composition.extra_fat * (thickness_cm - average_cm)
    fat = np.clip(fat_cm / thickness_cm + HABITUS_FAT[habitus] + fat_shift, *FAT_RANGE)
    bone = bone_scale * composition.bone_mm * (thickness_cm / average_cm) ** BONE_GROWTH
    most = 6 * thickness_cm * (1 - composition.lung_fraction)
    return Part(thickness_cm, {"soft": 1 - fat, "adipose": fat}, np.minimum(bone, most), composition.lung_fraction, overlay)


def usual_grid(ratio: int, sid_cm: float) -> Grid | None:
    """A grid of a ratio as usually built, focused where it is used: for a ratio that the room does not list."""
    return Grid(ratio, STANDARD_STRIPS[ratio], sid_cm, (sid_cm, sid_cm)) if ratio else None


def beam_setup(
    room: Room,
    kvp: float,
    sid_cm: float,
    support: Support,
    grid_ratio: int,
    receptor: Receptor,
    field_cm: tuple[float, float],
    gap_cm: float | None = None,
    grid_offset_cm: float = 0.0,
    grid_tilt_deg: float = 0.0,
    scale: float | None = None,
) -> BeamSetup:
    """The room's tube, support, grid and receptor as the model takes them. gap_cm None: the support's own; scale: the output
    scale at this kVp where it is known already."""
    grid = room.grid(support, grid_ratio) or usual_grid(grid_ratio, sid_cm)
    loss = 0.0
    if grid:
        loss = geometry.grid_loss(grid.ratio, min(field_cm), grid.focal_cm, sid_cm, grid_offset_cm, grid_tilt_deg)
    return BeamSetup(
        kvp=kvp,
        sid_cm=sid_cm,
        field_cm=field_cm,
        filtration_mm_al=room.tube.filtration_mm_al,
        filtration_mm_cu=room.tube.filtration_mm_cu,
        anode_angle_deg=room.tube.anode_angle_deg,
        gap_cm=support.gap_cm if gap_cm is None else gap_cm,
        support_mm_al=support.attenuation_mm_al,
        grid=grid.strips if grid else None,
        receptor=receptor.kind,
        output_scale=output_scale(room, kvp) if scale is None else scale,
        primary_loss=min(loss, MOST_GRID_LOSS),
    )


def output_scale(room: Room, kvp: float) -> float:
    """The room's measured output over the model's at a kVp; beyond the measured kVp the scale of the nearest end."""
    inside = min(max(kvp, room.outputs[0].kvp), room.outputs[-1].kvp)
    tube = room.tube
    k100, _ = beam_quality(inside, tube.filtration_mm_al, tube.filtration_mm_cu, tube.anode_angle_deg)
    return room.output_ugy_per_mas(inside) / k100


def wanted_rqa5_ugy(receptor: Receptor, target_ei: float | None) -> float:
    """RQA5-equivalent kerma [µGy] that a receptor wants: target index / 100 over its scale, or 1000 / speed for film."""
    if not receptor.digital:
        return 1000 / receptor.speed_class()
    wanted = target_ei or receptor.target_ei
    if wanted is None:
        raise Refusal("No target index", f"{receptor.name} has no target exposure index.", None, "target_ei")
    return wanted / 100 / receptor.ei_scale


def wanted_of(line: ChartLine, room: Room, projection: Projection) -> float:
    """RQA5-equivalent kerma [µGy] that a chart line aims at: by its own target index, else its receptor's for the region."""
    receptor = room.receptor(line.receptor)
    return wanted_rqa5_ugy(receptor, line.target_ei or receptor.target_for(projection.region))


def skin_kerma_mgy(line: ChartLine, room: Room, thickness_cm: float, kvp: float, mas: float) -> float:
    """Incident air kerma [mGy] at the skin at a line's distance, by the room's measured output and the inverse square law.

    Raises OutOfRange where the output was not measured or the skin lies too near."""
    ssd_cm = geometry.source_to_skin_cm(line.sid_cm, thickness_cm, room.support(line.support).gap_cm)
    return rules.inverse_square(room.output_ugy_per_mas(kvp) * mas, 100, ssd_cm) / 1000


def usual_field(line_field: tuple[float, float] | None, projection: Projection, receptor: Receptor) -> tuple[float, float]:
    """The field [cm] at the receptor that is usual: the line's, else the projection's, no larger than the receptor."""
    return within_receptor(line_field or projection.field_cm, receptor)


def within_receptor(field_cm: tuple[float, float], receptor: Receptor) -> tuple[float, float]:
    """A field no larger than a receptor, which may be turned to take it."""
    short, long = (min(a, b) for a, b in zip(sorted(field_cm), sorted(receptor.size_cm), strict=True))
    return (short, long) if field_cm[0] <= field_cm[1] else (long, short)


@dataclass(frozen=True, slots=True)
class PatientPart:
    """One patient's part: what `part_of` makes a Part of."""

    composition: Composition
    average_cm: float
    thickness_cm: float
    habitus: Habitus | None
    overlay: tuple[tuple[str, float], ...]
    thickness_spread_cm: float = CALIPER_SPREAD_CM


@dataclass
class ModelPath:
    """The model's side of the ladder: where the set-up stands now, and what each change does to the mAs needed.

    `move` changes some of it and gives the mAs factor that keeps the image density, receptor targets counted in.
    """

    room: Room
    projection: Projection
    thickness_cm: float
    kvp: float
    sid_cm: float
    support: Support
    grid_ratio: int
    receptor: Receptor
    target_ei: float | None
    field_cm: tuple[float, float]
    gap_cm: float | None = None
    grid_offset_cm: float = 0.0
    grid_tilt_deg: float = 0.0
    habitus: Habitus | None = None
    overlay: tuple[tuple[str, float], ...] = ()
    thickness_spread_cm: float = CALIPER_SPREAD_CM
    wanted_mas: float | None = None
    """What `mas_on_target` last said for this state; None where it has not been asked."""
    scales: dict[float, float] = field(default_factory=dict)
    """Output scales by kVp, found once for all trials in the room."""

    @classmethod
    def along(cls, line: ChartLine, room: Room, projection: Projection, habitus: Habitus | None) -> ModelPath:
        """At the conditions of a chart line."""
        receptor = room.receptor(line.receptor)
        kvp, _ = line.law.at(line.thickness_cm)
        return cls(
            room,
            projection,
            line.thickness_cm,
            kvp,
            line.sid_cm,
            room.support(line.support),
            line.grid_ratio,
            receptor,
            line.target_ei or receptor.target_for(projection.region),
            usual_field(line.field_cm, projection, receptor),
            habitus=habitus,
        )

    def beam(self) -> tuple[Beam, float]:
        """The beam where the set-up stands now (its first entry), and its spread: see `beam_and_spread`."""
        return beam_and_spread(self.setup(), self._patient(self.thickness_spread_cm))

    def _patient(self, spread_cm: float = CALIPER_SPREAD_CM) -> PatientPart:
        average_cm = self.projection.thickness_cm[1]
        return PatientPart(self.projection.composition, average_cm, self.thickness_cm, self.habitus, self.overlay, spread_cm)

    def setup(self) -> BeamSetup:
        """The set-up as the model takes it."""
        scale = self.scales.get(self.kvp)
        if scale is None:
            scale = self.scales[self.kvp] = output_scale(self.room, self.kvp)
        return beam_setup(
            self.room,
            self.kvp,
            self.sid_cm,
            self.support,
            self.grid_ratio,
            self.receptor,
            self.field_cm,
            self.gap_cm,
            self.grid_offset_cm,
            self.grid_tilt_deg,
            scale,
        )

    def grid_loss(self) -> float:
        """Share of the primary that the grid, as it stands now, takes away beyond what it should."""
        return self.setup().primary_loss

    def mas_on_target(self) -> float:
        """mAs that gives the receptor what it wants, by the model alone."""
        return wanted_rqa5_ugy(self.receptor, self.target_ei) / _signal(self.setup(), self._patient())

    def trial(self, **changes: object) -> ModelPath:
        """The set-up with some of it changed; this one stays where it is."""
        other = copy(self)
        for name, value in changes.items():
            setattr(other, name, value)
        if changes:
            other.wanted_mas = None
        return other

    def move(self, **changes: object) -> float | None:
        """Change the set-up and give the mAs factor of the change; None where the model has no answer before or after it."""
        before = self._wanted()
        for name, value in changes.items():
            setattr(self, name, value)
        self.wanted_mas = None
        after = self._wanted()
        return None if before is None or after is None else after / before

    def kvp_for(self, factor: float) -> float | None:
        """The kVp at which `factor` times the mAs gives the same exposure, to 0.01 kV; None where there is none."""
        low, high = KVP_RANGE

        def needed(kvp: float) -> float | None:
            return self.trial().move(kvp=kvp)

        least, most = needed(high), needed(low)
        if least is None or most is None or not least <= factor <= most:
            return None
        while high - low > 0.01:
            middle = (low + high) / 2
            at = needed(middle)
            if at is None:
                return None
            low, high = (middle, high) if at > factor else (low, middle)
        return (low + high) / 2

    def _wanted(self) -> float | None:
        if self.wanted_mas is None:
            try:
                self.wanted_mas = self.mas_on_target()
            except Refusal:
                return None
        return self.wanted_mas


@lru_cache(maxsize=1024)
def beam_and_spread(setup: BeamSetup, patient: PatientPart) -> tuple[Beam, float]:
    """The beam of a set-up and patient (its first entry), and one standard deviation in DI of what is not known of the
    patient: fat, bone, and the caliper's error. Raises OutOfRange outside the model's range.

    The chart line was made on patients too: what counts is how one patient differs from them at the reading.
    """
    part = part_of(
        patient.composition,
        patient.average_cm,
        patient.thickness_cm + np.array([0.0, 0.0, 0.0, patient.thickness_spread_cm]),
        patient.habitus,
        patient.overlay,
        np.array([0.0, FAT_SPREAD, 0.0, 0.0]),
        np.array([1.0, 1.0, 1 + BONE_SPREAD, 1.0]),
    )
    beam = evaluate(setup, part)
    given = beam.rqa5_equivalent_kerma_ugy
    return beam, float(10 * np.linalg.norm(np.log10(given[1:] / given[0])))


@lru_cache(maxsize=8192)
def _signal(setup: BeamSetup, patient: PatientPart) -> float:
    """RQA5-equivalent kerma [µGy/mAs]. Kept, since calipers are read to the half centimetre and set-ups recur."""
    thickness = np.array([patient.thickness_cm])
    part = part_of(patient.composition, patient.average_cm, thickness, patient.habitus, patient.overlay)
    return float(rqa5_equivalent_ugy(setup, part)[0])
