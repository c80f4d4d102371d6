"""What the readings of a calibration can hardly be, and the slip that is likeliest, before anybody accepts them.

Sources: output and index ranges after acceptance-testing texts; least half-value layers after IEC 60601-1-3, from memory.
"""

from __future__ import annotations

import math
import statistics
from collections import defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from oakbeam.core.equipment.calibration import HvlReading, IndexReading, OutputReading
from oakbeam.core.equipment.room import Room
from oakbeam.core.equipment.templates import TYPICAL_OUTPUT_UGY_PER_MAS
from oakbeam.core.physics.beam.spectrum import beam_quality

PLAUSIBLE_OUTPUT_UGY_PER_MAS = (20.0, 120.0)
"""Air kerma at 80 kVp and 100 cm: below it a tube or its filter is odd, above it none is known."""
PLAUSIBLE_INDEX = (0.5, 2.0)
"""Index shown over the one that the kerma calls for."""
CHANGED = math.log(1.25)
"""A tube's output rarely changes by more than a quarter from one calibration to the next."""
APART = math.log(1.25)
"""One reading this far from all the others is another than they are."""
TOGETHER = math.log(1.12)
"""The others then lie within this of their middle."""
LEAST_HVL_KVP = (50.0, 60.0, 70.0, 80.0, 90.0, 100.0, 110.0, 120.0, 130.0, 140.0, 150.0)
LEAST_HVL_MM_AL = (1.8, 2.2, 2.5, 2.9, 3.2, 3.6, 3.9, 4.3, 4.7, 5.0, 5.4)
USUAL_DISTANCES_CM = (50.0, 60.0, 70.0, 75.0, 80.0, 90.0, 100.0, 102.0, 110.0, 115.0, 120.0, 150.0, 180.0)
UNITS = (
    (1e-3, "mGy typed as µGy"),
    (1e3, "nGy typed as µGy"),
    (1 / 8.73, "mR typed as µGy (1 mR is 8.73 µGy)"),
    (0.1, "a decimal point one place off"),
    (10.0, "a decimal point one place off"),
)
"""What readings are multiplied by where the unit or the point is wrong."""


@dataclass(frozen=True, slots=True)
class Slip:
    """Readings that can hardly be right. of: which table; readings: their places in it, from 0; all: every one of them is
    off alike, so that leaving one out mends nothing."""

    of: str
    readings: tuple[int, ...]
    all: bool
    says: str


def slips(
    room: Room, outputs: Sequence[OutputReading], hvls: Sequence[HvlReading] = (), indices: Sequence[IndexReading] = ()
) -> tuple[Slip, ...]:
    """What to look at again in readings that `calibration.fit` takes; empty where nothing is odd."""
    return (*_of_outputs(room, outputs), *_of_hvls(hvls), *_of_indices(indices))


def _of_outputs(room: Room, outputs: Sequence[OutputReading]) -> Iterator[Slip]:
    if not outputs:
        return
    tube = room.tube

    def spectrum(kvp: float) -> float:
        return beam_quality(kvp, tube.filtration_mm_al, tube.filtration_mm_cu, tube.anode_angle_deg)[0]

    at_80 = [one.at_100_ugy_per_mas / spectrum(one.kvp) * spectrum(80.0) for one in outputs]
    logs = [math.log(one) for one in at_80]
    odd = _odd_one(logs)
    if odd is not None:
        others = statistics.median(log for at, log in enumerate(logs) if at != odd)
        off, one = math.exp(logs[odd] - others), outputs[odd]
        likely = _likely(off, one.distance_cm, 0.12)
        yield Slip(
            "outputs",
            (odd,),
            False,
            f"Reading {odd + 1} ({one.kvp:g} kVp, {one.mas:g} mAs) is {_times(off)} what the others call for{likely}.",
        )
        logs = [log for at, log in enumerate(logs) if at != odd]
    middle = math.exp(statistics.median(logs))
    everything = tuple(at for at in range(len(outputs)) if at != odd)
    distance_cm = statistics.median(one.distance_cm for one in outputs)
    known = not room.typical_output and room.outputs[0].kvp <= 80 <= room.outputs[-1].kvp
    if known:
        before = room.output_ugy_per_mas(80)
        off = middle / before
        if abs(math.log(off)) > CHANGED:
            likely = _likely(off, distance_cm, 0.08)
            why = f"{likely}." if likely else ". Was the tube or its filter changed?"
            made = f"{middle:.3g} µGy/mAs at 80 kVp and 1 m, before {before:.3g}"
            yield Slip(
                "outputs",
                everything,
                True,
                f"All readings together are {_times(off)} what the room gave before ({made}){why}",
            )
            return
    low, high = PLAUSIBLE_OUTPUT_UGY_PER_MAS
    if not low <= middle <= high:
        likely = _likely(middle / TYPICAL_OUTPUT_UGY_PER_MAS, distance_cm, 0.45)
        yield Slip(
            "outputs",
            everything,
            True,
            f"They make {middle:.3g} µGy/mAs at 80 kVp and 1 m; {low:g} to {high:g} is usual{likely}.",
        )


def _odd_one(logs: Sequence[float]) -> int | None:
    """The one of three or more that all the others agree against; None where there is none."""
    if len(logs) < 3:
        return None
    for at, log in enumerate(logs):
        others = [other for i, other in enumerate(logs) if i != at]
        middle = statistics.median(others)
        if abs(log - middle) > APART and max(abs(other - middle) for other in others) <= TOGETHER:
            return at
    return None


def _times(off: float) -> str:
    return f"×{off:.3g}" if off >= 1 else f"÷{1 / off:.3g}"


def _likely(off: float, distance_cm: float, tolerance: float) -> str:
    """The slip that would make readings so far off, as the end of a sentence; "" where none is near."""
    candidates = [(abs(math.log(off / factor)), words) for factor, words in UNITS]
    candidates += [
        # Taken for read at distance_cm, they would be (distance_cm / true)^2 of what they are.
        (abs(math.log(off * (true / distance_cm) ** 2)), f"read at {true:g} cm, not at {distance_cm:g}")
        for true in USUAL_DISTANCES_CM
        if abs(true - distance_cm) > 3
    ]
    candidates += [(abs(math.log(off / 2)), "half the mAs typed"), (abs(math.log(off * 2)), "twice the mAs typed")]
    near, words = min(candidates)
    return f"; likely {words}" if near <= tolerance else ""


def least_hvl_mm_al(kvp: float) -> float:
    """The least first half-value layer [mm Al] that a tube may have at a kVp (IEC 60601-1-3); linear between its points."""
    return float(np.interp(kvp, LEAST_HVL_KVP, LEAST_HVL_MM_AL))


def _of_hvls(hvls: Sequence[HvlReading]) -> Iterator[Slip]:
    for at, one in enumerate(hvls):
        least = least_hvl_mm_al(one.kvp)
        if one.hvl_mm_al < least:
            yield Slip(
                "hvls",
                (at,),
                False,
                f"{one.hvl_mm_al:g} mm Al at {one.kvp:g} kVp is under the least of {least:.1f} mm: misread, or a filter is "
                "missing. Such a tube is not used on patients before it is looked at.",
            )
        elif one.hvl_mm_al > 2.2 * least:
            yield Slip(
                "hvls", (at,), False, f"{one.hvl_mm_al:g} mm Al at {one.kvp:g} kVp is harder than tubes are: misread?"
            )


def _of_indices(indices: Sequence[IndexReading]) -> Iterator[Slip]:
    by_receptor: dict[str, list[int]] = defaultdict(list)
    for at, one in enumerate(indices):
        by_receptor[one.receptor].append(at)
    low, high = PLAUSIBLE_INDEX
    for places in by_receptor.values():
        logs = [math.log(indices[at].ei / (100 * indices[at].kerma_ugy)) for at in places]
        odd = _odd_one(logs)
        if odd is not None:
            off = math.exp(logs[odd] - statistics.median(log for at, log in enumerate(logs) if at != odd))
            place = places[odd]
            yield Slip("indices", (place,), False, f"Index reading {place + 1} is {_times(off)} what its others call for.")
            logs.pop(odd)
            places = [at for at in places if at != place]
        middle = math.exp(statistics.median(logs))
        if not low <= middle <= high:
            yield Slip(
                "indices",
                tuple(places),
                True,
                f"The index shown is {_times(middle)} what the kerma calls for; {low:g} to {high:g} is usual. Is the kerma "
                "in µGy at the receptor, and does the console show the exposure index of IEC, and not a scale of its own?",
            )
