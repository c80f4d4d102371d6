"""A room that is not what its papers say: other filtration, output and index scales. It shows what a chart is worth.

A chart keeper knows the nominal room and exposes a few times; the hidden one answers. `share_within` then sends random
patients through the drafted chart in the hidden room.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from oakbeam.core.anatomy.composition import BONE_SPREAD, FAT_SPREAD, part_of
from oakbeam.core.chart_making.from_test_exposures import TestExposure, expected_ei, target_index
from oakbeam.core.charts.line import ChartLine
from oakbeam.core.equipment.room import Output, Room
from oakbeam.core.equipment.settings import nearest_generator_setting
from oakbeam.core.errors import Refusal
from oakbeam.core.physics.beam.spectrum import beam_quality
from oakbeam.core.physics.beam.tables import Array
from oakbeam.core.projection import Projection

READING_NOISE = 0.03
"""One standard deviation of the logarithm of an index shown for one and the same exposure."""
_INDEX_SCALES = (1.10, 0.92, 1.05, 0.90, 1.0)


def hidden(room: Room, output: float = 1.18, more_mm_al: float = 1.0) -> Room:
    """The room as it is in truth: `output` times the nominal kerma per mAs, more filtration, receptors that read off."""
    tube = replace(room.tube, filtration_mm_al=room.tube.filtration_mm_al + more_mm_al)

    def k100(kvp: float, mm_al: float) -> float:
        return beam_quality(kvp, mm_al, tube.filtration_mm_cu, tube.anode_angle_deg)[0]

    outputs = tuple(
        Output(
            one.kvp,
            one.kerma_ugy_per_mas
            * output
            * k100(one.kvp, tube.filtration_mm_al)
            / k100(one.kvp, room.tube.filtration_mm_al),
        )
        for one in room.outputs
    )
    scales = (_INDEX_SCALES * len(room.receptors))[: len(room.receptors)]
    receptors = tuple(replace(one, ei_scale=one.ei_scale * by) for one, by in zip(room.receptors, scales, strict=True))
    return replace(room, tube=tube, outputs=outputs, receptors=receptors)


def expose(
    asked: TestExposure, truth: Room, projection: Projection, chance: np.random.Generator, noise: float = READING_NOISE
) -> TestExposure:
    """The exposure with the index that the hidden room shows for a patient of the usual composition."""
    part = part_of(projection.composition, projection.thickness_cm[1], np.array([asked.thickness_cm]))
    return replace(asked, ei=expected_ei(asked, truth, projection, part) * math.exp(chance.normal(0, noise)))


def deviations(
    lines: Sequence[ChartLine],
    nominal: Room,
    truth: Room,
    projections: dict[str, Projection],
    patients: int,
    seed: int,
    compositions: bool = False,
) -> Array:
    """Deviation indices of random patients in the hidden room, technique on stations by a random line of the chart.

    Thickness is uniform between the small and the large adult, as far as the line goes. compositions: fat and bone vary too,
    which no chart can know. A setting that the room refuses counts as 99: nobody gets an image from it.
    """
    chance = np.random.default_rng(seed)
    digital = [line for line in lines if nominal.receptor(line.receptor).digital]
    found = np.empty(patients)
    for i in range(patients):
        line = digital[int(chance.integers(len(digital)))]
        projection = projections[line.projection]
        small, average, large = projection.thickness_cm
        low, high = max(line.range_cm[0], small), min(line.range_cm[1], large)
        thickness_cm = float(chance.uniform(*((low, high) if low < high else line.range_cm)))
        fat = float(chance.normal(0, FAT_SPREAD)) if compositions else 0.0
        bone = math.exp(float(chance.normal(0, BONE_SPREAD))) if compositions else 1.0
        try:
            on = nearest_generator_setting(nominal, projection, *line.at(thickness_cm))
        except Refusal:
            found[i] = 99.0
            continue
        part = part_of(projection.composition, average, np.array([thickness_cm]), fat_shift=fat, bone_scale=bone)
        shot = TestExposure(
            line.projection,
            line.receptor,
            line.support,
            line.grid_ratio,
            line.sid_cm,
            thickness_cm,
            on.kvp,
            on.mas,
            1.0,
            line.field_cm,
        )
        found[i] = 10 * math.log10(expected_ei(shot, truth, projection, part) / target_index(line, nominal, projection))
    return found
