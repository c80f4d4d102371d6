"""A room that is not what its papers say, and bodies that are not the catalogue's: they show what a chart is worth.

A chart keeper knows the nominal room and exposes a few times; the hidden one answers. What is drawn once for a room (output,
filtration, index scales, grids, table tops, and the mean body of each view) no patient shares with another room; what is
drawn for each patient (bone, fat, lung, caliper) differs from one to the next.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

import numpy as np

from oakbeam.core.anatomy.composition import UNKNOWN_BUILD, Composition, part_of
from oakbeam.core.chart_making.from_test_exposures import TestExposure, expected_ei, target_index
from oakbeam.core.charts.line import ChartLine
from oakbeam.core.equipment.room import Output, Room
from oakbeam.core.equipment.settings import nearest_generator_setting
from oakbeam.core.errors import Refusal
from oakbeam.core.physics.beam.model import Part
from oakbeam.core.physics.beam.spectrum import beam_quality
from oakbeam.core.physics.beam.tables import Array
from oakbeam.core.projection import Projection

READING_NOISE = 0.03
"""One standard deviation of the logarithm of an index shown for one and the same exposure."""
CALIPER_CM = 0.5
OUTPUT, FILTRATION_MM_AL, INDEX, KV, ATTENUATION = 0.15, 0.6, 0.08, 0.02, 0.2
"""One standard deviation of what is drawn once for a room: output, index scale of each receptor, kilovoltage and the tops'
attenuation relative, filtration in mm."""


@dataclass(frozen=True, slots=True)
class Body:
    """What moves a view's mean composition, or one patient's about it."""

    fat: float = 0.0
    bone: float = 1.0
    lung: float = 0.0

    def and_also(self, other: Body) -> Body:
        """Both together."""
        return Body(self.fat + other.fat, self.bone * other.bone, self.lung + other.lung)

    def part(self, projection: Projection, thickness_cm: float) -> Part:
        """The part of such a patient."""
        average, cm = projection.thickness_cm[1], np.array([thickness_cm])
        return part_of(projection.composition, average, cm, None, (), self.fat, self.bone, None, self.lung)


@dataclass(frozen=True, slots=True)
class Truth:
    """A room as it is, its tube's kilovoltage over the one set, and the mean body of each view among its patients."""

    room: Room
    kv: float
    bodies: Mapping[str, Body]

    def index(self, shot: TestExposure, projection: Projection, own: Body) -> float:
        """The index of a patient before its reading noise."""
        body = self.bodies[projection.composition.view].and_also(own)
        set_to = replace(shot, kvp=shot.kvp * self.kv)
        return expected_ei(set_to, self.room, projection, body.part(projection, shot.thickness_cm))


def drawn(room: Room, projections: Sequence[Projection], chance: np.random.Generator) -> Truth:
    """A truth at random behind a room's papers."""

    def about(spread: float) -> float:
        return math.exp(float(chance.normal(0, spread)))

    mm_al = max(2.0, room.tube.filtration_mm_al + float(chance.normal(0, FILTRATION_MM_AL)))
    tube, scale = replace(room.tube, filtration_mm_al=mm_al), about(OUTPUT)

    def k100(kvp: float, filtration_mm_al: float) -> float:
        return beam_quality(kvp, filtration_mm_al, tube.filtration_mm_cu, tube.anode_angle_deg)[0]

    outputs = tuple(
        Output(one.kvp, one.kerma_ugy_per_mas * scale * k100(one.kvp, mm_al) / k100(one.kvp, room.tube.filtration_mm_al))
        for one in room.outputs
    )
    supports = tuple(
        replace(
            one,
            attenuation_mm_al=one.attenuation_mm_al * about(ATTENUATION),
            grid=one.grid
            and replace(one.grid, lead_mm=one.grid.lead_mm * about(0.1), cover_mm_al=one.grid.cover_mm_al * about(0.3)),
        )
        for one in room.supports
    )
    receptors = tuple(replace(one, ei_scale=one.ei_scale * about(INDEX)) for one in room.receptors)
    bodies = {
        one.view: _mean(one, chance) for one in {each.composition.view: each.composition for each in projections}.values()
    }
    truth = replace(room, tube=tube, outputs=outputs, supports=supports, receptors=receptors)
    return Truth(truth, 1 + float(chance.normal(0, KV)), bodies)


def _mean(of: Composition, chance: np.random.Generator) -> Body:
    """What the mean body of a view is off by, after how well it is known."""
    return _body(of.fat_unsure, of.bone_unsure, of.lung_unsure, chance)


def patient(of: Composition, chance: np.random.Generator) -> Body:
    """One patient about the mean."""
    return _body(UNKNOWN_BUILD * of.fat_spread, of.bone_spread, of.lung_spread, chance)


def _body(fat: float, bone: float, lung: float, chance: np.random.Generator) -> Body:
    return Body(
        float(chance.normal(0, fat)), math.exp(float(chance.normal(0, bone))), float(chance.normal(0, lung)) if lung else 0.0
    )


def _read(chance: np.random.Generator) -> float:
    """What a reading of an index is off by, as a factor."""
    return math.exp(float(chance.normal(0, READING_NOISE)))


def expose(asked: TestExposure, truth: Truth, projection: Projection, chance: np.random.Generator) -> TestExposure:
    """The exposure of a patient read with calipers, with the index that the hidden room shows."""
    there = max(0.5, asked.thickness_cm + float(chance.normal(0, CALIPER_CM)) * min(1.0, asked.thickness_cm / 10))
    ei = truth.index(replace(asked, thickness_cm=there), projection, patient(projection.composition, chance))
    return replace(asked, ei=ei * _read(chance))


def shot_of(line: ChartLine, thickness_cm: float, kvp: float, mas: float) -> TestExposure:
    """An exposure by a chart line, its index not yet known."""
    where = (line.projection, line.receptor, line.support, line.grid_ratio, line.sid_cm)
    return TestExposure(*where, thickness_cm, kvp, mas, 1.0, line.field_cm)


def mean_off(line: ChartLine, nominal: Room, truth: Truth, projection: Projection) -> float:
    """By how much [DI] the line's mean patient is off at its own thickness: what its stated spread is of."""
    shot = shot_of(line, line.thickness_cm, *line.law.at(line.thickness_cm))
    return 10 * math.log10(truth.index(shot, projection, Body()) / target_index(line, nominal, projection))


def deviations(
    lines: Sequence[ChartLine],
    nominal: Room,
    truth: Truth,
    projections: Mapping[str, Projection],
    patients: int,
    chance: np.random.Generator,
) -> Array:
    """Deviation indices of random patients in the hidden room, technique on stations by a random line of the chart.

    Thickness is uniform between the small and the large adult, as far as the line goes, and is read with calipers. A setting
    that the room refuses counts as 99: nobody gets an image from it.
    """
    digital = [line for line in lines if nominal.receptor(line.receptor).digital]
    found = np.empty(patients)
    for i in range(patients):
        line = digital[int(chance.integers(len(digital)))]
        projection = projections[line.projection]
        small, _, large = projection.thickness_cm
        low, high = max(line.range_cm[0], small), min(line.range_cm[1], large)
        low, high = (low, high) if low < high else line.range_cm
        there = float(chance.uniform(low, high))
        read = min(
            max(there + float(chance.normal(0, CALIPER_CM)) * min(1.0, there / 10), line.range_cm[0]), line.range_cm[1]
        )
        try:
            on = nearest_generator_setting(nominal, projection, *line.at(read))
        except Refusal:
            found[i] = 99.0
            continue
        shot = shot_of(line, there, on.kvp, on.mas)
        ei = truth.index(shot, projection, patient(projection.composition, chance)) * _read(chance)
        found[i] = 10 * math.log10(ei / target_index(line, nominal, projection))
    return found
